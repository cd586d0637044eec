#include "app/bench/drive/path_panel.h"

#include "app/bench/drive/blend_picture.h"
#include "app/bench/drive/path_pictures.h"
#include "app/models/priorities.h"
#include "app/theme/theme.h"
#include "app/widgets/value_bar.h"
#include "app/widgets/words.h"
#include "core/kit_measures/path_sound.h"
#include "core/project/offline_sources.h"
#include "core/session/edits.h"
#include "core/session/parallel_path.h"

#include <QCheckBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QVBoxLayout>

#include <array>
#include <cmath>

namespace cask::app {
namespace {

constexpr std::array kPathBars = {"blend_percent", "low_cut_hz", "pitch_cents"};

} // namespace

PathPanel::PathPanel(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_shares(new SharesPicture(desk, this)),
      m_sum(new SumPicture(desk, this)), m_blend(new BlendPicture(desk, this)), m_text(new QLabel(this)),
      m_equal(new QCheckBox(tr("equal gain"), this)), m_inverted(new QCheckBox(tr("inverted"), this)),
      m_jobs(desk.analyst.pool()) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    auto* pictures = new QHBoxLayout;
    pictures->setSpacing(8);
    pictures->addWidget(m_shares, 3);
    pictures->addWidget(m_sum, 5);
    pictures->addWidget(m_blend, 4);
    layout->addLayout(pictures, 1);
    m_text->setFont(textFont(12));
    m_text->setWordWrap(true);
    m_text->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Maximum);
    m_text->setAccessibleName(tr("What the path adds"));
    layout->addWidget(m_text);
    auto* row = new QHBoxLayout;
    row->setSpacing(16);
    m_equal->setToolTip(
        tr("Dry and path together stay as loud as the dry sound, so that the blend changes density "
           "alone. Switching it on listens to both for a moment"));
    row->addWidget(m_equal);
    m_inverted->setToolTip(tr("Turns the polarity of the path where it meets the dry sound"));
    row->addWidget(m_inverted);
    for (const auto* id : kPathBars) {
        auto* bar = new ValueBar(session::field(session::pathFields(), id).info, this);
        m_bars[id] = bar;
        row->addWidget(bar, 1);
        connect(
            bar, &ValueBar::valueEdited, this,
            [this, name = std::string(id)](double value, bool isDragging) { set(name, value, isDragging); });
        connect(bar, &ValueBar::editFinished, &desk.document, &Document::endMerge);
    }
    layout->addLayout(row);
    connect(m_blend, &BlendPicture::wantsBlend, this,
            [this](double percent, bool isDragging) { set("blend_percent", percent, isDragging); });
    connect(m_equal, &QCheckBox::clicked, this,
            [this](bool on) { on ? match() : set("equal_gain", 0, false); });
    connect(m_inverted, &QCheckBox::clicked, this, [this](bool on) { set("inverted", on ? 1 : 0, false); });
    for (const auto signal : {&Document::changed, &Document::selectionChanged, &Document::opened})
        connect(&desk.document, signal, this, &PathPanel::refresh);
    connect(&desk.findings, &FindingModel::findingsChanged, this, &PathPanel::refresh);
    refresh();
}

PathPanel::~PathPanel() {
    m_cancel.cancel();
}

ValueBar* PathPanel::bar(const std::string& id) const {
    const auto it = m_bars.find(id);
    return it == m_bars.end() ? nullptr : it->second;
}

const session::Bus* PathPanel::path() const {
    const auto* bus = m_desk.document.session().bus(m_desk.document.selected());
    return bus != nullptr && bus->path ? bus : nullptr;
}

void PathPanel::makePath(const Desk& desk, Id of) {
    auto next = desk.document.session();
    const auto name = next.nameOf(of);
    std::string free = name + " parallel";
    const auto isTaken = [&](const std::string& text) {
        const auto has = [&](const auto& owner) { return owner->name == text; };
        return std::any_of(next.buses.begin(), next.buses.end(), has) ||
               std::any_of(next.elements.begin(), next.elements.end(), has);
    };
    for (int n = 2; isTaken(free); ++n)
        free = name + " parallel " + std::to_string(n);
    const auto path = session::addPath(next, free, of);
    if (!path) {
        desk.document.addNote(QString::fromStdString(path.error().message));
        return;
    }
    desk.document.edit(std::move(next), tr("Add a parallel path, %1").arg(QString::fromStdString(name)));
    desk.document.select(*path);
}

