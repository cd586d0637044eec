#include "app/bench/drive/path_pictures.h"

#include "app/bench/drive/drive_plot.h"
#include "app/picture/db_axis.h"
#include "app/picture/hz_axis.h"
#include "app/picture/picture_paint.h"
#include "app/theme/theme.h"
#include "core/base/units.h"
#include "core/session/edits.h"

#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr double kDbPerPixel = 0.1;
constexpr double kLeastSendDb = -60;
constexpr double kMostSendDb = 24;
constexpr double kMostSumDb = 12;
constexpr std::size_t kNamedDips = 2;

} // namespace

const session::Bus* chosenPath(const Desk& desk) {
    const auto* bus = desk.document.session().bus(desk.document.selected());
    return bus != nullptr && bus->path ? bus : nullptr;
}

const advise::PathMeasure* pathMeasure(const Desk& desk) {
    const auto* bus = chosenPath(desk);
    if (bus == nullptr)
        return nullptr;
    const auto& paths = desk.findings.drive().paths;
    const auto it =
        std::find_if(paths.begin(), paths.end(), [&](const auto& path) { return path.path == bus->id; });
    return it == paths.end() ? nullptr : &*it;
}

SharesPicture::SharesPicture(const Desk& desk, QWidget* parent) : QWidget(parent), m_desk(desk) {
    setAccessibleName(tr("Who feeds the path"));
    setToolTip(
        tr("The height of a band is the element's part of the path. Drag a band up or down, or turn the "
           "wheel over it, to send more or less"));
    setMinimumHeight(110);
    connect(&desk.document, &Document::changed, this, qOverload<>(&QWidget::update));
    connect(&desk.findings, &FindingModel::findingsChanged, this, qOverload<>(&QWidget::update));
}

std::vector<SharesPicture::Band> SharesPicture::bands() const {
    const auto* bus = chosenPath(m_desk);
    const auto* measured = pathMeasure(m_desk);
    std::vector<Band> bands;
    if (bus == nullptr)
        return bands;
    const auto& s = m_desk.document.session();
    double all = 0;
    for (const auto& e : s.elements)
        for (const auto& send : e->out.sends) {
            if (send.bus != bus->id)
                continue;
            // As measured, moved by what the send has moved since; else all alike.
            double power = dbToPower(send.levelDb);
            if (measured != nullptr)
                for (const auto& share : measured->shares)
                    if (share.element == e->id)
                        power = share.percent * dbToPower(send.levelDb - share.sendDb);
            bands.push_back({e->id, send.levelDb, power, {}});
            all += power;
        }
    std::stable_sort(bands.begin(), bands.end(),
                     [](const Band& a, const Band& b) { return a.percent > b.percent; });
    const QRectF r = QRectF(rect()).adjusted(12, 26, -12, -12);
    constexpr double kLeastPx = 15; // a name fits
    const double spare = std::max(0.0, r.height() - kLeastPx * static_cast<double>(bands.size()));
    double y = r.top();
    for (auto& band : bands) {
        band.percent = all > 0 ? 100 * band.percent / all : 0;
        const double height = kLeastPx + spare * band.percent / 100;
        band.rect = QRectF(r.left(), y, r.width(), height - 2);
        y += height;
    }
    return bands;
}

QPointF SharesPicture::bandAt(Id element) const {
    for (const auto& band : bands())
        if (band.element == element)
            return band.rect.center();
    return {};
}

void SharesPicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    paintGround(p, rect(), tr("Who feeds the path"));
    const auto all = bands();
    if (all.empty()) {
        paintHint(p, QRectF(rect()),
                  tr("Nothing is sent here. Sends stand on the Balance bench of an element."));
        return;
    }
    p.setFont(textFont(11));
    for (const auto& band : all) {
        p.fillRect(band.rect, band.element == m_dragged ? t.chosen : t.tealSoft);
        p.setPen(t.ink);
        const QString name = QString::fromStdString(m_desk.document.session().nameOf(band.element));
        const QRectF text = band.rect.adjusted(6, 0, -6, 0);
        const QString numbers = tr("%1 %   %2 dB").arg(std::lround(band.percent)).arg(dbText(band.sendDb));
        const int width = p.fontMetrics().horizontalAdvance(numbers) + 8;
        p.drawText(text.adjusted(0, 0, -width, 0), Qt::AlignLeft | Qt::AlignVCenter,
                   p.fontMetrics().elidedText(name, Qt::ElideRight, static_cast<int>(text.width()) - width));
        p.drawText(text, Qt::AlignRight | Qt::AlignVCenter, numbers);
    }
}

