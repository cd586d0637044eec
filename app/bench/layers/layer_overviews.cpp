// Who has which band, and which layer plays when.
#include "app/bench/layers/layer_pictures.h"
#include "app/picture/picture_paint.h"
#include "app/theme/theme.h"

#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace cask::app {

LayerBandsPicture::LayerBandsPicture(LayerModel& model, QWidget* parent) : QWidget(parent), m_model(model) {
    setAccessibleName(tr("Layers by bands"));
    setMinimumHeight(110);
    connect(&model, &LayerModel::changed, this, qOverload<>(&QWidget::update));
}

void LayerBandsPicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    paintGround(p, rect(), tr("Who has which band"));
    const QRectF r = QRectF(rect()).adjusted(12, LayerPicturePx::kHead, -12, -LayerPicturePx::kFoot);
    const auto* look = m_model.look();
    if (look == nullptr || m_model.stack() == nullptr ||
        look->judged.layers.size() != m_model.stack()->layers.size())
        return;
    const auto centres = measure::stackThirdsHz();
    const double lowest = centres.front() / 1.122;
    const double highest = centres.back() * 1.122;
    const auto xOf = [&](double hz) {
        return r.left() + std::log(hz / lowest) / std::log(highest / lowest) * r.width();
    };
    std::vector<double> bottom(centres.size(), 0);
    std::vector<double> whole(centres.size(), 0);
    for (const auto& part : look->judged.layers)
        for (std::size_t k = 0; k < part.thirdShares.size(); ++k)
            whole[k] += part.thirdShares[k];
    for (std::size_t i = 0; i < look->judged.layers.size(); ++i) {
        const auto& shares = look->judged.layers[i].thirdShares;
        if (shares.size() != centres.size())
            continue;
        QPainterPath area;
        std::vector<double> top = bottom;
        for (std::size_t k = 0; k < centres.size(); ++k)
            top[k] += whole[k] > 0 ? shares[k] / whole[k] : 0;
        area.moveTo(xOf(centres[0]), r.bottom() - bottom[0] * r.height());
        for (std::size_t k = 0; k < centres.size(); ++k)
            area.lineTo(xOf(centres[k]), r.bottom() - top[k] * r.height());
        for (std::size_t k = centres.size(); k-- > 0;)
            area.lineTo(xOf(centres[k]), r.bottom() - bottom[k] * r.height());
        QColor shade = layerShade(static_cast<int>(i));
        shade.setAlpha(static_cast<int>(i) == m_model.chosen() ? 220 : 120);
        p.fillPath(area, shade);
        bottom = top;
    }
    p.setFont(textFont(11));
    for (const double hz : {50.0, 200.0, 1000.0, 5000.0}) {
        p.setPen(t.line);
        p.drawLine(QPointF(xOf(hz), r.top()), QPointF(xOf(hz), r.bottom()));
        p.setPen(t.faint);
        p.drawText(QRectF(xOf(hz) - 40, r.bottom() + 3, 80, 14), Qt::AlignHCenter | Qt::AlignTop, hzText(hz));
    }
    p.setPen(QPen(t.ember, 1, Qt::DashLine));
    p.drawLine(QPointF(xOf(measure::StackJudgement::kLowHz), r.top()),
               QPointF(xOf(measure::StackJudgement::kLowHz), r.bottom()));
}

namespace {
constexpr int kStrikeRowPx = 14;
constexpr int kMostStrikeRows = 8; // of that height; more are lower
} // namespace

LayerStrikesPicture::LayerStrikesPicture(LayerModel& model, QWidget* parent)
    : QWidget(parent), m_model(model) {
    setAccessibleName(tr("Which layer plays when"));
    connect(&model, &LayerModel::changed, this, [this] {
        setFixedHeight(static_cast<int>(LayerPicturePx::kHead) +
                       kStrikeRowPx * std::clamp(m_model.count(), 1, kMostStrikeRows) + 8);
        update();
    });
    setFixedHeight(static_cast<int>(LayerPicturePx::kHead) + 22);
}

void LayerStrikesPicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    const Theme& t = theme();
    paintGround(p, rect(), tr("Which layer plays when"));
    if (m_model.stack() == nullptr || m_model.stack()->strikes.empty())
        return;
    const auto& strikes = m_model.stack()->strikes;
    const double from = strikes.front().timeS;
    const double span = std::max(0.1, strikes.back().timeS - from);
    const QRectF r = QRectF(rect()).adjusted(LayerPicturePx::kName, LayerPicturePx::kHead, -14, -8);
    constexpr double kTextPx = 10;
    const int rows = std::max(1, m_model.count());
    const double rowPx = r.height() / rows;
    const double scale = std::min(1.0, rowPx / kStrikeRowPx);
    p.setFont(textFont(11));
    for (int i = 0; i < rows; ++i) {
        const double y = r.top() + (i + 0.5) * rowPx;
        const auto played = m_model.playedBy(i);
        p.setPen(i == m_model.chosen() ? t.ink : t.faint);
        if (rowPx >= kTextPx || i == m_model.chosen())
            p.drawText(QRectF(10, y - 7, LayerPicturePx::kName - 16, 14), Qt::AlignLeft | Qt::AlignVCenter,
                       tr("%1 of %2").arg(played.size()).arg(strikes.size()));
        std::size_t next = 0;
        for (std::size_t k = 0; k < strikes.size(); ++k) {
            const double x = r.left() + (strikes[k].timeS - from) / span * r.width();
            const bool plays = next < played.size() && played[next] == k;
            next += plays ? 1 : 0;
            const double height = plays ? scale * (2 + 4 * strikes[k].velocity / 127) : 0.5;
            p.fillRect(QRectF(x - (plays ? 1 : 0.5), y - height, plays ? 2 : 1, 2 * height),
                       plays ? layerShade(i) : t.line);
        }
    }
    p.setPen(t.faint);
    p.drawText(QRectF(190, 6, width() - 200, 16), Qt::AlignRight | Qt::AlignVCenter,
               tr("strikes from %1 to %2 s")
                   .arg(QString::number(from, 'f', 1), QString::number(from + span, 'f', 1)));
}

} // namespace cask::app
