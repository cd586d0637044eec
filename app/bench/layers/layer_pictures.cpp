#include "app/bench/layers/layer_pictures.h"

#include "app/picture/handles.h"
#include "app/picture/picture_paint.h"
#include "app/theme/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr double kLeastSpanMs = 0.5; // two dozen samples
constexpr double kMostSpanMs = LayerModel::Look::kBeforeMs + LayerModel::Look::kAfterMs;
constexpr double kMostOffsetMs = 1000;

float peakOf(const LayerModel::Look& look) {
    float peak = 1e-6F;
    for (const auto& sound : look.sounds)
        for (const auto& channel : sound)
            for (const float x : channel)
                peak = std::max(peak, std::fabs(x));
    return peak;
}

/// A round number of milliseconds between two lines.
double stepMs(double spanMs) {
    double step = std::pow(10, std::floor(std::log10(spanMs / 4)));
    for (const double factor : {1.0, 2.0, 5.0, 10.0})
        if (spanMs / (factor * step) <= 6)
            return factor * step;
    return 10 * step;
}

} // namespace

QColor layerShade(int layer) {
    const Theme& t = theme();
    const std::array base = {t.teal, t.ochre, t.slate, t.faint};
    QColor shade = base[static_cast<std::size_t>(layer) % base.size()];
    for (int i = 0; i < layer / static_cast<int>(base.size()); ++i)
        shade = shade.lighter(125);
    return shade;
}

namespace {

constexpr std::array kGrips = {LayersPicture::Grip::Start, LayersPicture::Grip::End,
                               LayersPicture::Grip::FadeIn, LayersPicture::Grip::FadeOut};

} // namespace

LayersPicture::LayersPicture(LayerModel& model, QWidget* parent) : QWidget(parent), m_model(model) {
    setAccessibleName(tr("Layers in time"));
    setFocusPolicy(Qt::StrongFocus);
    setMinimumHeight(120);
    connect(&model, &LayerModel::changed, this, [this] {
        if (m_model.count() > 0)
            setAccessibleDescription(textOf(m_model.chosen()));
        constexpr int kLeastPx = 120;
        constexpr int kRowPx = 13; // a line of small text
        constexpr int kMostRows = 9;
        setMinimumHeight(std::max(kLeastPx, static_cast<int>(LayerPicturePx::kHead + LayerPicturePx::kFoot +
                                                             kRowPx * std::min(kMostRows, m_model.count()))));
        update();
    });
}

QRectF LayersPicture::plot() const {
    return QRectF(rect()).adjusted(LayerPicturePx::kName, LayerPicturePx::kHead, -10, -LayerPicturePx::kFoot);
}

QRectF LayersPicture::rowRect(int layer) const {
    const QRectF r = plot();
    const double height = r.height() / std::max(1, m_model.count());
    return {r.left(), r.top() + layer * height, r.width(), height};
}

double LayersPicture::xOf(double ms) const {
    const QRectF r = plot();
    return r.left() + (ms - m_fromMs) / (m_toMs - m_fromMs) * r.width();
}

QPointF LayersPicture::gripAt(Grip grip) const {
    const auto* look = m_model.look();
    const auto at = static_cast<std::size_t>(m_model.chosen());
    if (look == nullptr || m_model.stack() == nullptr || at >= look->extents.size() ||
        at >= m_model.stack()->layers.size())
        return {};
    const auto& extent = look->extents[at];
    const auto& layer = m_model.stack()->layers[at];
    if (extent.toMs <= extent.fromMs)
        return {};
    constexpr double kEdgePx = 7;
    const QRectF row = rowRect(m_model.chosen());
    const bool isFade = grip == Grip::FadeIn || grip == Grip::FadeOut;
    const double ms = grip == Grip::Start    ? extent.fromMs
                      : grip == Grip::End    ? extent.toMs
                      : grip == Grip::FadeIn ? extent.fromMs + layer.fadeInMs
                                             : extent.toMs - layer.fadeOutMs;
    const double x = xOf(ms + (m_grip == Grip::None ? m_draggedMs : grip == m_grip ? m_draggedMs : 0));
    if (grip == Grip::None || x < row.left() || x > row.right())
        return {};
    return {x, isFade ? row.top() + kEdgePx : row.bottom() - kEdgePx};
}

