#include "app/bench/drive/drive_bench.h"

#include "app/bench/drive/curve_picture.h"
#include "app/bench/drive/denser_row.h"
#include "app/bench/drive/path_panel.h"
#include "app/bench/drive/push_picture.h"
#include "app/bench/drive/wave_picture.h"
#include "app/bench/module/module_actions.h"
#include "app/theme/theme.h"
#include "core/session/parallel_path.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace cask::app {
DriveBench::DriveBench(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_drive(new DriveModel(desk.document, desk.analyst, desk.hits, this)),
      m_pictures(new QWidget(this)), m_curve(new CurvePicture(desk.document, *m_drive, m_pictures)),
      m_wave(new WavePicture(*m_drive, m_pictures)), m_harmonics(new HarmonicsPicture(*m_drive, m_pictures)),
      m_change(new QLabel(this)), m_path(new PathPanel(desk, this)), m_push(new PushPicture(desk, this)),
      m_denser(new DenserRow(desk, this)), m_modules(new StageBench(desk, Stage::Drive, this)),
      m_pathButton(new QPushButton(tr("+ parallel path"), this)) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    layout->addWidget(m_path, 3);
    auto* pictures = new QHBoxLayout(m_pictures);
    pictures->setContentsMargins(0, 0, 0, 0);
    pictures->setSpacing(8);
    pictures->addWidget(m_curve, 3);
    pictures->addWidget(m_wave, 4);
    pictures->addWidget(m_harmonics, 4);
    layout->addWidget(m_pictures, 3);
    m_change->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Maximum);
    m_change->setFont(textFont(12));
    m_change->setWordWrap(true);
    m_change->setAccessibleName(tr("What driving does"));
    m_change->setToolTip(
        tr("At equal loudness. Denser: loudness closer to the peak. Beginnings: the first 10 ms. "
           "Tails: 120 to 400 ms. Between the hits: above 5 kHz, against the hits. New between drums: "
           "what it makes of all of them together and of none alone, of what comes out"));
    layout->addWidget(m_change);
    layout->addWidget(m_push, 3);
    layout->addWidget(m_denser);
    layout->addWidget(m_modules);
    m_pathButton->setToolTip(
        tr("A second, processed sound beside this one, fed by sends: snare most, kick least, "
           "cymbals not at all. Its bus is chosen at once"));
    m_modules->actions().addToEnd(m_pathButton);
    m_modules->goAlong = [this](session::Module& m, const std::string& id) {
        auto* s = std::get_if<dsp::SaturationSettings>(&m.settings);
        if (s == nullptr)
            return;
        if (id == "output_db")
            s->output = dsp::SaturationOutput::Fixed; // what is typed is no longer a match
        const auto* change = m_drive->change();
        if (id == "output" && s->output == dsp::SaturationOutput::Matched && change != nullptr)
            s->outputDb = std::round(10 * (s->outputDb + change->shapes.matchDb)) / 10;
    };
    connect(m_pathButton, &QPushButton::clicked, this,
            [this] { PathPanel::makePath(m_desk, m_desk.document.selected()); });
    connect(m_drive, &DriveModel::changed, this, &DriveBench::refresh);
    connect(m_modules, &StageBench::moduleShown, this, &DriveBench::refresh);
    connect(&desk.findings, &FindingModel::findingsChanged, this, &DriveBench::refresh);
    for (const auto signal : {&Document::changed, &Document::selectionChanged, &Document::opened})
        connect(&desk.document, signal, this, &DriveBench::refresh);
    refresh();
}

QString DriveBench::changeText() const {
    const auto settings = m_drive->settings();
    if (!settings)
        return {};
    const auto* change = m_drive->change();
    if (change == nullptr)
        return tr("At equal loudness: not measured yet");
    QStringList parts{tr("%1 dB denser").arg(signedDb(change->denserDb()))};
    if (change->shapes.hits > 0)
        parts << tr("beginnings %1 dB").arg(signedDb(change->shapes.keptAttackDb))
              << tr("tails %1 dB").arg(signedDb(change->shapes.sustainDb));
    if (change->cymbalsDb)
        parts << tr("highs between the hits %1 dB").arg(signedDb(*change->cymbalsDb));
    if (!change->harmonics.empty()) {
        const auto before = dbText(change->harmonicsBeforeDb(), 0);
        const auto after = dbText(change->harmonicsAfterDb(), 0);
        parts << (before == after
                      ? tr("harmonics of %1 stay at %2 dB").arg(hzText(m_drive->noteHz()), after)
                      : tr("harmonics of %1 from %2 to %3 dB").arg(hzText(m_drive->noteHz()), before, after));
    }
    if (const auto lost = change->mostLost(); lost && lost->db < -1)
        parts << tr("%1 loses %2 dB").arg(hzText(lost->hz), dbText(-lost->db));
    const auto& drives = m_desk.findings.drive().modules;
    const auto it = std::find_if(drives.begin(), drives.end(), [&](const auto& d) {
        return m_drive->module() != nullptr && d.module == m_drive->module()->id && d.settings == *settings;
    });
    if (it != drives.end() && it->aliasDb > kSilenceDb)
        parts << tr("aliases %1 dB").arg(dbText(it->aliasDb, 0));
    if (it != drives.end() && it->betweenDrumsDb > kSilenceDb)
        parts << tr("new between drums %1 dB").arg(dbText(it->betweenDrumsDb, 0));
    return tr("At equal loudness: %1").arg(parts.join(QStringLiteral(", ")));
}

void DriveBench::refresh() {
    const auto* module = m_modules->module();
    const Id owner = m_desk.document.selected();
    m_drive->setModule({owner, module == nullptr ? session::kNoId : module->id});
    const auto& s = m_desk.document.session();
    const auto* bus = s.bus(owner);
    const bool isPath = bus != nullptr && bus->path.has_value();
    const bool isDriven = m_drive->settings().has_value();
    m_path->setVisible(isPath);
    const bool isPushed = !isPath && m_push->push() != nullptr;
    // In a small window both would leave no room for values.
    constexpr int kRoomForBothPx = 560;
    m_pictures->setVisible(!isPath && !(isPushed && (!isDriven || height() < kRoomForBothPx)));
    m_push->setVisible(isPushed);
    m_denser->setVisible(m_denser->isOffered());
    m_change->setVisible(isDriven && !isPath); // a path tells of itself
    m_change->setText(changeText());
    m_pathButton->setEnabled(s.output(owner) != nullptr && owner != s.master().id && !isPath);
    emit summaryChanged();
}

QString DriveBench::summary() const {
    const auto& s = m_desk.document.session();
    const auto paths = session::pathsOf(s, m_desk.document.selected());
    if (paths.empty())
        return m_modules->summary();
    QStringList names;
    for (const Id path : paths)
        names << QString::fromStdString(s.nameOf(path));
    return tr("%1; beside it %2").arg(m_modules->summary(), names.join(QStringLiteral(", ")));
}

void DriveBench::resizeEvent(QResizeEvent* event) {
    QWidget::resizeEvent(event);
    refresh();
}

void DriveBench::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    m_drive->setActive(true);
    refresh();
}

void DriveBench::hideEvent(QHideEvent* event) {
    QWidget::hideEvent(event);
    m_drive->setActive(false);
}

} // namespace cask::app
