#include "app/bench/tone_picture.h"

#include "app/theme/theme.h"
#include "core/dsp/eq_design.h"
#include "core/session/edits.h"
#include "core/session/parameters.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

using dsp::EqBand;
using dsp::FilterKind;
using measure::Spectrum;

constexpr double kLowHz = 20;
constexpr double kHighHz = 20000;
constexpr int kSmoothPoints = 3; // on each side: a quarter of an octave in all

bool isPass(FilterKind kind) {
    return kind == FilterKind::HighPass || kind == FilterKind::LowPass;
}

/// Half-gain edges of a bell, as a share of its centre.
double edgeRatio(double q) {
    return std::sqrt(1 + 1 / (4 * q * q)) + 1 / (2 * q);
}

double qOfEdge(double ratio) {
    ratio = std::max(1.0005, ratio);
    return ratio / (ratio * ratio - 1);
}

QString hzWords(double hz) {
    return hz >= 999.5 ? QStringLiteral("%1 kHz").arg(hz / 1000, 0, 'g', 3)
                       : QStringLiteral("%1 Hz").arg(std::lround(hz));
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
    return plot().left() + std::log(hz / kLowHz) / std::log(kHighHz / kLowHz) * plot().width();
}
double TonePicture::hzAt(double x) const {
    return kLowHz * std::pow(kHighHz / kLowHz, (x - plot().left()) / plot().width());
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
            if (Spectrum::pointHz(i) >= kLowHz)
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
    if (isPass(b.kind))
        return tr("%1 %2, %3 dB/oct").arg(words, hzWords(b.frequencyHz)).arg(b.slopeDbPerOct);
    if (b.kind == FilterKind::Notch)
        return tr("%1 %2").arg(words, hzWords(b.frequencyHz));
    const QString gain = (b.gainDb > 0 ? QStringLiteral("+") : QString()) + dbText(b.gainDb);
    if (b.kind != FilterKind::Bell)
        return tr("%1 %2, %3 dB").arg(words, hzWords(b.frequencyHz), gain);
    const QString width = b.q < 0.9   ? tr("broad")
                          : b.q < 2.5 ? tr("medium")
                          : b.q < 7   ? tr("narrow")
                                      : tr("very narrow");
    return tr("%1, %2 dB, %3").arg(hzWords(b.frequencyHz), gain, width);
}

TonePicture::Bracket TonePicture::bracketOf(const EqBand& b) const {
    const QRectF area = plot();
    Bracket r;
    const double base = before(std::clamp(b.frequencyHz, kLowHz, kHighHz));
    r.base = std::clamp(yOf(base), area.top() + 20, area.bottom() - 4);
    const double gain = b.kind == FilterKind::Notch ? -18 : isPass(b.kind) ? -6 : b.gainDb;
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
        r.x0 = xOf(b.frequencyHz);
        r.x1 = area.right();
        break;
    case FilterKind::Bell:
    case FilterKind::Notch:
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
        const bool hasEdges = b.kind == FilterKind::Bell || b.kind == FilterKind::Notch;
        if (hasEdges && at.y() >= top && at.y() <= bottom && std::abs(at.x() - xOf(b.frequencyHz)) > 5) {
            if (std::abs(at.x() - r.x0) < 6)
                return {b.id, Grip::LowEdge};
            if (std::abs(at.x() - r.x1) < 6)
                return {b.id, Grip::HighEdge};
        }
        if (std::abs(at.y() - r.bar) < 8 && at.x() >= r.x0 - 8 && at.x() <= r.x1 + 8)
            return {b.id, Grip::Bar};
        if (isPass(b.kind) && std::abs(at.x() - xOf(b.frequencyHz)) < 7)
            return {b.id, Grip::Bar};
    }
    return {session::kNoId, Grip::None};
}

