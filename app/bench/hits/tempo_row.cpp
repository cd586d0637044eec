#include "app/bench/hits/tempo_row.h"

#include "app/theme/theme.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>

#include <cmath>

namespace cask::app {
namespace {

constexpr double kLeastBpm = 20;
constexpr double kMostBpm = 400;
constexpr qint64 kRestMs = 2000;
constexpr std::size_t kLeastTaps = 4;
constexpr std::size_t kMostTaps = 17;

} // namespace

TempoRow::TempoRow(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_tempo(new QLineEdit(this)), m_beats(new QComboBox(this)),
      m_tap(new QPushButton(tr("Tap"), this)), m_bar(new QPushButton(tr("Bar 1 here"), this)),
      m_facts(new QLabel(this)) {
    m_clock.start();
    clockMs = [this] { return m_clock.elapsed(); };
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    auto* title = new QLabel(tr("BPM"), this);
    title->setFont(textFont(13));
    row->addWidget(title);
    m_tempo->setFixedWidth(84);
    m_tempo->setAccessibleName(tr("Tempo, BPM"));
    m_tempo->setToolTip(tr("Type a tempo in BPM, or x2 or /2; empty: as it is found"));
    row->addWidget(m_tempo);
    m_tap->setToolTip(tr("Tap on every beat, four times or more (T)"));
    m_tap->setFocusPolicy(Qt::TabFocus);
    row->addWidget(m_tap);
    m_beats->addItem(tr("bars as found"), 0);
    for (int beats = 2; beats <= 9; ++beats)
        m_beats->addItem(tr("%1 beats per bar").arg(beats), beats);
    m_beats->setAccessibleName(tr("Beats a bar"));
    row->addWidget(m_beats);
    m_bar->setToolTip(tr("The first bar begins at the chosen hit, or at the playhead"));
    row->addWidget(m_bar);
    m_facts->setFont(textFont(12));
    m_facts->setWordWrap(true);
    row->addWidget(m_facts, 1);
    connect(m_tempo, &QLineEdit::editingFinished, this, &TempoRow::take);
    connect(m_tap, &QPushButton::pressed, this, &TempoRow::tap);
    connect(m_bar, &QPushButton::clicked, this, &TempoRow::beginBarHere);
    connect(m_beats, &QComboBox::activated, this, [this](int index) {
        auto tempo = m_desk.document.session().tempo;
        tempo.beatsPerBar = m_beats->itemData(index).toInt();
        m_desk.hits.setTempo(tempo);
        m_desk.document.endMerge();
    });
    connect(&desk.hits, &HitModel::hitsChanged, this, &TempoRow::refresh);
    connect(&desk.document, &Document::changed, this, &TempoRow::refresh);
    refresh();
}

void TempoRow::tap() {
    const qint64 now = clockMs();
    if (!m_taps.empty() && now - m_taps.back() > kRestMs)
        m_taps.clear();
    m_taps.push_back(now);
    if (m_taps.size() > kMostTaps)
        m_taps.erase(m_taps.begin());
    if (m_taps.size() < kLeastTaps) {
        m_facts->setText(tr("tap on, %1 more").arg(kLeastTaps - m_taps.size()));
        return;
    }
    // Least squares through the taps: one that is early does not count twice.
    const auto count = static_cast<double>(m_taps.size());
    double slope = 0;
    double weight = 0;
    for (std::size_t i = 0; i < m_taps.size(); ++i) {
        const double off = static_cast<double>(i) - (count - 1) / 2;
        slope += off * static_cast<double>(m_taps[i]);
        weight += off * off;
    }
    auto tempo = m_desk.document.session().tempo;
    const double bpm = 60000 * weight / slope;
    if (!(bpm >= kLeastBpm && bpm <= kMostBpm))
        return;
    tempo.bpm = std::round(100 * bpm) / 100;
    m_desk.hits.setTempo(tempo); // one step of the history for all taps in a row
}

void TempoRow::beginBarHere() {
    const auto* a = m_desk.hits.analysis();
    const int stroke = m_desk.hits.chosenStroke();
    auto tempo = m_desk.document.session().tempo;
    tempo.firstBarS = a != nullptr && stroke >= 0 ? a->hits.strokes[static_cast<std::size_t>(stroke)].timeS
                                                  : m_desk.playback.positionS();
    m_desk.hits.setTempo(tempo);
    m_desk.document.endMerge();
}

void TempoRow::refresh() {
    const auto* a = m_desk.hits.analysis();
    const auto& given = m_desk.document.session().tempo;
    m_beats->setCurrentIndex(std::max(0, m_beats->findData(given.beatsPerBar)));
    if (a == nullptr || !a->tempo.isKnown) {
        m_facts->setText(a == nullptr ? QString() : tr("none found: type it or tap it"));
        return;
    }
    if (!m_tempo->hasFocus())
        m_tempo->setText(QString::number(a->tempo.bpm, 'f', 2));
    m_facts->setText(tr("%1; %2 a bar from %3 s; drift %4 %; %5; %6 % near the grid")
                         .arg(given.bpm > 0 ? tr("given") : tr("found"))
                         .arg(a->tempo.beatsPerBar)
                         .arg(dbText(a->tempo.firstBarS, 3), dbText(a->tempo.driftPercent, 1),
                              a->tempo.swingPercent < 53
                                  ? tr("straight")
                                  : tr("swing %1 %").arg(dbText(a->tempo.swingPercent, 0)))
                         .arg(std::lround(50 + 50 * a->tempo.confidence)));
    m_facts->setToolTip(m_facts->text());
}

void TempoRow::take() {
    const auto* a = m_desk.hits.analysis();
    QString text = m_tempo->text().trimmed().toLower();
    const double now = a != nullptr && a->tempo.isKnown ? a->tempo.bpm : 0;
    double bpm = 0;
    bool isNumber = true;
    if (text == QStringLiteral("x2"))
        bpm = 2 * now;
    else if (text == QStringLiteral("/2"))
        bpm = now / 2;
    else if (!text.isEmpty())
        bpm = text.replace(QStringLiteral("bpm"), QString()).trimmed().toDouble(&isNumber);
    if (!isNumber || bpm < 0 || (bpm > 0 && (bpm < kLeastBpm || bpm > kMostBpm))) {
        m_facts->setText(tr("A tempo lies between 20 and 400 BPM."));
        return;
    }
    if (bpm > 0 && std::abs(bpm - now) < 0.006)
        return; // what was shown
    auto tempo = m_desk.document.session().tempo;
    tempo.bpm = bpm;
    m_desk.hits.setTempo(tempo);
    m_desk.document.endMerge();
}

} // namespace cask::app