void LayersPicture::paintWave(QPainter& p, const QRectF& row, int layer, double shiftMs) const {
    const auto* look = m_model.look();
    if (look == nullptr || layer >= static_cast<int>(look->sounds.size()))
        return;
    const auto& sound = look->sounds[static_cast<std::size_t>(layer)];
    if (sound.empty())
        return;
    const float peak = peakOf(*look);
    const double perMs = 0.001 * look->rateHz;
    const auto frames = static_cast<std::ptrdiff_t>(sound.front().size());
    const auto frameAt = [&](double x) {
        const double ms = m_fromMs + (x - row.left()) / row.width() * (m_toMs - m_fromMs) - shiftMs;
        return (ms + LayerModel::Look::kBeforeMs) * perMs;
    };
    const auto yOf = [&](float v) {
        return row.center().y() - 0.46 * row.height() * static_cast<double>(v / peak);
    };
    p.setPen(layerShade(layer));
    const bool showsSamples = (m_toMs - m_fromMs) * perMs < row.width() / 3;
    for (int px = 0; px < static_cast<int>(row.width()); ++px) {
        const double x = row.left() + px;
        const auto from =
            std::clamp<std::ptrdiff_t>(static_cast<std::ptrdiff_t>(std::floor(frameAt(x))), 0, frames);
        const auto to = std::clamp<std::ptrdiff_t>(
            static_cast<std::ptrdiff_t>(std::floor(frameAt(x + 1))) + 1, 0, frames);
        float low = 0;
        float high = 0;
        bool isFirst = true;
        for (auto n = from; n < to; ++n)
            for (const auto& channel : sound) {
                const float v = channel[static_cast<std::size_t>(n)];
                low = isFirst ? v : std::min(low, v);
                high = isFirst ? v : std::max(high, v);
                isFirst = false;
            }
        if (!isFirst)
            p.drawLine(QPointF(x, yOf(high)), QPointF(x, std::max(yOf(low), yOf(high) + 1)));
    }
    if (!showsSamples)
        return;
    p.setBrush(layerShade(layer));
    for (auto n = std::max<std::ptrdiff_t>(0, static_cast<std::ptrdiff_t>(frameAt(row.left())));
         n < std::min<std::ptrdiff_t>(frames, static_cast<std::ptrdiff_t>(frameAt(row.right()))); ++n) {
        const double ms = static_cast<double>(n) / perMs - LayerModel::Look::kBeforeMs + shiftMs;
        p.drawEllipse(QPointF(xOf(ms), yOf(sound.front()[static_cast<std::size_t>(n)])), 2, 2);
    }
}

/// In two lines where the row has room for them.
void LayersPicture::paintName(QPainter& p, const QRectF& row, int layer, const QString& below) const {
    constexpr double kLinePx = 16;
    const Theme& t = theme();
    const bool hasRoom = row.height() >= 2 * kLinePx;
    const bool isOn = m_model.stack()->layers[static_cast<std::size_t>(layer)].isOn;
    p.setPen(isOn ? t.ink : t.faint);
    p.setFont(textFont(row.height() >= kLinePx ? 12 : 11,
                       layer == m_model.chosen() ? QFont::DemiBold : QFont::Normal));
    const QRectF name(10, row.center().y() - (hasRoom ? kLinePx : 0.5 * kLinePx), LayerPicturePx::kName - 16,
                      kLinePx);
    const QString words =
        hasRoom || below.isEmpty() ? m_model.nameOf(layer) : tr("%1, %2").arg(m_model.nameOf(layer), below);
    p.drawText(name, Qt::AlignLeft | Qt::AlignVCenter,
               QFontMetrics(p.font()).elidedText(words, Qt::ElideRight, static_cast<int>(name.width())));
    if (!hasRoom)
        return;
    p.setFont(textFont(11));
    p.setPen(t.faint);
    p.drawText(name.translated(0, kLinePx), Qt::AlignLeft | Qt::AlignVCenter, below);
}

void LayersPicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    paintGround(p, rect(), tr("Layers around a strike"));
    const QRectF r = plot();
    const int count = m_model.count();
    if (count == 0)
        return;
    p.setFont(textFont(11));
    const double step = stepMs(m_toMs - m_fromMs);
    for (double ms = std::ceil(m_fromMs / step) * step; ms <= m_toMs; ms += step) {
        p.setPen(t.line);
        p.drawLine(QPointF(xOf(ms), r.top()), QPointF(xOf(ms), r.bottom()));
        p.setPen(t.faint);
        p.drawText(QRectF(xOf(ms) - 40, r.bottom() + 3, 80, 14), Qt::AlignHCenter | Qt::AlignTop,
                   tr("%1 ms").arg(pretty(QString::number(ms, 'g', 4).toStdString())));
    }
    const auto* look = m_model.look();
    const int owner = look == nullptr ? -1 : look->judged.lowEndOwner;
    const double movedMs = m_grip == Grip::None ? m_draggedMs : 0;
    for (int i = 0; i < count; ++i) {
        const QRectF row = rowRect(i);
        const auto& layer = m_model.stack()->layers[static_cast<std::size_t>(i)];
        if (i == m_model.chosen())
            p.fillRect(QRectF(4, row.top() + 1, row.right() - 4, row.height() - 2), t.chosen);
        p.setPen(t.line);
        p.drawLine(QPointF(row.left(), row.center().y()), QPointF(row.right(), row.center().y()));
        p.save();
        p.setClipRect(row);
        paintWave(p, row, i, i == m_model.chosen() ? movedMs : 0);
        p.restore();
        const double offset = layer.offsetMs + (i == m_model.chosen() ? movedMs : 0);
        const QString below = !layer.isOn ? tr("off")
                              : offset != 0
                                  ? tr("%1 ms").arg(pretty(QString::number(offset, 'f', 2).toStdString()))
                              : i == owner && struckTogether() > 1 ? tr("owns the lows")
                                                                   : QString();
        paintName(p, row, i, below);
    }
    paintGrips(p);
    p.setPen(QPen(t.ember, 1.5));
    if (m_fromMs < 0 && m_toMs > 0)
        p.drawLine(QPointF(xOf(0), r.top() - 4), QPointF(xOf(0), r.bottom()));
}

void LayersPicture::paintGrips(QPainter& p) const {
    for (const auto grip : kGrips)
        if (const QPointF at = gripAt(grip); !at.isNull())
            paintHandle(p, at, grip == m_grip);
}

void LayersPicture::mousePressEvent(QMouseEvent* event) {
    setFocus();
    m_dragFromX = event->position().x();
    m_draggedMs = 0;
    m_grip = nearestHandle(kGrips, event->position(), [&](Grip grip) { return gripAt(grip); });
    if (m_grip != Grip::None)
        return;
    for (int i = 0; i < m_model.count(); ++i)
        if (rowRect(i).adjusted(-LayerPicturePx::kName, 0, 0, 0).contains(event->position())) {
            m_model.choose(i);
            m_isDragging = event->position().x() > LayerPicturePx::kName;
            m_dragFromX = event->position().x();
            m_draggedMs = 0;
        }
}

void LayersPicture::mouseMoveEvent(QMouseEvent* event) {
    if (!m_isDragging && m_grip == Grip::None)
        return;
    m_draggedMs = (event->position().x() - m_dragFromX) / plot().width() * (m_toMs - m_fromMs);
    update();
}

