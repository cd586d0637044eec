#include "app/bench/tone_picture.h"

#include "app/theme/theme.h"
#include "core/dsp/eq_design.h"
#include "core/session/edits.h"
#include "core/session/parameters.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

using dsp::EqBand;
using dsp::FilterKind;
using measure::Spectrum;

constexpr int kSmoothPoints = 3; // on each side: a quarter of an octave in all

/// Half-gain edges of a bell, as a share of its centre.
double edgeRatio(double q) {
    return std::sqrt(1 + 1 / (4 * q * q)) + 1 / (2 * q);
}

double qOfEdge(double ratio) {
    ratio = std::max(1.0005, ratio);
    return ratio / (ratio * ratio - 1);
}

} // namespace

TonePicture::TonePicture(const Desk& desk, QWidget* parent) : QWidget(parent), m_desk(desk) {
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setMinimumHeight(200);
    setAccessibleName(tr("Spectrum before and after, with the moves"));
    for (const auto signal : {&Document::selectionChanged, &Document::changed, &Document::opened})
        connect(&desk.document, signal, this, &TonePicture::readSpectrum);
    connect(&desk.analyst, &Analyst::fileChanged, this, &TonePicture::readSpectrum);
    readSpectrum();
}

QRectF TonePicture::plot() const {
    return QRectF(rect()).adjusted(56, 10, -12, -26);
}
double TonePicture::xOf(double hz) const {
    return plot().left() +
           std::log(hz / kLowestShownHz) / std::log(kHighestShownHz / kLowestShownHz) * plot().width();
}
double TonePicture::hzAt(double x) const {
    return kLowestShownHz * std::pow(kHighestShownHz / kLowestShownHz, (x - plot().left()) / plot().width());
}
double TonePicture::yOf(double db) const {
    return plot().top() + (m_topDb - db) / (m_topDb - m_bottomDb) * plot().height();
}
double TonePicture::pixelsPerDb() const {
    return plot().height() / (m_topDb - m_bottomDb);
}

void TonePicture::readSpectrum() {
    const auto* state = m_desk.analyst.element(m_desk.document.selected());
    m_before.clear();
    m_topDb = 24;
    m_bottomDb = -24;
    if (state != nullptr && state->analysis && !state->analysis->facts.spectrum.bandDb.empty()) {
        const auto& bands = state->analysis->facts.spectrum.bandDb;
        const auto count = static_cast<int>(bands.size());
        double top = -120;
        for (int i = 0; i < count; ++i) {
            double power = 0;
            int n = 0;
            for (int j = std::max(0, i - kSmoothPoints); j <= std::min(count - 1, i + kSmoothPoints);
                 ++j, ++n)
                power += std::pow(10.0, bands[static_cast<std::size_t>(j)] / 10);
            m_before.push_back(static_cast<float>(powerToDb(power / n)));
            if (Spectrum::pointHz(i) >= kLowestShownHz)
                top = std::max(top, static_cast<double>(m_before.back()));
        }
        m_topDb = 6 * std::ceil((top + 14) / 6);
        m_bottomDb = m_topDb - 84;
    }
    const auto list = bands();
    if (std::none_of(list.begin(), list.end(), [&](const EqBand& b) { return b.id == m_chosen; })) {
        m_chosen = list.empty() ? session::kNoId : list.front().id;
        emit bandChosen();
    }
    update();
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
    const auto* chain = m_desk.document.session().chain(m_desk.document.selected());
    if (chain == nullptr)
        return {};
    const auto* module = session::findModule<dsp::EqSettings>(*chain);
    return module == nullptr ? std::vector<EqBand>() : std::get<dsp::EqSettings>(module->settings).bands;
}

const EqBand* TonePicture::band() const {
    const auto* chain = m_desk.document.session().chain(m_desk.document.selected());
    const auto* module = chain == nullptr ? nullptr : session::findModule<dsp::EqSettings>(*chain);
    if (module == nullptr)
        return nullptr;
    for (const auto& b : std::get<dsp::EqSettings>(module->settings).bands)
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
    auto& document = m_desk.document;
    if (document.session().chain(document.selected()) == nullptr)
        return;
    session::Session s = document.session();
    EqBand band;
    band.kind = kind;
    band.frequencyHz = frequencyHz;
    band.gainDb = session::appliesTo("gain_db", kind) ? gainDb : 0;
    band.q = kind == FilterKind::Notch ? 8 : kind == FilterKind::Bell ? 1.2 : 0.7;
    m_chosen = session::addBand(s, document.selected(), band);
    const auto words = session::filterKindWords(kind);
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
        tr("Remove move, %1").arg(QString::fromStdString(document.session().nameOf(document.selected()))));
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

TonePicture::Bracket TonePicture::bracketOf(const EqBand& b) const {
    const QRectF area = plot();
    Bracket r;
    const double base = before(std::clamp(b.frequencyHz, kLowestShownHz, kHighestShownHz));
    r.base = std::clamp(yOf(base), area.top() + 20, area.bottom() - 4);
    const double gain = b.kind == FilterKind::Notch ? -18
                        : dsp::isPass(b.kind)       ? -6
                        : dsp::hasGain(b.kind)      ? b.gainDb
                                                    : 0;
    r.bar = std::clamp(r.base - gain * pixelsPerDb(), area.top() + 14, area.bottom());
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
        if (std::abs(at.y() - r.bar) < 8 && at.x() >= r.x0 - 8 && at.x() <= r.x1 + 8)
            return {b.id, Grip::Bar};
        if (dsp::isPass(b.kind) && std::abs(at.x() - xOf(b.frequencyHz)) < 7)
            return {b.id, Grip::Bar};
    }
    return {session::kNoId, Grip::None};
}