void TonePicture::paintAxes(QPainter& p) const {
    const Theme& t = theme();
    const QRectF area = plot();
    p.setFont(textFont(11));
    for (const double hz : {20, 30, 50, 100, 200, 300, 500, 1000, 2000, 3000, 5000, 10000, 20000}) {
        const bool strong = hz == 100 || hz == 1000 || hz == 10000;
        p.setPen(QPen(t.line, 1, strong ? Qt::SolidLine : Qt::DotLine));
        p.drawLine(QPointF(xOf(hz), area.top()), QPointF(xOf(hz), area.bottom()));
        p.setPen(t.faint);
        const QString text = hz >= 1000 ? QStringLiteral("%1k").arg(hz / 1000) : QString::number(hz);
        p.drawText(QRectF(xOf(hz) - 24, area.bottom() + 4, 48, 16), Qt::AlignHCenter,
                   hz == 20 ? text + QStringLiteral(" Hz") : text);
    }
    const double step = m_before.empty() ? 6 : 12;
    for (double db = std::floor(m_topDb / step) * step; db >= m_bottomDb; db -= step) {
        p.setPen(QPen(t.line, 1, db == 0 ? Qt::SolidLine : Qt::DotLine));
        p.drawLine(QPointF(area.left(), yOf(db)), QPointF(area.right(), yOf(db)));
        p.setPen(t.faint);
        p.drawText(QRectF(0, yOf(db) - 8, area.left() - 6, 16), Qt::AlignRight | Qt::AlignVCenter,
                   dbText(db, 0) + QStringLiteral(" dB"));
    }
}

void TonePicture::paintCurves(QPainter& p) const {
    const Theme& t = theme();
    const QRectF area = plot();
    const auto* chain = m_desk.document.session().chain(m_desk.document.selected());
    if (chain == nullptr)
        return;
    // All sections are designed once, then read at every pixel column.
    const double rate = m_desk.document.session().sampleRateHz;
    std::vector<dsp::SvfCoefficients> sections;
    for (const auto& module : *chain)
        if (const auto* eq = std::get_if<dsp::EqSettings>(&module.settings); eq != nullptr && module.isOn)
            for (const auto& b : eq->bands)
                for (const auto& c : dsp::designBand(b, rate))
                    sections.push_back(c);
    QPainterPath was;
    QPainterPath willBe;
    const double topHz = std::min(kHighHz, 0.49 * rate);
    for (double x = area.left(); x <= area.right(); x += 1) {
        const double hz = hzAt(x);
        if (hz > topHz)
            break;
        double response = 0;
        for (const auto& c : sections)
            response += powerToDb(dsp::magnitudeSquared(c, hz, rate));
        const QPointF a(x, std::clamp(yOf(before(hz)), area.top(), area.bottom()));
        const QPointF b(x, std::clamp(yOf(before(hz) + response), area.top(), area.bottom()));
        was.elementCount() == 0 ? was.moveTo(a) : was.lineTo(a);
        willBe.elementCount() == 0 ? willBe.moveTo(b) : willBe.lineTo(b);
    }
    if (willBe.elementCount() == 0)
        return;
    p.setRenderHint(QPainter::Antialiasing);
    QPainterPath filled = willBe;
    const double floor = m_before.empty() ? yOf(0) : area.bottom();
    filled.lineTo(willBe.currentPosition().x(), floor);
    filled.lineTo(area.left(), floor);
    filled.closeSubpath();
    QColor soft = t.tealSoft;
    soft.setAlpha(themeKind() == ThemeKind::Night ? 200 : 150);
    p.fillPath(filled, soft);
    p.setPen(QPen(t.teal, 1.6));
    p.drawPath(willBe);
    p.setPen(QPen(t.ink, 1, Qt::DashLine));
    p.drawPath(was);
    p.setRenderHint(QPainter::Antialiasing, false);
    // Key to the two lines.
    p.setFont(textFont(11));
    const double x = area.right() - 200;
    p.setPen(QPen(t.ink, 1, Qt::DashLine));
    p.drawLine(QPointF(x, area.top() + 10), QPointF(x + 22, area.top() + 10));
    p.setPen(t.faint);
    p.drawText(QRectF(x + 28, area.top() + 2, 60, 16), Qt::AlignVCenter,
               m_before.empty() ? tr("flat") : tr("as it was"));
    p.setPen(QPen(t.teal, 2));
    p.drawLine(QPointF(x + 98, area.top() + 10), QPointF(x + 120, area.top() + 10));
    p.setPen(t.faint);
    p.drawText(QRectF(x + 126, area.top() + 2, 74, 16), Qt::AlignVCenter, tr("as it will be"));
}

