#include "app/bench/drive/push_picture.h"

#include "app/picture/db_axis.h"
#include "app/picture/picture_paint.h"
#include "app/theme/theme.h"

#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace cask::app {

PushPicture::PushPicture(const Desk& desk, QWidget* parent) : QWidget(parent), m_desk(desk) {
    setAccessibleName(tr("Push test"));
    setToolTip(
        tr("The kit driven into this chain from -12 to +18 dB: what is new in the hits of each drum. A line "
           "ends where its drum breaks by the house style"));
    setMinimumHeight(110);
    connect(&desk.findings, &FindingModel::findingsChanged, this, qOverload<>(&QWidget::update));
    connect(&desk.document, &Document::selectionChanged, this, qOverload<>(&QWidget::update));
}

const advise::PushMeasure* PushPicture::push() const {
    const auto& pushes = m_desk.findings.drive().pushes;
    const auto it = std::find_if(pushes.begin(), pushes.end(),
                                 [&](const auto& one) { return one.node == m_desk.document.selected(); });
    return it == pushes.end() ? nullptr : &*it;
}

void PushPicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const QRectF r = QRectF(rect()).adjusted(40, 26, -122, -34); // names stand at the ends
    const auto* found = push();
    paintGround(p, rect(), tr("Push test: what is new in each drum's hits, dB"));
    if (found == nullptr) {
        paintHint(p, r, tr("Not measured yet."));
        return;
    }
    constexpr double kLeastDb = -48;
    const DbAxis axis{kLeastDb, 0, r.bottom(), r.top()};
    axis.paintAtLeft(p, r.left(), 12);
    const auto& drives = measure::kPushDrivesDb;
    const auto xOf = [&](double driveDb) {
        return r.left() + (driveDb - drives.front()) / (drives.back() - drives.front()) * r.width();
    };
    p.setFont(textFont(11));
    for (const double drive : drives) {
        p.setPen(drive == 0 ? t.faint : t.line);
        p.drawLine(QPointF(xOf(drive), r.top()), QPointF(xOf(drive), r.bottom()));
        p.setPen(t.faint);
        if (std::fmod(drive, 6) == 0)
            p.drawText(QRectF(xOf(drive) - 30, r.bottom() + 3, 60, 14), Qt::AlignHCenter | Qt::AlignTop,
                       (drive > 0 ? QStringLiteral("+") : QString()) + dbText(drive, 0));
    }
    p.drawText(QRectF(r.left(), r.bottom() + 16, r.width(), 16), Qt::AlignRight | Qt::AlignVCenter,
               tr("drive into the chain, dB"));
    const auto hits = m_desk.hits.shared();
    std::vector<double> taken; // heights of names
    for (const auto& drum : found->drums) {
        const bool breaks = drum.why != measure::PushBreak::None;
        QPainterPath line;
        QPointF last;
        for (std::size_t i = 1; i < drum.bentDb.size(); ++i) {
            const double drive = breaks ? std::min(drives[i], drum.breaksAtDb) : drives[i];
            const double share = (drive - drives[i - 1]) / (drives[i] - drives[i - 1]);
            const double was = std::max(kLeastDb, drum.bentDb[i - 1]);
            const double db = was + std::max(0.0, share) * (std::max(kLeastDb, drum.bentDb[i]) - was);
            last = QPointF(xOf(drive), axis.yOf(db));
            if (i == 1)
                line.moveTo(xOf(drives[0]), axis.yOf(was));
            line.lineTo(last);
            if (breaks && drives[i] >= drum.breaksAtDb)
                break;
        }
        p.setBrush(Qt::NoBrush);
        p.setPen(QPen(breaks && drum.breaksAtDb <= 0 ? t.ochre : t.teal, 1.8));
        p.drawPath(line);
        if (breaks) {
            p.drawLine(last + QPointF(-4, -4), last + QPointF(4, 4));
            p.drawLine(last + QPointF(-4, 4), last + QPointF(4, -4));
        }
        // The nearest free height within the picture.
        constexpr double kLinePx = 13;
        const auto isFree = [&](double at) {
            return at >= r.top() - kLinePx && at <= height() - kLinePx / 2 &&
                   std::none_of(taken.begin(), taken.end(),
                                [&](double other) { return std::abs(other - at) < kLinePx; });
        };
        double y = last.y();
        for (double off = 0; off < r.height() + 2 * kLinePx; off += 2) {
            if (isFree(last.y() + off) || isFree(last.y() - off)) {
                y = isFree(last.y() + off) ? last.y() + off : last.y() - off;
                break;
            }
        }
        taken.push_back(y);
        const QString name = hits == nullptr
                                 ? QString()
                                 : QString::fromStdString(hits->nameOf(drum.drum, m_desk.document.session()));
        p.setPen(t.ink);
        const QString text = breaks ? tr("%1 %2 dB")
                                          .arg(name, (drum.breaksAtDb > 0 ? QStringLiteral("+") : QString()) +
                                                         dbText(drum.breaksAtDb))
                                    : tr("%1 holds").arg(name);
        p.drawText(QRectF(r.right() + 6, y - 7, 112, 14), Qt::AlignLeft | Qt::AlignVCenter,
                   p.fontMetrics().elidedText(text, Qt::ElideMiddle, 112));
    }
}

} // namespace cask::app
