// What the main window does with sessions and files: open, save, take in, in the background where it is long.
#include "app/document/recovery.h"
#include "app/findings/findings_panel.h"
#include "app/window/kit_sheet_box.h"
#include "app/window/main_window.h"
#include "app/window/notice_row.h"
#include "core/demo/demo_session.h"
#include "core/project/source_check.h"
#include "core/session/intake.h"

#include <QFileDialog>
#include <QMessageBox>
#include <QStandardPaths>

namespace cask::app {

void MainWindow::runJob(const QString& title,
                        std::function<Finish(const CancelToken&, const ProgressFn&)> work) {
    const auto job = std::make_shared<Job>(Job{title, 0, {}});
    m_jobs.push_back(job);
    refreshProgress();
    m_jobGroup.post([this, job, cancel = job->cancel, work = std::move(work)] {
        double last = 0;
        const auto progress = [&](double share) {
            if (share - last < 0.01)
                return;
            last = share;
            QMetaObject::invokeMethod(
                this,
                [this, job, share] {
                    job->share = share;
                    refreshProgress();
                },
                Qt::QueuedConnection);
        };
        Finish finish = work(cancel, progress);
        QMetaObject::invokeMethod(
            this,
            [this, job, finish = std::move(finish)] {
                std::erase(m_jobs, job);
                refreshProgress();
                finish();
            },
            Qt::QueuedConnection);
    });
}

bool MainWindow::openSession(const std::filesystem::path& folder) {
    QString problem;
    m_damaged.clear();
    if (!m_document.open(folder, problem)) {
        m_document.addNote(problem);
        if (Document::versionToOpen(folder))
            m_damaged = folder;
        refreshNotice();
        return false;
    }
    if (!m_document.isUntitled())
        remember(m_document.folder());
    refreshNotice();
    return true;
}

void MainWindow::refreshNotice() {
    if (const auto version = m_damaged.empty() ? std::nullopt : Document::versionToOpen(m_damaged)) {
        m_notice->setNotice(
            tr("%1 can't be opened. Its newest version that can be read is %2.")
                .arg(QString::fromStdString(m_damaged.filename().string()), QString::fromStdString(*version)),
            {{tr("Open that version"),
              [this, folder = m_damaged, version] {
                  if (!mayLeave())
                      return;
                  QString problem;
                  m_damaged.clear();
                  if (!m_document.openVersion(folder, *version, problem))
                      m_document.addNote(problem);
                  refreshNotice();
              }},
             {tr("Leave it"), [this] {
                  m_damaged.clear();
                  refreshNotice();
              }}});
    } else if (m_document.isReadOnly()) {
        m_notice->setNotice(m_document.readOnlyReason(),
                            {{tr("Save as\u2026"), [this] { saveAs(); }},
                             {tr("Try again"), [this] { openSession(m_document.folder()); }}});
    } else if (m_document.hasChangedOnDisk()) {
        m_notice->setNotice(
            tr("Another program has changed this session on the disk since it was opened here."),
            {{tr("Open the other state"), [this] { openSession(m_document.folder()); }},
             {tr("Keep this one"), [this] { m_document.keepOverDisk(); }}});
    } else if (m_document.recovered() != nullptr) {
        m_notice->setNotice(tr("This session has work that was not saved when the program last ended."),
                            {{tr("Restore"),
                              [this] {
                                  m_document.takeRecovered();
                                  refreshNotice();
                              }},
                             {tr("Discard"), [this] {
                                  m_document.dropRecovered();
                                  refreshNotice();
                              }}});
    } else if (!m_otherTakes.empty()) {
        const auto& other = m_otherTakes.front();
        const QString name = QString::fromStdString(other.sheet.takes[static_cast<std::size_t>(other.take)]);
        m_notice->setNotice(tr("There is another take, %1. It can have a session of its own.").arg(name),
                            {{tr("New session with %1").arg(name),
                              [this] {
                                  if (!mayLeave())
                                      return;
                                  const auto next = m_otherTakes.front();
                                  m_otherTakes.erase(m_otherTakes.begin());
                                  m_document.startUntitled();
                                  m_document.takeSheet(next.sheet, next.take, next.dropped);
                                  refreshNotice();
                              }},
                             {tr("Leave it"), [this] {
                                  m_otherTakes.erase(m_otherTakes.begin());
                                  refreshNotice();
                              }}});
    } else if (!m_abandoned.empty()) {
        m_notice->setNotice(tr("There is work from last time that was never saved under a name."),
                            {{tr("Restore"),
                              [this] {
                                  if (!mayLeave())
                                      return;
                                  const auto folder = m_abandoned.front();
                                  m_abandoned.erase(m_abandoned.begin());
                                  if (openSession(folder))
                                      m_document.takeRecovered();
                                  refreshNotice();
                              }},
                             {tr("Discard"), [this] {
                                  refuseAbandoned(m_abandoned.front());
                                  m_abandoned.erase(m_abandoned.begin());
                                  refreshNotice();
                              }}});
    } else {
        m_notice->setNotice({});
    }
}

void MainWindow::relinkInBackground(Id file, const QString& path) {
    runJob(tr("Reading the file"),
           [this, file, where = std::filesystem::path(path.toStdString()), snapshot = m_document.snapshot(),
            folder = m_document.folder()](const CancelToken& cancel, const ProgressFn& progress) -> Finish {
               const auto found = project::relinkedFiles(*snapshot, folder, file, where, cancel, progress);
               QStringList problems;
               for (const auto& sentence : found.problems)
                   problems << QString::fromStdString(sentence);
               return [this, files = found.files, problems, folder] {
                   if (folder == m_document.folder()) // another session may be open by now
                       m_document.takeRelinked(files, problems);
               };
           });
}

void MainWindow::openDemo() {
    if (!mayLeave())
        return;
    const auto folder = std::filesystem::path(
                            QStandardPaths::writableLocation(QStandardPaths::AppDataLocation).toStdString()) /
                        "Demo kit.cask";
    if (std::filesystem::exists(folder / "session.json")) {
        openSession(folder);
        return;
    }
    runJob(tr("Making the demo kit, a few seconds"),
           [this, folder](const CancelToken&, const ProgressFn& progress) -> Finish {
               const auto written = demo::writeDemoSession(folder, {}, progress);
               const QString problem = written ? QString() : QString::fromStdString(written.error().message);
               return [this, folder, problem] {
                   if (problem.isEmpty())
                       openSession(folder);
                   else
                       m_document.addNote(problem);
               };
           });
}

bool MainWindow::mayLeave() {
    if (m_document.isSaved())
        return true;
    const auto choice = askBeforeClosing ? askBeforeClosing() : [this] {
        QMessageBox box(
            QMessageBox::Question, tr("Unsaved changes"),
            tr("%1 has changes that are not saved.").arg(QString::fromStdString(m_document.session().name)),
            QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, this);
        const int button = box.exec();
        return button == QMessageBox::Save      ? CloseChoice::Save
               : button == QMessageBox::Discard ? CloseChoice::Discard
                                                : CloseChoice::Stay;
    }();
    if (choice == CloseChoice::Stay)
        return false;
    if (choice == CloseChoice::Discard) {
        m_document.discardUnsaved();
        return true;
    }
    save();
    return m_document.isSaved();
}

void MainWindow::newSession() {
    if (mayLeave())
        m_document.startUntitled();
}

void MainWindow::chooseSession() {
    if (!mayLeave())
        return;
    const QString folder = QFileDialog::getExistingDirectory(this, tr("Open a session folder (Name.cask)"));
    if (!folder.isEmpty())
        openSession(folder.toStdString());
}

void MainWindow::chooseFiles() {
    const QStringList files =
        QFileDialog::getOpenFileNames(this, tr("Import files"), {},
                                      tr("Sound files (*.wav *.aif *.aiff *.aifc *.flac *.ogg *.opus *.mp3 "
                                         "*.w64 *.rf64 *.caf);;All files (*)"));
    if (!files.isEmpty())
        takeInFiles(files);
}

void MainWindow::chooseFolderToImport() {
    auto* dialog = new QFileDialog(this, tr("Import everything in a folder"));
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setFileMode(QFileDialog::Directory);
    dialog->setOption(QFileDialog::ShowDirsOnly);
    connect(dialog, &QFileDialog::fileSelected, this,
            [this](const QString& folder) { takeInFiles({folder}); });
    dialog->show(); // nothing modal while sound plays
}

void MainWindow::save() {
    if (m_document.isUntitled()) {
        saveAs();
        return;
    }
    QString problem;
    if (!m_document.save(problem))
        m_document.addNote(problem);
}

void MainWindow::saveAs() {
    const QString title = tr("Save the session as");
    const QString name =
        askForSaveName
            ? askForSaveName(title)
            : QFileDialog::getSaveFileName(
                  this, title, QString::fromStdString(m_document.session().name) + QStringLiteral(".cask"));
    if (name.isEmpty())
        return;
    const std::filesystem::path wanted(name.toStdString());
    const auto finish = [this, wanted](const project::TakenFiles& taken) {
        QString problem;
        if (m_document.saveAs(wanted, taken, problem))
            remember(m_document.folder());
        else
            m_document.addNote(problem);
        for (const auto& sentence : taken.problems)
            m_document.addNote(QString::fromStdString(sentence));
    };
    if (const QString held = m_document.whyHeld(Document::folderFor(wanted)); !held.isEmpty()) {
        m_document.addNote(held + tr(" The session was not saved there.")); // before anything is copied
        return;
    }
    // What was made for the session goes along in any case.
    const auto what = m_copyAudio->isChecked() ? project::TakeAlong::All : project::TakeAlong::Own;
    const auto folder = m_document.folder();
    if (what == project::TakeAlong::Own && !diskFileSystem().exists(folder / "takes") &&
        !project::playsFrom(m_document.session(), folder, folder)) {
        finish({});
        return;
    }
    runJob(
        tr("Copying the sound files"),
        [this, finish, what, folder, target = Document::folderFor(wanted),
         session = m_document.snapshot()](const CancelToken& cancel, const ProgressFn& progress) -> Finish {
            auto taken = project::takeFilesAlong(*session, folder, target, what, cancel, progress);
            return [this, finish, taken = std::move(taken)] {
                if (taken)
                    finish(*taken);
                else
                    m_document.addNote(QString::fromStdString(taken.error().message) +
                                       tr(" The session was not saved there."));
            };
        });
}

void MainWindow::showKitSheet(const project::IntakeScan& scan,
                              const std::vector<std::filesystem::path>& dropped) {
    QStringList problems;
    for (const auto& list : {scan.problems, scan.warnings})
        for (const auto& sentence : list)
            problems << QString::fromStdString(sentence);
    const auto& s = m_document.session();
    auto* box = new KitSheetBox(session::makeKitSheet(scan.files),
                                s.elements.empty() ? session::commonRate(scan.files) : s.sampleRateHz,
                                problems, this);
    box->setAttribute(Qt::WA_DeleteOnClose);
    connect(box, &QDialog::accepted, this, [this, box, problems, dropped] {
        for (const auto& problem : problems)
            m_document.addNote(problem);
        m_document.takeSheet(box->sheet(), box->take(), dropped);
        offerOtherTakes(box->sheet(), box->take(), dropped);
    });
    box->show(); // nothing modal while sound plays
}

/// Those that were not imported, each as a session of its own.
void MainWindow::offerOtherTakes(const session::KitSheet& sheet, int taken,
                                 const std::vector<std::filesystem::path>& dropped) {
    m_otherTakes.clear();
    if (taken < 0)
        return;
    for (int take = 0; take < static_cast<int>(sheet.takes.size()); ++take)
        if (take != taken)
            m_otherTakes.push_back({sheet, take, dropped});
    refreshNotice();
}

void MainWindow::takeInFiles(const QStringList& paths) {
    std::vector<std::filesystem::path> dropped;
    for (const auto& path : paths)
        dropped.emplace_back(path.toStdString());
    runJob(tr("Looking at the files"),
           [this, dropped](const CancelToken& cancel, const ProgressFn& progress) -> Finish {
               const auto scan = project::scanIntake(dropped, cancel, progress);
               return [this, scan, dropped, cancel] {
                   if (cancel.isCancelled())
                       m_document.addNote(tr("Importing files was stopped; nothing was added."));
                   else if (asksBeforeImport && scan.files.size() > 1)
                       showKitSheet(scan, dropped);
                   else
                       m_document.takeIn(scan, dropped);
               };
           });
}

} // namespace cask::app