void LayersPicture::mouseReleaseEvent(QMouseEvent*) {
    constexpr double kClickPx = 3; // less is no drag
    const double px = m_draggedMs / (m_toMs - m_fromMs) * plot().width();
    const double draggedMs = std::exchange(m_draggedMs, 0);
    if (m_grip != Grip::None && std::abs(px) >= kClickPx)
        dragGrip(draggedMs);
    else if (m_isDragging && std::abs(px) >= kClickPx)
        moveBy(draggedMs);
    m_isDragging = false;
    m_grip = Grip::None;
    update();
}

void LayersPicture::wheelEvent(QWheelEvent* event) {
    const QRectF r = plot();
    const double factor = std::pow(0.8, event->angleDelta().y() / 120.0);
    const double span = std::clamp((m_toMs - m_fromMs) * factor, kLeastSpanMs, kMostSpanMs);
    const double share = std::clamp((event->position().x() - r.left()) / r.width(), 0.0, 1.0);
    const double at = m_fromMs + share * (m_toMs - m_fromMs);
    m_fromMs = std::clamp(at - share * span, -LayerModel::Look::kBeforeMs, LayerModel::Look::kAfterMs - span);
    m_toMs = m_fromMs + span;
    update();
    event->accept();
}

void LayersPicture::dragGrip(double ms) {
    const auto at = static_cast<std::size_t>(m_model.chosen());
    const auto* look = m_model.look();
    if (look == nullptr || at >= look->extents.size())
        return;
    const auto extent = look->extents[at];
    m_model.edit(
        [&](layers::Stack& stack) {
            auto& layer = stack.layers[at];
            const auto tenth = [](double x) { return std::round(10 * x) / 10; };
            // Start and end are of the file, which plays faster where it is pitched up by rate.
            const double factor = layer.keepsLength ? 1 : std::exp2(layer.pitchCents / 1200);
            const double lengthMs = extent.toMs - extent.fromMs;
            const double endMs = layer.startMs + factor * lengthMs;
            if (m_grip == Grip::Start)
                layer.startMs = tenth(std::clamp(layer.startMs + factor * ms, 0.0, endMs - 1));
            else if (m_grip == Grip::End)
                layer.endMs = tenth(std::max(layer.startMs + 1, endMs + factor * ms));
            else if (m_grip == Grip::FadeIn)
                layer.fadeInMs = tenth(std::clamp(layer.fadeInMs + ms, 0.0, lengthMs));
            else
                layer.fadeOutMs = tenth(std::clamp(layer.fadeOutMs - ms, 0.0, lengthMs));
        },
        (m_grip == Grip::Start    ? tr("Start of %1")
         : m_grip == Grip::End    ? tr("End of %1")
         : m_grip == Grip::FadeIn ? tr("Fade in of %1")
                                  : tr("Fade out of %1"))
            .arg(m_model.nameOf(m_model.chosen())));
}

void LayersPicture::moveBy(double ms) {
    const int chosen = m_model.chosen();
    if (m_model.count() == 0)
        return;
    m_model.edit(
        [&](layers::Stack& stack) {
            auto& offset = stack.layers[static_cast<std::size_t>(chosen)].offsetMs;
            offset = std::clamp(std::round(1000 * (offset + ms)) / 1000, -kMostOffsetMs, kMostOffsetMs);
        },
        tr("Offset of %1").arg(m_model.nameOf(chosen)));
}

void LayersPicture::keyPressEvent(QKeyEvent* event) {
    const double sample = m_model.look() == nullptr ? 1000.0 / 48000 : 1000 / m_model.look()->rateHz;
    const double by = (event->modifiers() & Qt::ShiftModifier) != 0 ? sample : 1;
    switch (event->key()) {
    case Qt::Key_Left:
        moveBy(-by);
        break;
    case Qt::Key_Right:
        moveBy(by);
        break;
    case Qt::Key_Up:
        m_model.choose(m_model.chosen() - 1);
        break;
    case Qt::Key_Down:
        m_model.choose(m_model.chosen() + 1);
        break;
    default:
        QWidget::keyPressEvent(event);
    }
}

} // namespace cask::app