void TonePicture::paintBracket(QPainter& p, const EqBand& b) const {
    const Theme& t = theme();
    const QRectF area = plot();
    const Bracket r = bracketOf(b);
    const bool chosen = b.id == m_chosen;
    const QColor tone = !b.isOn ? t.faint : chosen ? t.ember : t.slate;
    p.setRenderHint(QPainter::Antialiasing);
    const double x0 = std::clamp(r.x0, area.left(), area.right());
    const double x1 = std::clamp(r.x1, area.left(), area.right());
    p.setPen(QPen(tone, chosen ? 2.2 : 1.5, b.isOn ? Qt::SolidLine : Qt::DotLine));
    if (isPass(b.kind)) {
        // A wall at the corner, hatched on the side that is taken away.
        const double wall = xOf(b.frequencyHz);
        p.drawLine(QPointF(wall, area.top() + 16), QPointF(wall, area.bottom()));
        QColor hatch = tone;
        hatch.setAlpha(38);
        p.fillRect(QRectF(x0, area.top() + 16, x1 - x0, area.height() - 16), QBrush(hatch, Qt::BDiagPattern));
        p.fillRect(QRectF(wall - 4, r.bar - 8, 8, 16), tone);
    } else {
        p.drawLine(QPointF(x0, r.base), QPointF(x0, r.bar));
        p.drawLine(QPointF(x1, r.base), QPointF(x1, r.bar));
        p.drawLine(QPointF(x0, r.bar), QPointF(x1, r.bar));
        // A short tick at the centre says where the frequency is.
        const double c = xOf(b.frequencyHz);
        p.drawLine(QPointF(c, r.bar - 4), QPointF(c, r.bar + 4));
    }
    p.setRenderHint(QPainter::Antialiasing, false);
    p.setFont(textFont(12, chosen ? QFont::DemiBold : QFont::Normal));
    const QString text = inWords(b) + (b.isOn ? QString() : tr(", off"));
    const double w = p.fontMetrics().horizontalAdvance(text) + 8;
    const bool isCut = r.bar > r.base;
    double y = isPass(b.kind) ? area.top() : isCut ? r.bar + 3 : r.bar - 19;
    y = std::clamp(y, area.top(), area.bottom() - 18);
    const double middle = isPass(b.kind) ? (b.kind == FilterKind::HighPass ? xOf(b.frequencyHz) + w / 2 + 6
                                                                           : xOf(b.frequencyHz) - w / 2 - 6)
                                         : (x0 + x1) / 2;
    const QRectF label(std::clamp(middle - w / 2, area.left(), area.right() - w), y, w, 16);
    QColor ground = t.paper;
    ground.setAlpha(225);
    p.fillRect(label, ground);
    p.setPen(chosen ? t.ember : t.ink);
    p.drawText(label, Qt::AlignCenter, text);
}

void TonePicture::paintPointer(QPainter& p) const {
    const QRectF area = plot();
    if (!area.contains(m_pointer) || m_grip != Grip::None)
        return;
    const Theme& t = theme();
    const double hz = hzAt(m_pointer.x());
    p.setPen(QPen(t.slate, 1, Qt::DotLine));
    p.drawLine(QPointF(m_pointer.x(), area.top()), QPointF(m_pointer.x(), area.bottom()));
    p.setFont(textFont(11));
    p.setPen(t.ink);
    const QString text =
        m_before.empty() ? hzWords(hz) : tr("%1, %2 dB").arg(hzWords(hz), dbText(before(hz)));
    const bool leftSide = m_pointer.x() > area.center().x();
    p.drawText(QRectF(leftSide ? m_pointer.x() - 126 : m_pointer.x() + 6, area.bottom() - 18, 120, 16),
               leftSide ? Qt::AlignRight : Qt::AlignLeft, text);
}

void TonePicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(rect(), theme().paper);
    paintAxes(p);
    paintCurves(p);
    for (const auto& b : bands())
        if (b.id != m_chosen)
            paintBracket(p, b);
    if (const auto* b = band())
        paintBracket(p, *b);
    paintPointer(p);
    if (bands().empty()) {
        p.setFont(textFont(13));
        p.setPen(theme().faint);
        p.drawText(plot().adjusted(0, 26, 0, 0), Qt::AlignHCenter | Qt::AlignTop,
                   tr("Double-click where a move is wanted, or choose one below."));
    }
    if (hasFocus())
        p.fillRect(QRect(0, height() - 2, width(), 2), theme().ember);
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
    const double factor = std::pow(kHighHz / kLowHz, moved.x() / plot().width());
    change(m_grip == Grip::Bar ? tr("Move") : tr("Width"), [&](EqBand& b) {
        if (m_grip == Grip::Bar) {
            b.frequencyHz = m_dragBand.frequencyHz * factor;
            if (session::appliesTo("gain_db", b.kind))
                b.gainDb = std::round(10 * (m_dragBand.gainDb - moved.y() / pixelsPerDb())) / 10;
            else if (isPass(b.kind)) // up and down: steeper and gentler
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