void TonePicture::mousePressEvent(QMouseEvent* event) {
    setFocus();
    const auto [id, grip] = gripAt(event->position());
    if (id == session::kNoId || event->button() != Qt::LeftButton)
        return;
    chooseBand(id);
    m_grip = grip;
    m_dragFrom = event->position();
    if (const auto* b = band())
        m_dragBand = *b;
}

void TonePicture::mouseMoveEvent(QMouseEvent* event) {
    m_pointer = event->position();
    if (m_grip == Grip::None) {
        const auto grip = gripAt(event->position()).second;
        setCursor(grip == Grip::None  ? Qt::ArrowCursor
                  : grip == Grip::Bar ? Qt::SizeAllCursor
                                      : Qt::SizeHorCursor);
        update();
        return;
    }
    const double fine = (event->modifiers() & Qt::ShiftModifier) != 0 ? 0.2 : 1;
    const QPointF moved = fine * (event->position() - m_dragFrom);
    const double factor = std::pow(kHighestShownHz / kLowestShownHz, moved.x() / plot().width());
    change(m_grip == Grip::Bar ? tr("Move") : tr("Width"), [&](EqBand& b) {
        if (m_grip == Grip::Bar) {
            b.frequencyHz = m_dragBand.frequencyHz * factor;
            if (session::appliesTo("gain_db", b.kind))
                b.gainDb = std::round(10 * (m_dragBand.gainDb - moved.y() / pixelsPerDb())) / 10;
            else if (dsp::isPass(b.kind)) // up and down: steeper and gentler
                b.slopeDbPerOct = m_dragBand.slopeDbPerOct + 6 * std::round(moved.y() / 30);
            return;
        }
        const double sign = m_grip == Grip::HighEdge ? 1 : -1;
        b.q = qOfEdge(edgeRatio(m_dragBand.q) * std::pow(factor, sign));
    });
}

void TonePicture::mouseReleaseEvent(QMouseEvent*) {
    m_grip = Grip::None;
    m_desk.document.endMerge();
}

void TonePicture::mouseDoubleClickEvent(QMouseEvent* event) {
    if (!plot().contains(event->position()) || gripAt(event->position()).first != session::kNoId)
        return;
    const double hz = hzAt(event->position().x());
    const double gain = (yOf(before(hz)) - event->position().y()) / pixelsPerDb();
    addBand(FilterKind::Bell, hz, std::clamp(std::round(2 * gain) / 2, -18.0, 18.0));
}

void TonePicture::wheelEvent(QWheelEvent* event) {
    const auto id = gripAt(event->position()).first;
    if (id != session::kNoId)
        chooseBand(id);
    if (band() == nullptr)
        return;
    change(tr("Width"), [&](EqBand& b) { b.q *= std::pow(1.1, event->angleDelta().y() / 120.0); });
    event->accept();
}

void TonePicture::keyPressEvent(QKeyEvent* event) {
    const double fine = (event->modifiers() & Qt::ShiftModifier) != 0 ? 0.2 : 1;
    if (event->key() == Qt::Key_H && !event->isAutoRepeat()) {
        emit hearKey(true);
        return;
    }
    if (event->key() == Qt::Key_B) {
        addBand(FilterKind::Bell, 1000, 0);
        return;
    }
    if (band() == nullptr) {
        QWidget::keyPressEvent(event);
        return;
    }
    switch (event->key()) {
    case Qt::Key_Up:
        change(tr("Gain"), [&](EqBand& b) { b.gainDb += 0.5 * fine; });
        break;
    case Qt::Key_Down:
        change(tr("Gain"), [&](EqBand& b) { b.gainDb -= 0.5 * fine; });
        break;
    case Qt::Key_Right:
        change(tr("Frequency"), [&](EqBand& b) { b.frequencyHz *= std::pow(2, fine / 24); });
        break;
    case Qt::Key_Left:
        change(tr("Frequency"), [&](EqBand& b) { b.frequencyHz /= std::pow(2, fine / 24); });
        break;
    case Qt::Key_Plus:
    case Qt::Key_Equal:
        change(tr("Width"), [](EqBand& b) { b.q /= 1.1; });
        break;
    case Qt::Key_Minus:
        change(tr("Width"), [](EqBand& b) { b.q *= 1.1; });
        break;
    case Qt::Key_Delete:
    case Qt::Key_Backspace:
        removeChosen();
        break;
    case Qt::Key_N: {
        const auto list = bands();
        const auto it =
            std::find_if(list.begin(), list.end(), [&](const EqBand& b) { return b.id == m_chosen; });
        chooseBand(it == list.end() || it + 1 == list.end() ? list.front().id : (it + 1)->id);
        break;
    }
    default:
        QWidget::keyPressEvent(event);
    }
}

void TonePicture::keyReleaseEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_H && !event->isAutoRepeat())
        emit hearKey(false);
    else if (!event->isAutoRepeat())
        m_desk.document.endMerge();
}

void TonePicture::leaveEvent(QEvent*) {
    m_pointer = {-1, -1};
    update();
}

} // namespace cask::app
