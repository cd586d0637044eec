#include "app/bench/layers/kit_change_box.h"

#include "app/models/priorities.h"
#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"
#include "core/demo/built_in_kit.h"

#include <QCheckBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include <algorithm>

namespace cask::app {
namespace {

constexpr int kBuiltIn = 0;
constexpr int kFolder = 2;

} // namespace

KitChangeBox::KitChangeBox(const Desk& desk, QWidget* parent)
    : QDialog(parent), m_desk(desk), m_element(desk.document.selected()),
      m_kits(new ChoiceRow({tr("built-in kit"), tr("a kit (SFZ)\u2026"), tr("a folder of one-shots\u2026")},
                           this)),
      m_said(new QLabel(this)), m_misfits(new QLabel(this)),
      m_fits(new QCheckBox(tr("set them to what would fit"), this)),
      m_hear(new QPushButton(tr("Hear it"), this)), m_take(new QPushButton(tr("Take it"), this)),
      m_jobs(desk.analyst.pool()) {
    setWindowTitle(tr("Another kit for the pattern of %1")
                       .arg(QString::fromStdString(desk.document.session().nameOf(m_element))));
    setMinimumWidth(560);
    auto* layout = new QVBoxLayout(this);
    layout->setSpacing(12);
    m_kits->setChosen(-1);
    m_kits->setAccessibleName(tr("What plays it"));
    layout->addWidget(m_kits);
    for (auto* label : {m_said, m_misfits}) {
        label->setFont(textFont(12));
        label->setWordWrap(true);
        layout->addWidget(label);
    }
    m_misfits->setAccessibleName(tr("Values that no longer fit"));
    m_fits->setChecked(true);
    layout->addWidget(m_fits);
    layout->addStretch(1);
    auto* buttons = new QHBoxLayout;
    auto* close = new QPushButton(tr("Close"), this);
    m_hear->setCheckable(true);
    m_hear->setToolTip(tr("In the session, as loud as the kit that plays now, while the pattern runs"));
    buttons->addWidget(m_hear);
    buttons->addStretch(1);
    buttons->addWidget(m_take);
    buttons->addWidget(close);
    layout->addLayout(buttons);
    connect(m_kits, &ChoiceRow::choiceEdited, this, &KitChangeBox::choose);
    connect(m_hear, &QPushButton::clicked, this, &KitChangeBox::hear);
    connect(m_take, &QPushButton::clicked, this, &KitChangeBox::take);
    connect(close, &QPushButton::clicked, this, &QDialog::close);
    connect(&desk.document, &Document::opened, this, &QDialog::close);
    // What was planned holds the strikes as they were: taken now, it would put an edit of the pattern back.
    connect(&desk.document, &Document::changed, this, [this] {
        if (m_isBusy || m_change == nullptr)
            return;
        hear(false);
        m_change.reset();
        m_kits->setChosen(-1);
        m_problem = tr("The session was changed since. Choose the kit again.");
        refresh();
    });
    refresh();
}

KitChangeBox::~KitChangeBox() {
    m_cancel.cancel();
    if (m_isHeard)
        m_desk.playback.setTrial(std::nullopt);
}

QString KitChangeBox::said() const {
    return m_said->text() + QLatin1Char('\n') + m_misfits->text();
}

void KitChangeBox::choose(int kit) {
    if (kit == kBuiltIn) {
        plan({});
        return;
    }
    const bool isFolder = kit == kFolder;
    const QString path = askForKit  ? askForKit(isFolder)
                         : isFolder ? QFileDialog::getExistingDirectory(this, tr("A folder of one-shots"))
                                    : QFileDialog::getOpenFileName(this, tr("A kit"), {}, tr("Kits (*.sfz)"));
    if (path.isEmpty())
        m_kits->setChosen(-1);
    else
        plan(path.toStdString());
}

/// An empty path: the built-in kit.
void KitChangeBox::plan(const std::filesystem::path& path) {
    hear(false);
    m_cancel.cancel();
    m_cancel = CancelToken();
    m_change.reset();
    m_problem.clear();
    m_isBusy = true;
    const int generation = ++m_generation;
    refresh();
    m_jobs.post(
        [this, path, generation, element = m_element, snapshot = m_desk.document.snapshot(),
         folder = m_desk.document.folder(), cancel = m_cancel] {
            const auto change = [&]() -> Result<project::KitChange> {
                if (!path.empty()) {
                    const auto kit = project::kitFrom(path, cancel);
                    return kit ? project::planKitChange(*snapshot, folder, element, *kit, cancel)
                               : Result<project::KitChange>(kit.error());
                }
                const auto own = folder / "layers" / project::kBuiltInKitFolder;
                if (auto written = demo::writeBuiltInKit(own, cancel); !written)
                    return written.error();
                return project::planKitChange(*snapshot, folder, element, project::builtInKit(own, {}),
                                              cancel);
            }();
            QMetaObject::invokeMethod(
                this,
                [this, change, generation, snapshot] {
                    if (generation != m_generation)
                        return;
                    m_isBusy = false;
                    if (change && snapshot != m_desk.document.snapshot())
                        m_problem = tr("The session was changed meanwhile. Choose the kit again.");
                    else if (change)
                        m_change = std::make_shared<const project::KitChange>(*change);
                    else
                        m_problem = QString::fromStdString(change.error().message);
                    refresh();
                },
                Qt::QueuedConnection);
        },
        kLayersPriority);
}

void KitChangeBox::hear(bool on) {
    if (on && m_change != nullptr) {
        Playback::Trial trial;
        trial.change = [change = m_change](session::Session s) {
            return project::withTriedKit(std::move(s), *change);
        };
        for (const auto& one : m_change->elements)
            trial.sources[project::triedFileId(one.element)] = one.source;
        m_desk.playback.setTrial(std::move(trial));
        if (!m_desk.playback.isPlaying())
            m_desk.playback.togglePlay();
        m_isHeard = true;
    } else if (m_isHeard) {
        m_desk.playback.setTrial(std::nullopt);
        m_isHeard = false;
    }
    refresh();
}

void KitChangeBox::take() {
    if (!isReady() || m_desk.document.isReadOnly())
        return;
    hear(false);
    m_isBusy = true;
    refresh();
    m_jobs.post(
        [this, change = m_change, fits = m_fits->isChecked(), snapshot = m_desk.document.snapshot(),
         folder = m_desk.document.folder()] {
            const auto written = project::writeKitChange(*snapshot, folder, *change);
            QMetaObject::invokeMethod(
                this,
                [this, change, fits, written, folder, snapshot] {
                    m_isBusy = false;
                    auto& document = m_desk.document;
                    if (!written) {
                        m_problem = QString::fromStdString(written.error().message);
                        refresh();
                        return;
                    }
                    if (folder == document.folder() && snapshot != document.snapshot())
                        document.addNote(tr("The session was changed meanwhile; its kit stays as it was."));
                    else if (folder == document.folder())
                        document.edit(project::withKitChange(document.session(), *change, *written, fits),
                                      tr("Another kit"), {}, Document::Spreads::No);
                    close();
                },
                Qt::QueuedConnection);
        },
        kLayersPriority);
}

void KitChangeBox::refresh() {
    QStringList said;
    QStringList misfits;
    if (m_isBusy)
        said << tr("Working \u2026");
    else if (!m_problem.isEmpty())
        said << m_problem;
    else if (m_change == nullptr)
        said << tr("Choose what plays the pattern instead. It is brought to the loudness of what plays now.");
    if (m_change != nullptr) {
        const auto& s = m_desk.document.session();
        for (const auto& one : m_change->elements)
            said << tr("%1: its new sounds %2 dB, as loud as before")
                        .arg(QString::fromStdString(s.nameOf(one.element)), signedDb(one.gainDb));
        for (const Id silent : m_change->silent)
            said << tr("%1 is muted: the kit has no such microphone")
                        .arg(QString::fromStdString(s.nameOf(silent)));
        for (const auto& note : m_change->notes)
            said << QString::fromStdString(note);
        for (const auto& misfit : m_change->misfits) {
            const bool isHz = misfit.value == "frequency_hz";
            misfits << QString::fromStdString(misfit.reason) + QLatin1Char(' ') +
                           (isHz ? tr("%1 would fit.").arg(hzText(misfit.would))
                                 : tr("%1 dBFS would fit.").arg(dbText(misfit.would)));
        }
    }
    m_said->setText(said.join(QLatin1Char('\n')));
    m_misfits->setText(misfits.join(QLatin1Char('\n')));
    m_misfits->setVisible(!misfits.isEmpty());
    m_fits->setVisible(!misfits.isEmpty());
    m_hear->setEnabled(isReady());
    m_hear->setChecked(m_isHeard);
    m_take->setEnabled(isReady() && !m_desk.document.isReadOnly());
}

} // namespace cask::app