void PathPanel::set(const std::string& id, double value, bool isDragging) {
    const auto* bus = path();
    if (bus == nullptr)
        return;
    const auto& field = session::field(session::pathFields(), id);
    m_desk.document.edit(session::withBus(m_desk.document.session(), bus->id,
                                          [&](session::Bus& b) { field.set(*b.path, value); }),
                         tr("%1, %2").arg(words(field.info.words), QString::fromStdString(bus->name)),
                         isDragging ? QStringLiteral("path%1-%2").arg(bus->id).arg(QString::fromStdString(id))
                                    : QString());
}

void PathPanel::match() {
    const auto* bus = path();
    if (bus == nullptr)
        return;
    m_isMatching = true;
    refresh();
    m_cancel = CancelToken();
    m_jobs.post(
        [this, id = bus->id, snapshot = m_desk.document.snapshot(), folder = m_desk.document.folder(),
         cancel = m_cancel] {
            const auto sources = project::openOfflineSources(*snapshot, folder, cancel);
            auto match = sources ? kit::measurePathMatch(*snapshot, id, sources->lookup(), cancel)
                                 : Result<kit::PathMatch>(sources.error());
            QMetaObject::invokeMethod(
                this,
                [this, id, match = std::move(match)] {
                    m_isMatching = false;
                    const auto equal = match ? session::withEqualGain(m_desk.document.session(), id,
                                                                      match->matchDb, match->likeness)
                                             : Result<session::Session>(match.error());
                    if (equal)
                        m_desk.document.edit(
                            *equal, tr("Equal gain, %1")
                                        .arg(QString::fromStdString(m_desk.document.session().nameOf(id))));
                    else if (equal.error().code != ErrorCode::Cancelled)
                        m_desk.document.addNote(QString::fromStdString(equal.error().message));
                    refresh();
                },
                Qt::QueuedConnection);
        },
        kMeasuringPriority);
}

QString PathPanel::text() const {
    const auto* bus = path();
    if (bus == nullptr)
        return {};
    const QString of = QString::fromStdString(m_desk.document.session().nameOf(bus->path->of));
    if (m_isMatching)
        return tr("Beside %1. Listening to both\u2026").arg(of);
    const auto* measured = pathMeasure(m_desk);
    if (measured == nullptr)
        return tr("Beside %1. Not measured yet.").arg(of);
    QStringList parts{tr("%1 dB denser").arg(signedDb(measured->change.denserDb())),
                      tr("tails %1 dB").arg(signedDb(measured->change.shapes.sustainDb))};
    if (measured->change.cymbalsDb)
        parts << tr("cymbals %1 dB against the shells").arg(signedDb(*measured->change.cymbalsDb));
    parts << tr("peak %1 dB").arg(signedDb(measured->headroomDb));
    if (measured->kneePercent > 0)
        parts << tr("up to a blend of %1 % it gets denser faster than cymbals rise")
                     .arg(std::lround(measured->kneePercent));
    return tr("Beside %1, %2 dB louder than it alone; at equal loudness %3.")
        .arg(of, signedDb(measured->blendErrorDb), parts.join(QStringLiteral(", ")));
}

void PathPanel::refresh() {
    const auto* bus = path();
    m_text->setText(text());
    m_equal->setEnabled(bus != nullptr && !m_isMatching);
    m_equal->setChecked(bus != nullptr && (bus->path->isEqualGain || m_isMatching));
    m_inverted->setEnabled(bus != nullptr);
    m_inverted->setChecked(bus != nullptr && bus->path->isInverted);
    for (const auto& [id, bar] : m_bars) {
        if (bus != nullptr)
            bar->setValue(session::field(session::pathFields(), id).get(*bus->path));
        bar->setEnabled(bus != nullptr && (id != "blend_percent" || bus->path->isEqualGain));
    }
}

} // namespace cask::app
