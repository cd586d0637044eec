#include "app/bench/tone/tone_picture.h"

#include "app/theme/theme.h"
#include "core/dsp/eq_design.h"
#include "core/graph/module_sections.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"

#include <QMenu>
#include <QToolButton>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

using dsp::EqBand;
using dsp::FilterKind;
using measure::Spectrum;

constexpr int kFinePoints = 1;  // of own hits, so that what rings is seen
constexpr int kThirdPoints = 4; // a range is one of thirds: so are the lines beside it

} // namespace

std::vector<float> smoothed(const measure::Spectrum& spectrum, int points) {
    std::vector<float> out;
    const auto count = static_cast<int>(spectrum.bandDb.size());
    for (int i = 0; i < count; ++i) {
        double power = 0;
        int n = 0;
        for (int j = std::max(0, i - points); j <= std::min(count - 1, i + points); ++j, ++n)
            power += std::pow(10.0, spectrum.bandDb[static_cast<std::size_t>(j)] / 10);
        out.push_back(static_cast<float>(powerToDb(power / n)));
    }
    return out;
}

double edgeRatio(double q) {
    return std::sqrt(1 + 1 / (4 * q * q)) + 1 / (2 * q);
}

TonePicture::TonePicture(const Desk& desk, EqModel& eq, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_eq(eq), m_besideButton(new QToolButton(this)),
      m_besideMenu(new QMenu(this)) {
    makeBeside();
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setMinimumHeight(200);
    setAccessibleName(tr("Spectrum before and after, with the bands"));
    for (const auto signal : {&Document::selectionChanged, &Document::changed, &Document::opened})
        connect(&desk.document, signal, this, &TonePicture::readSpectrum);
    connect(&desk.analyst, &Analyst::fileChanged, this, &TonePicture::readSpectrum);
    connect(&desk.tones, &ToneModel::changed, this, &TonePicture::readSpectrum);
    connect(&desk.findings, &FindingModel::styleChanged, this, &TonePicture::readSpectrum);
    // Bands that follow the sound are seen to move.
    connect(&desk.playback, &Playback::tick, this, [this] {
        const auto& list = m_eq.bands();
        if (isVisible() && std::any_of(list.begin(), list.end(), [](const auto& b) { return b.isDynamic(); }))
            update();
    });
    connect(&eq, &EqModel::chosen, this, qOverload<>(&QWidget::update));
    readSpectrum();
}

QRectF TonePicture::plot() const {
    return QRectF(rect()).adjusted(56, 24, -12, -26);
}
double TonePicture::yOf(double db) const {
    return plot().top() + (m_topDb - db) / (m_topDb - m_bottomDb) * plot().height();
}
double TonePicture::pixelsPerDb() const {
    return plot().height() / (m_topDb - m_bottomDb);
}

void TonePicture::readSpectrum() {
    const Id element = m_desk.document.selected();
    const auto* state = m_desk.analyst.element(element);
    const auto* tone = m_desk.tones.tone(element);
    m_before.clear();
    m_topDb = 24;
    m_bottomDb = -24;
    m_isOfHits = tone != nullptr && !tone->spectra.own.bandDb.empty();
    if (m_isOfHits) {
        const auto& spectra = tone->spectra;
        m_before = smoothed(m_moment == Moment::Attack ? spectra.attack
                            : m_moment == Moment::Tail ? spectra.decay
                                                       : spectra.own,
                            m_beside == Beside::Usual ? kThirdPoints : kFinePoints);
    } else if (state != nullptr && state->analysis) {
        m_before = smoothed(state->analysis->facts.spectrum, kSmoothPoints);
    }
    readBeside();
    if (!m_before.empty()) {
        double top = -120;
        for (std::size_t i = 0; i < m_before.size(); ++i)
            if (Spectrum::pointHz(static_cast<int>(i)) >= kLowestShownHz)
                top = std::max(top, static_cast<double>(m_before[i]));
        m_topDb = 6 * std::ceil((top + 14) / 6);
        m_bottomDb = m_topDb - 84;
        if (m_beside == Beside::Noise && !m_besideDb.empty()) { // it may lie far below, and is to be seen
            const double most = *std::max_element(m_besideDb.begin(), m_besideDb.end());
            m_bottomDb = std::clamp(6 * std::floor((most - 24) / 6), m_topDb - 144, m_bottomDb);
        }
    }
    placeBeside();
    update();
}

void TonePicture::setMoment(Moment moment) {
    m_moment = moment;
    readSpectrum();
}

double TonePicture::before(double hz) const {
    if (m_before.empty())
        return 0;
    const double at = std::clamp(std::log2(hz / measure::kLowestHz) * measure::kPointsPerOctave, 0.0,
                                 static_cast<double>(m_before.size() - 2));
    const auto i = static_cast<std::size_t>(at);
    return m_before[i] + (at - static_cast<double>(i)) * (m_before[i + 1] - m_before[i]);
}

TonePicture::Bracket TonePicture::bracketOf(const EqBand& b) const {
    const QRectF area = plot();
    Bracket r;
    const double base = before(std::clamp(b.frequencyHz, kLowestShownHz, kHighestShownHz));
    r.base = std::clamp(yOf(base), area.top() + 20, area.bottom() - 4);
    const double gain = b.kind == FilterKind::Notch ? -18
                        : dsp::isPass(b.kind)       ? -6
                        : dsp::hasGain(b.kind)      ? b.gainDb
                                                    : 0;
    const auto place = [&](double db) {
        return std::clamp(r.base - db * pixelsPerDb(), area.top() + 14, area.bottom());
    };
    r.bar = place(gain);
    r.range = place(gain + (b.isDynamic() ? b.rangeDb : 0));
    r.moved = place(gain + movedDb(b));
    const double ratio = edgeRatio(b.q);
    switch (b.kind) {
    case FilterKind::LowShelf:
    case FilterKind::HighPass:
        r.x0 = area.left();
        r.x1 = xOf(b.frequencyHz);
        break;
    case FilterKind::HighShelf:
    case FilterKind::LowPass:
    case FilterKind::Tilt:
        r.x0 = xOf(b.frequencyHz);
        r.x1 = area.right();
        break;
    case FilterKind::Bell:
    case FilterKind::Notch:
    case FilterKind::BandPass:
        r.x0 = xOf(b.frequencyHz / ratio);
        r.x1 = xOf(b.frequencyHz * ratio);
        break;
    }
    return r;
}

double TonePicture::movedDb(const EqBand& b) const {
    return b.isDynamic() && m_desk.playback.isPlaying() ? m_desk.playback.engine().movedDb(b.id) : 0;
}

QPointF TonePicture::handleOf(const EqBand& b) const {
    const Bracket r = bracketOf(b);
    return {xOf(b.frequencyHz), r.bar};
}

std::pair<Id, TonePicture::Grip> TonePicture::gripAt(const QPointF& at) const {
    auto list = m_eq.bands();
    // The chosen one lies on top.
    std::stable_sort(list.begin(), list.end(), [&](const EqBand& a, const EqBand& b) {
        return (a.id == m_eq.chosenBand()) > (b.id == m_eq.chosenBand());
    });
    for (const auto& b : list) {
        const Bracket r = bracketOf(b);
        const bool isInside = at.x() >= r.x0 - 8 && at.x() <= r.x1 + 8;
        if (b.isDynamic() && isInside && std::abs(at.y() - r.range) < 6 && std::abs(r.range - r.bar) > 12)
            return {b.id, Grip::Range};
        const double top = std::min(r.base, r.bar) - 6;
        const double bottom = std::max(r.base, r.bar) + 6;
        const bool hasEdges =
            b.kind == FilterKind::Bell || b.kind == FilterKind::Notch || b.kind == FilterKind::BandPass;
        if (hasEdges && at.y() >= top && at.y() <= bottom && std::abs(at.x() - xOf(b.frequencyHz)) > 5) {
            if (std::abs(at.x() - r.x0) < 6)
                return {b.id, Grip::LowEdge};
            if (std::abs(at.x() - r.x1) < 6)
                return {b.id, Grip::HighEdge};
        }
        if (std::abs(at.y() - r.bar) < 8 && isInside)
            return {b.id, Grip::Bar};
        if (dsp::isPass(b.kind) && std::abs(at.x() - xOf(b.frequencyHz)) < 7)
            return {b.id, Grip::Bar};
    }
    return {session::kNoId, Grip::None};
}

} // namespace cask::app
