#include "app/bench/tone_picture.h"

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

TonePicture::TonePicture(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_besideButton(new QToolButton(this)), m_besideMenu(new QMenu(this)) {
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
        const auto list = bands();
        if (isVisible() && std::any_of(list.begin(), list.end(), [](const auto& b) { return b.isDynamic(); }))
            update();
    });
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
    const auto list = bands();
    if (std::none_of(list.begin(), list.end(), [&](const EqBand& b) { return b.id == m_chosen; })) {
        m_chosen = list.empty() ? session::kNoId : list.front().id;
        emit bandChosen();
    }
    placeBeside();
    update();
}

void TonePicture::setMoment(Moment moment) {
    m_moment = moment;
    readSpectrum();
}

void TonePicture::setPlace(session::EqPlace place) {
    m_place = place;
    readSpectrum();
    emit bandChosen();
}

const session::Module* TonePicture::module() const {
    const auto* chain = m_desk.document.session().chain(m_desk.document.selected());
    return chain == nullptr ? nullptr : session::findEq(*chain, m_place);
}

double TonePicture::before(double hz) const {
    if (m_before.empty())
        return 0;
    const double at = std::clamp(std::log2(hz / measure::kLowestHz) * measure::kPointsPerOctave, 0.0,
                                 static_cast<double>(m_before.size() - 2));
    const auto i = static_cast<std::size_t>(at);
    return m_before[i] + (at - static_cast<double>(i)) * (m_before[i + 1] - m_before[i]);
}

std::vector<EqBand> TonePicture::bands() const {
    const auto* m = module();
    return m == nullptr ? std::vector<EqBand>() : std::get<dsp::EqSettings>(m->settings).bands;
}

const EqBand* TonePicture::band() const {
    const auto* m = module();
    if (m == nullptr)
        return nullptr;
    for (const auto& b : std::get<dsp::EqSettings>(m->settings).bands)
        if (b.id == m_chosen)
            return &b;
    return nullptr;
}

void TonePicture::chooseBand(Id band) {
    if (band == m_chosen)
        return;
    m_chosen = band;
    emit bandChosen();
    update();
}

void TonePicture::addBand(FilterKind kind, double frequencyHz, double gainDb) {
    EqBand band;
    band.kind = kind;
    band.frequencyHz = frequencyHz;
    band.gainDb = session::appliesTo("gain_db", kind) ? gainDb : 0;
    band.q = kind == FilterKind::Notch ? 8 : kind == FilterKind::Bell ? 1.2 : 0.7;
    addBand(band);
}

void TonePicture::addBand(EqBand band) {
    auto& document = m_desk.document;
    if (document.session().chain(document.selected()) == nullptr)
        return;
    session::Session s = document.session();
    band.id = session::kNoId;
    m_chosen = session::addBand(s, document.selected(), band, m_place);
    const auto words = session::filterKindWords(band.kind);
    document.edit(std::move(s),
                  tr("Add %1, %2")
                      .arg(QString::fromUtf8(words.data(), static_cast<int>(words.size())),
                           QString::fromStdString(document.session().nameOf(document.selected()))));
    emit bandChosen();
}

void TonePicture::removeChosen() {
    auto& document = m_desk.document;
    if (band() == nullptr)
        return;
    document.edit(
        session::withoutBand(document.session(), document.selected(), m_chosen),
        tr("Remove band, %1").arg(QString::fromStdString(document.session().nameOf(document.selected()))));
}

void TonePicture::change(const QString& what, const std::function<void(EqBand&)>& edit) {
    auto& document = m_desk.document;
    const auto limit = [](EqBand& b) {
        for (const auto& f : session::eqBandFields())
            f.set(b, session::clampValue(f.info, f.get(b)));
    };
    document.edit(
        session::withBand(document.session(), document.selected(), m_chosen,
                          [&](EqBand& b) {
                              edit(b);
                              limit(b);
                          }),
        tr("%1, %2").arg(what, QString::fromStdString(document.session().nameOf(document.selected()))),
        QStringLiteral("band%1").arg(m_chosen));
}

QString TonePicture::inWords(const EqBand& b) {
    const auto kind = session::filterKindWords(b.kind);
    const QString words = QString::fromUtf8(kind.data(), static_cast<int>(kind.size()));
    if (dsp::isPass(b.kind))
        return tr("%1 %2, %3 dB/oct").arg(words, hzText(b.frequencyHz)).arg(b.slopeDbPerOct);
    if (b.kind == FilterKind::Notch || b.kind == FilterKind::BandPass)
        return tr("%1 %2").arg(words, hzText(b.frequencyHz));
    const QString gain = (b.gainDb > 0 ? QStringLiteral("+") : QString()) + dbText(b.gainDb);
    if (b.kind != FilterKind::Bell)
        return tr("%1 %2, %3 dB").arg(words, hzText(b.frequencyHz), gain);
    const QString width = b.q < 0.9   ? tr("broad")
                          : b.q < 2.5 ? tr("medium")
                          : b.q < 7   ? tr("narrow")
                                      : tr("very narrow");
    return tr("%1, %2 dB, %3").arg(hzText(b.frequencyHz), gain, width);
}

QString TonePicture::price() const {
    const auto* b = band();
    const Id element = m_desk.document.selected();
    const auto* tone = m_desk.tones.tone(element);
    if (b == nullptr || tone == nullptr || tone->spectra.own.bandDb.empty())
        return {};
    const double rate = m_desk.document.session().sampleRateHz;
    auto moved = dsp::withAmount(*b, std::get<dsp::EqSettings>(module()->settings).amountPercent);
    if (moved.isDynamic())
        moved.gainDb += moved.rangeDb;
    const auto sections = dsp::designBand(moved, rate);
    const auto changeOf = [&](const Spectrum& spectrum) {
        return measure::energyChangeDb(spectrum,
                                       [&](double hz) { return dsp::responseDb(sections, hz, rate); });
    };
    const auto signedDb = [](double db) { return (db > 0 ? QStringLiteral("+") : QString()) + dbText(db); };
    QString text =
        (b->isDynamic() ? tr("this band at its most: own hits %1 dB") : tr("this band: own hits %1 dB"))
            .arg(signedDb(changeOf(tone->spectra.own)));
    if (tone->spectra.spillHits == 0)
        return text;
    text += tr(", spill %1 dB").arg(signedDb(changeOf(tone->spectra.spill)));
    // The drum whose spill rises most.
    const auto hits = m_desk.hits.shared();
    double most = 0.5;
    QString worst;
    for (const auto& spill : tone->spectra.spillOf) {
        const double change = changeOf(spill.spectrum);
        if (hits == nullptr || change < most || spill.drum < 0 ||
            spill.drum >= static_cast<int>(hits->hits.kit.drums.size()))
            continue;
        most = change;
        worst =
            tr(", most of all %1 %2 dB")
                .arg(QString::fromStdString(hits->hits.kit.drums[static_cast<std::size_t>(spill.drum)].name),
                     signedDb(change));
    }
    return text + worst;
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
    auto list = bands();
    // The chosen one lies on top.
    std::stable_sort(list.begin(), list.end(), [&](const EqBand& a, const EqBand& b) {
        return (a.id == m_chosen) > (b.id == m_chosen);
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
