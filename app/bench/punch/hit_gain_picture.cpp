#include "app/bench/punch/hit_gain_picture.h"

#include "app/picture/handles.h"
#include "app/picture/picture_paint.h"
#include "app/theme/theme.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <array>
#include <cmath>

namespace cask::app {
namespace {

using measure::HitCourse;

constexpr double kLowestLevelDb = -66;
constexpr double kLeastScaleDb = 12;
constexpr double kBothDb = 0.5; // a gain that goes so far both ways is seen both ways
constexpr double kMovesDb = 0.1;
constexpr std::array kGainHandles = {HitGainPicture::Handle::Attack, HitGainPicture::Handle::Release};

/// Of the times across the picture: ms and share of the width.
constexpr std::array<std::pair<double, double>, 4> kTimes = {
    {{-HitCourse::kBeforeMs, 0.0}, {0.0, 0.06}, {20.0, 0.42}, {HitCourse::kAfterMs, 1.0}}};

/// Three digits.
double asTyped(double ms) {
    const double unit = std::pow(10.0, std::floor(std::log10(ms)) - 1);
    return std::round(ms / unit) * unit;
}

} // namespace

HitGainPicture::HitGainPicture(const Desk& desk, PunchModel& punch, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_punch(punch) {
    setAccessibleName(tr("Average hit before and after, and the gain over it"));
    setToolTip(
        tr("Line: the hit as it comes. Area: as it leaves. Above: the gain over it, and where the next "
           "hit comes. Drag attack and release sideways on the gain"));
    setMouseTracking(true);
    setMinimumHeight(160);
    connect(&punch, &PunchModel::changed, this, qOverload<>(&QWidget::update));
}

QRectF HitGainPicture::plot() const {
    return QRectF(rect()).adjusted(36, 28, -44, -20);
}

std::pair<double, double> HitGainPicture::gainScale() const {
    double low = 0;
    double high = 0;
    if (const auto* c = m_punch.course())
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

double HitGainPicture::xOf(double ms) const {
    const QRectF r = plot();
    std::size_t i = 1;
    while (i + 1 < kTimes.size() && ms > kTimes[i].first)
        ++i;
    const auto [fromMs, from] = kTimes[i - 1];
    const auto [toMs, to] = kTimes[i];
    return r.left() + (from + (ms - fromMs) / (toMs - fromMs) * (to - from)) * r.width();
}

double HitGainPicture::msAt(double x) const {
    const double share = (x - plot().left()) / plot().width();
    std::size_t i = 1;
    while (i + 1 < kTimes.size() && share > kTimes[i].second)
        ++i;
    const auto [fromMs, from] = kTimes[i - 1];
    const auto [toMs, to] = kTimes[i];
    return fromMs + (share - from) / (to - from) * (toMs - fromMs);
}

std::optional<double> HitGainPicture::farthestMs() const {
    const auto* c = m_punch.course();
    if (c == nullptr || c->gainDb.empty())
        return std::nullopt;
    const auto farthest = std::max_element(c->gainDb.begin() + HitCourse::kBeforeMs, c->gainDb.end(),
                                           [](float a, float b) { return std::abs(a) < std::abs(b); });
    if (std::abs(*farthest) < kMovesDb)
        return std::nullopt;
    return static_cast<double>(farthest - c->gainDb.begin()) - HitCourse::kBeforeMs + 0.5;
}

QPointF HitGainPicture::handleAt(Handle handle) const {
    const auto far = farthestMs();
    const auto* c = m_punch.course();
    if (m_punch.module() == nullptr || m_punch.isShaper() || m_punch.isLimiter() || !far || c == nullptr)
        return {};
    const auto s = m_punch.settings();
    const double ms = std::clamp(handle == Handle::Attack ? s.attackMs : *far + s.releaseMs, 0.0,
                                 HitCourse::kAfterMs - 1.0);
    return {xOf(ms), yOfGain(c->gainDb[static_cast<std::size_t>(ms + HitCourse::kBeforeMs)])};
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
    if (c == nullptr || m == nullptr)
        return std::nullopt;
    std::vector<double> gaps;
    for (std::size_t i = 1; i < c->hits.size(); ++i) {
        const int hit = c->hits[i - 1].hit;
        if (m_punch.chosenHit() < 0 || m_punch.chosenHit() == hit)
            gaps.push_back(1000 * (m->hits[static_cast<std::size_t>(c->hits[i].hit)].timeS -
                                   m->hits[static_cast<std::size_t>(hit)].timeS));
    }
    if (gaps.empty())
        return std::nullopt;
    const auto middle = gaps.begin() + static_cast<std::ptrdiff_t>(gaps.size() / 2);
    std::nth_element(gaps.begin(), middle, gaps.end());
    return *middle;
}

void HitGainPicture::paintScales(QPainter& p) const {
    const Theme& t = theme();
    const QRectF r = plot();
    p.setFont(textFont(11));
    const bool isNarrow = xOf(100) - xOf(20) < p.fontMetrics().horizontalAdvance(tr("%1 ms").arg(100)) + 6;
    for (const int ms : {0, 5, 10, 15, 20, 100, 200, 300}) {
        p.setPen(t.line);
        p.drawLine(QPointF(xOf(ms), r.top()), QPointF(xOf(ms), r.bottom()));
        p.setPen(t.faint);
        const bool hasUnit = ms == 20 || ms >= 100;
        if (ms % 10 == 0 && !(isNarrow && ms == 100))
            p.drawText(QRectF(xOf(ms) - 30, r.bottom() + 3, 60, 14), Qt::AlignHCenter | Qt::AlignTop,
                       hasUnit ? tr("%1 ms").arg(ms) : QString::number(ms));
    }
    // Here another scale begins.
    p.setPen(QPen(t.faint, 1, Qt::DotLine));
    p.drawLine(QPointF(xOf(20), r.top()), QPointF(xOf(20), r.bottom()));
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
    const auto chosen = std::find_if(c->hits.begin(), c->hits.end(),
                                     [&](const auto& hit) { return hit.hit == m_punch.chosenHit(); });
    const QString recovered =
        chosen != c->hits.end()
            ? tr("%1 dB are left before it").arg(dbText(chosen->leftDb))
            : tr("1 dB or less is left before %1 of %2 hits").arg(c->recovered).arg(c->followed);
    const bool isSeen = *next < HitCourse::kAfterMs;
    if (isSeen) {
        p.setPen(QPen(t.slate, 1.4));
        p.drawLine(QPointF(xOf(*next), r.top()), QPointF(xOf(*next), r.bottom()));
    }
    const QString text =
        (isSeen ? tr("next hit; %1") : tr("next hit after %1 ms; %2").arg(std::lround(*next))).arg(recovered);
    p.setFont(textFont(11));
    // In two lines where one does not hold it.
    const double whole = p.fontMetrics().horizontalAdvance(text) + 8;
    const double width = std::min(whole, r.width() - 4);
    const double height = whole > width ? 32 : 17;
    const QRectF box(r.right() - width - 2, r.bottom() - height - 3, width, height);
    QColor ground = t.paper;
    ground.setAlpha(220);
    p.fillRect(box, ground);
    p.setPen(t.ink);
    p.drawText(box, Qt::AlignCenter | Qt::TextWordWrap, text);
}

void HitGainPicture::paintHandles(QPainter& p) const {
    const Theme& t = theme();
    for (const auto handle : kGainHandles) {
        const QPointF at = handleAt(handle);
        if (at.isNull())
            continue;
        p.setFont(textFont(11));
        // Attack writes above the falling gain, release under the rising one; the lines behind shine through.
        const bool isAttack = handle == Handle::Attack;
        const QString text = isAttack ? tr("attack") : tr("release");
        const double width = p.fontMetrics().horizontalAdvance(text) + 6;
        const double left = std::min(isAttack ? at.x() + 6 : at.x() - width / 2, plot().right() - width);
        const bool isAbove = isAttack && at.y() - 20 > plot().top();
        const QRectF label(left, isAbove ? at.y() - 20 : at.y() + 6, width, 15);
        QColor ground = t.paper;
        ground.setAlpha(200);
        p.fillRect(label, ground);
        p.setPen(t.ink);
        p.drawText(label, Qt::AlignCenter, text);
        paintHandle(p, at, handle == m_dragged);
    }
}

HitGainPicture::Handle HitGainPicture::handleNear(QPointF at) const {
    const auto place = [this](Handle handle) { return handleAt(handle); };
    return nearestHandle(kGainHandles, at, place);
}

void HitGainPicture::mousePressEvent(QMouseEvent* event) {
    m_dragged = handleNear(event->position());
    update();
}

void HitGainPicture::mouseMoveEvent(QMouseEvent* event) {
    if (m_dragged == Handle::None) {
        setCursor(handleNear(event->position()) == Handle::None ? Qt::ArrowCursor : Qt::SizeHorCursor);
        return;
    }
    constexpr double kLeastAttackMs = 0.02;
    constexpr double kMostAttackMs = 200;
    constexpr double kLeastReleaseMs = 5;
    const double ms = msAt(event->position().x());
    if (m_dragged == Handle::Attack)
        m_punch.edit("attack_ms", asTyped(std::clamp(ms, kLeastAttackMs, kMostAttackMs)), true);
    else
        m_punch.edit("release_ms", asTyped(std::max(kLeastReleaseMs, ms - farthestMs().value_or(0))), true);
}

void HitGainPicture::mouseReleaseEvent(QMouseEvent*) {
    if (m_dragged != Handle::None)
        m_desk.document.endMerge();
    m_dragged = Handle::None;
    update();
}

void HitGainPicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const QRectF r = plot();
    const bool isOne = m_punch.chosenHit() >= 0;
    paintGround(p, rect(),
                isOne ? tr("One hit before and after, and the gain over it")
                      : tr("Average hit before and after, and the gain over it"));
    const auto* c = m_punch.course();
    if (c == nullptr || c->beforeDb.empty()) {
        paintHint(p, r, c == nullptr ? tr("Not measured yet.") : tr("No hits to average."));
        return;
    }
    paintScales(p);
    const bool has = m_punch.module() != nullptr;
    const auto& left = has ? c->afterDb : c->beforeDb;
    const DbAxis levelAxis = levels();
    const DbAxis gainAxis = gains();
    QPainterPath after(QPointF(xOf(-HitCourse::kBeforeMs), r.bottom()));
    QPainterPath before;
    QPainterPath gain;
    for (std::size_t i = 0; i < left.size(); ++i) {
        const double x = xOf(static_cast<double>(i) - HitCourse::kBeforeMs + 0.5);
        after.lineTo(x, levelAxis.yOf(left[i]));
        const QPointF was(x, levelAxis.yOf(c->beforeDb[i]));
        i == 0 ? before.moveTo(was) : before.lineTo(was);
        const QPointF g(x, gainAxis.yOf(c->gainDb[i]));
        i == 0 ? gain.moveTo(g) : gain.lineTo(g);
    }
    after.lineTo(xOf(HitCourse::kAfterMs), r.bottom());
    p.fillPath(after, t.tealSoft);
    if (!has)
        return;
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(t.ochre, 1.6));
    p.drawPath(before);
    p.setPen(QPen(m_punch.module()->isOn ? t.ink : t.faint, 2));
    p.drawPath(gain);
    paintNextHit(p);
    paintHandles(p);
}

} // namespace cask::app
