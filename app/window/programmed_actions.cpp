// Patterns taken in and played by a kit.
#include "app/shelf/shelf_page.h"
#include "app/window/main_window.h"
#include "app/window/pattern_sheet.h"
#include "core/demo/built_in_kit.h"
#include "core/layers/midi_pattern.h"

#include <QFileDialog>

namespace cask::app {

void MainWindow::choosePattern() {
    const QString file =
        QFileDialog::getOpenFileName(this, tr("Play a MIDI file"), {}, tr("MIDI files (*.mid *.midi)"));
    if (!file.isEmpty())
        showPatternSheet(file);
}

PatternSheet* MainWindow::patternSheet() const {
    return m_patternSheet;
}

void MainWindow::showPatternSheet(const QString& file) {
    const auto pattern = layers::readMidiPattern(file.toStdString());
    if (!pattern) {
        m_document.addNote(QString::fromStdString(pattern.error().message));
        return;
    }
    if (pattern->strokes.empty()) {
        m_document.addNote(tr("%1 holds no strokes; nothing was taken in.").arg(file));
        return;
    }
    if (m_patternSheet != nullptr)
        m_patternSheet->close();
    const QString name = QString::fromStdString(std::filesystem::path(file.toStdString()).stem().string());
    m_patternSheet = new PatternSheet(*pattern, name, m_analyst.pool(), this);
    m_patternSheet->setAttribute(Qt::WA_DeleteOnClose);
    connect(m_patternSheet, &QDialog::accepted, this, [this, name] { playPattern(*m_patternSheet, name); });
    auto& shelf = m_shelf->model();
    connect(m_patternSheet, &PatternSheet::hearingWanted, &shelf,
            [&shelf](const auto& sound) { shelf.hear(sound, project::TrialPlace::Alone); });
    connect(m_patternSheet, &QDialog::finished, &shelf, &ShelfModel::endHearing);
    m_patternSheet->show();
}

void MainWindow::playPattern(const PatternSheet& sheet, const QString& name) {
    if (m_document.isUntitled())
        save(); // what plays it goes into the session's folder
    if (m_document.isUntitled() || m_document.isReadOnly()) {
        m_document.addNote(tr("The session was not saved, so nothing was taken in."));
        return;
    }
    runJob(tr("Playing %1").arg(name),
           [this, name, pattern = sheet.pattern(), kind = sheet.kit(), chosen = sheet.chosenKit(),
            microphones = sheet.microphones(), rateHz = m_document.session().sampleRateHz,
            folder = m_document.folder()](const CancelToken& cancel, const ProgressFn& progress) -> Finish {
               const auto made = [&]() -> Result<project::PlayedKit> {
                   project::KitSounds kit = chosen;
                   if (kind == PatternSheet::Kit::BuiltIn) {
                       const auto own = folder / "layers" / project::kBuiltInKitFolder;
                       if (auto written = demo::writeBuiltInKit(own, cancel, partOf(progress, 0, 0.6));
                           !written)
                           return written.error();
                       kit = project::builtInKit(own, microphones);
                   }
                   return project::playPattern(pattern, name.toStdString(), kit, rateHz, folder, cancel,
                                               partOf(progress, 0.6, 1));
               }();
               return [this, name, made, folder] {
                   if (!made) {
                       if (made.error().code != ErrorCode::Cancelled)
                           m_document.addNote(QString::fromStdString(made.error().message));
                       return;
                   }
                   if (folder != m_document.folder())
                       return; // another session
                   for (const auto& note : made->notes)
                       m_document.addNote(QString::fromStdString(note));
                   std::vector<Id> ids;
                   m_document.edit(project::withPlayedKit(m_document.session(), *made, &ids),
                                   tr("Play %1").arg(name), {}, Document::Spreads::No);
                   if (!ids.empty())
                       m_document.select(ids.front());
               };
           });
}

} // namespace cask::app