void SharesPicture::send(Id element, double db, bool isDragging) {
    const auto* bus = chosenPath(m_desk);
    if (bus == nullptr)
        return;
    const double to = std::round(10 * std::clamp(db, kLeastSendDb, kMostSendDb)) / 10;
    const auto& s = m_desk.document.session();
    m_desk.document.edit(
        session::withOutput(s, element,
                            [&](session::Output& out) {
                                for (auto& one : out.sends)
                                    if (one.bus == bus->id)
                                        one.levelDb = to;
                            }),
        tr("Send level, %1 to %2")
            .arg(QString::fromStdString(s.nameOf(element)), QString::fromStdString(bus->name)),
        isDragging ? QStringLiteral("share%1-%2").arg(element).arg(bus->id) : QString());
}

void SharesPicture::mousePressEvent(QMouseEvent* event) {
    m_dragged = session::kNoId;
    for (const auto& band : bands())
        if (band.rect.contains(event->position())) {
            m_dragged = band.element;
            m_fromDb = band.sendDb;
            m_fromY = event->position().y();
        }
    update();
}

void SharesPicture::mouseMoveEvent(QMouseEvent* event) {
    if (m_dragged != session::kNoId)
        send(m_dragged, m_fromDb + kDbPerPixel * (m_fromY - event->position().y()), true);
}

void SharesPicture::mouseReleaseEvent(QMouseEvent*) {
    m_dragged = session::kNoId;
    m_desk.document.endMerge();
    update();
}

void SharesPicture::wheelEvent(QWheelEvent* event) {
    for (const auto& band : bands())
        if (band.rect.contains(event->position())) {
            send(band.element, band.sendDb + (event->angleDelta().y() > 0 ? 0.5 : -0.5), true);
            event->accept();
            return;
        }
}

SumPicture::SumPicture(const Desk& desk, QWidget* parent) : QWidget(parent), m_desk(desk) {
    setAccessibleName(tr("Dry and path together against dry alone"));
    setToolTip(
        tr("What the path adds to the dry sound, or takes away from it, where both belong together. Marks: "
           "the deepest holes and their cause"));
    setMinimumHeight(110);
    connect(&desk.findings, &FindingModel::findingsChanged, this, qOverload<>(&QWidget::update));
    connect(&desk.document, &Document::selectionChanged, this, qOverload<>(&QWidget::update));
}

void SumPicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const QRectF whole = drivePlot(rect());
    constexpr double kRoomForBothPx = 150;
    const bool hasSpectra = whole.height() > kRoomForBothPx;
    paintGround(p, rect(), hasSpectra ? tr("Dry and path; their sum, dB") : tr("Sum against dry alone, dB"));
    const auto* path = pathMeasure(m_desk);
    if (path == nullptr) {
        paintHint(p, whole, tr("Not measured yet."));
        return;
    }
    QRectF r = whole;
    if (hasSpectra) {
        r.setTop(whole.top() + 0.5 * whole.height());
        paintSpectra(p, QRectF(whole.topLeft(), QPointF(whole.right(), r.top() - 6)), *path);
    }
    paintSum(p, r, *path);
}

