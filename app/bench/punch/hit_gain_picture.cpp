#include "app/bench/punch/hit_gain_picture.h"

#include "app/picture/picture_paint.h"
#include "app/theme/theme.h"

#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

using measure::Compression;

constexpr double kLowestLevelDb = -66;
constexpr double kLeastScaleDb = 12;
constexpr double kBothDb = 0.5; // a gain that goes so far both ways is seen both ways

} // namespace

HitGainPicture::HitGainPicture(const Desk& desk, PunchModel& punch, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_punch(punch) {
    setAccessibleName(tr("Average hit before and after, and the gain over it"));
    setToolTip(tr("Line: the average hit as it comes. Area: as it leaves. Above: the gain over it, and where "
                  "the next hit comes"));
    setMinimumHeight(160);
    connect(&punch, &PunchModel::changed, this, qOverload<>(&QWidget::update));
}

QRectF HitGainPicture::plot() const {
    return QRectF(rect()).adjusted(36, 28, -44, -20);
}

std::pair<double, double> HitGainPicture::gainScale() const {
    double low = 0;
    double high = 0;
    if (const auto* c = m_punch.compression())
        for (const float db : c->gainDb) {
            low = std::min<double>(low, db);
            high = std::max<double>(high, db);
        }
    const bool raises = high > -low;
    const double most = kLeastScaleDb * std::max(1.0, std::ceil(std::max(-low, high) / kLeastScaleDb));
    if (high > kBothDb && -low > kBothDb)
        return {-most, most};
    return raises ? std::pair(0.0, most) : std::pair(-most, 0.0);
}

MsAxis HitGainPicture::times() const {
    return {plot(), -Compression::kBeforeMs, Compression::kAfterMs};
}

DbAxis HitGainPicture::gains() const {
    const QRectF r = plot();
    const auto [low, high] = gainScale();
    return {low, high, r.top() + 4 + 0.5 * r.height(), r.top() + 4};
}

DbAxis HitGainPicture::levels() const {
    return {kLowestLevelDb, 0, plot().bottom(), plot().top()};
}

std::optional<double> HitGainPicture::toNextMs() const {
    const auto* c = m_punch.compression();
    const auto* m = m_punch.material();
    if (c == nullptr || m == nullptr || c->hits.size() < 2)
        return std::nullopt;
    std::vector<double> gaps;
    for (std::size_t i = 1; i < c->hits.size(); ++i)
        gaps.push_back(1000 * (m->hits[static_cast<std::size_t>(c->hits[i].hit)].timeS -
                               m->hits[static_cast<std::size_t>(c->hits[i - 1].hit)].timeS));
    const auto middle = gaps.begin() + static_cast<std::ptrdiff_t>(gaps.size() / 2);
    std::nth_element(gaps.begin(), middle, gaps.end());
    return *middle;
}

void HitGainPicture::paintScales(QPainter& p) const {
    times().paint(p);
    levels().paintAtLeft(p, plot().left(), 12);
    if (m_punch.module() == nullptr)
        return;
    const auto [low, high] = gainScale();
    gains().paintAtRight(p, plot().right(), low, high, (high - low) / 4);
}

void HitGainPicture::paintNextHit(QPainter& p) const {
    const auto next = toNextMs();
    const auto* c = m_punch.compression();
    if (!next || c == nullptr || m_punch.module() == nullptr)
        return;
    const Theme& t = theme();
    const QRectF r = plot();
    const QString recovered =
        tr("1 dB or less is left before %1 of %2 hits").arg(c->recovered).arg(c->followed);
    const bool isSeen = *next < Compression::kAfterMs;
    if (isSeen) {
        p.setPen(QPen(t.slate, 1.4));
        p.drawLine(QPointF(xOf(*next), r.top()), QPointF(xOf(*next), r.bottom()));
    }
    const QString text =
        (isSeen ? tr("next hit; %1") : tr("next hit after %1 ms; %2").arg(std::lround(*next))).arg(recovered);
    p.setFont(textFont(11));
    const double width = p.fontMetrics().horizontalAdvance(text) + 8;
    const QRectF box(r.right() - width - 2, r.bottom() - 20, width, 17);
    QColor ground = t.paper;
    ground.setAlpha(220);
    p.fillRect(box, ground);
    p.setPen(t.ink);
    p.drawText(box, Qt::AlignCenter, text);
}

void HitGainPicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const QRectF r = plot();
    paintGround(p, rect(), tr("Average hit before and after, and the gain over it"));
    const auto* c = m_punch.compression();
    if (c == nullptr || c->beforeDb.empty()) {
        paintHint(p, r, c == nullptr ? tr("Not measured yet.") : tr("No hits to average."));
        return;
    }
    paintScales(p);
    const bool has = m_punch.module() != nullptr;
    const auto& left = has ? c->afterDb : c->beforeDb;
    const DbAxis levelAxis = levels();
    const DbAxis gainAxis = gains();
    QPainterPath after(QPointF(xOf(-Compression::kBeforeMs), r.bottom()));
    QPainterPath before;
    QPainterPath gain;
    for (std::size_t i = 0; i < left.size(); ++i) {
        const double x = xOf(static_cast<double>(i) - Compression::kBeforeMs + 0.5);
        after.lineTo(x, levelAxis.yOf(left[i]));
        const QPointF was(x, levelAxis.yOf(c->beforeDb[i]));
        i == 0 ? before.moveTo(was) : before.lineTo(was);
        const QPointF g(x, gainAxis.yOf(c->gainDb[i]));
        i == 0 ? gain.moveTo(g) : gain.lineTo(g);
    }
    after.lineTo(xOf(Compression::kAfterMs), r.bottom());
    p.fillPath(after, t.tealSoft);
    if (!has)
        return;
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(t.ochre, 1.6));
    p.drawPath(before);
    p.setPen(QPen(m_punch.module()->isOn ? t.ink : t.faint, 2));
    p.drawPath(gain);
    paintNextHit(p);
}

} // namespace cask::app