/// Dry as ground, the path as a line over it; deep holes of the sum reach up into both.
void SumPicture::paintSpectra(QPainter& p, const QRectF& r, const advise::PathMeasure& path) const {
    constexpr double kLowestDb = -60;
    constexpr double kHeadDb = 6;
    const Theme& t = theme();
    const auto& comb = path.comb;
    const HzAxis hz{r};
    const DbAxis axis{kLowestDb, kHeadDb, r.bottom(), r.top()};
    axis.paintAtLeft(p, r.left(), 20);
    const auto line = [&](const std::vector<double>& db) {
        QPolygonF points;
        for (std::size_t i = 0; i < std::min(comb.hz.size(), db.size()); ++i)
            points << QPointF(hz.xOf(comb.hz[i]), axis.yOf(std::clamp(db[i], kLowestDb, kHeadDb)));
        return points;
    };
    QPolygonF ground = line(comb.dryDb);
    if (ground.isEmpty())
        return;
    ground << QPointF(ground.last().x(), r.bottom()) << QPointF(ground.first().x(), r.bottom());
    p.setPen(Qt::NoPen);
    QColor dry = t.slate;
    dry.setAlpha(70);
    p.setBrush(dry);
    p.drawPolygon(ground);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(t.teal, 1.6));
    p.drawPolyline(line(comb.wetDb));
    p.setPen(QPen(t.ochre, 1, Qt::DotLine));
    for (std::size_t i = 0; i < std::min(kNamedDips, comb.dips.size()); ++i)
        p.drawLine(QPointF(hz.xOf(comb.dips[i].hz), r.top()),
                   QPointF(hz.xOf(comb.dips[i].hz), r.bottom() + 6));
    p.setFont(textFont(11));
    p.setPen(t.slate);
    p.drawText(QRectF(r.right() - 120, r.top(), 60, 14), Qt::AlignRight | Qt::AlignVCenter, tr("dry"));
    p.setPen(t.teal);
    p.drawText(QRectF(r.right() - 56, r.top(), 54, 14), Qt::AlignRight | Qt::AlignVCenter, tr("path"));
}

void SumPicture::paintSum(QPainter& p, const QRectF& r, const advise::PathMeasure& path) const {
    const Theme& t = theme();
    const HzAxis hz{r};
    hz.paint(p);
    const DbAxis axis{-kMostSumDb, kMostSumDb, r.bottom(), r.top()};
    axis.paintAtLeft(p, r.left(), 6);
    p.setPen(t.faint);
    p.drawLine(QPointF(r.left(), axis.yOf(0)), QPointF(r.right(), axis.yOf(0)));
    constexpr double kTogether = 0.5;
    for (std::size_t i = 1; i < path.comb.hz.size(); ++i) {
        const bool isTogether = path.comb.coherence[i] > kTogether && path.comb.coherence[i - 1] > kTogether;
        p.setPen(QPen(isTogether ? t.teal : t.slate, isTogether ? 2 : 1,
                      isTogether ? Qt::SolidLine : Qt::DotLine));
        p.drawLine(QPointF(hz.xOf(path.comb.hz[i - 1]),
                           axis.yOf(std::clamp(path.comb.sumDb[i - 1], -kMostSumDb, kMostSumDb))),
                   QPointF(hz.xOf(path.comb.hz[i]),
                           axis.yOf(std::clamp(path.comb.sumDb[i], -kMostSumDb, kMostSumDb))));
    }
    p.setFont(textFont(11));
    for (std::size_t i = 0; i < std::min(kNamedDips, path.comb.dips.size()); ++i) {
        const auto& dip = path.comb.dips[i];
        const QPointF at(hz.xOf(dip.hz), axis.yOf(-std::min(dip.depthDb, kMostSumDb)));
        p.setPen(QPen(t.ochre, 1.6));
        p.drawLine(at, QPointF(at.x(), axis.yOf(0)));
        const QString cause = dip.cause == measure::CombCause::Delay      ? tr("delay")
                              : dip.cause == measure::CombCause::Polarity ? tr("polarity")
                                                                          : tr("phase");
        const QString text = tr("%1 dB, %2, %3").arg(dbText(-dip.depthDb), hzText(dip.hz), cause);
        const double width = p.fontMetrics().horizontalAdvance(text) + 4;
        const double x = std::clamp(at.x() - width / 2, r.left() + 2, r.right() - width - 2);
        p.setPen(t.ink);
        p.drawText(
            QRectF(x, std::min(r.bottom() - 16 - 15.0 * static_cast<double>(i), at.y() + 2), width, 15),
            Qt::AlignCenter, text);
    }
}

} // namespace cask::app
