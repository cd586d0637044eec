#include "app/bench/punch/driver_row.h"

#include "app/theme/theme.h"

#include <QPainter>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr double kWorthNamingPercent = 5;
constexpr double kGapPx = 2;

} // namespace

DriverRow::DriverRow(const Desk& desk, QWidget* parent) : QWidget(parent), m_desk(desk) {
    setAccessibleName(tr("Who drives the compressor"));
    setToolTip(tr("Which elements cause its gain reduction, over the take"));
    setFixedHeight(24);
    const auto follow = [this] {
        setVisible(!shares().empty());
        setAccessibleDescription(text());
        update();
    };
    connect(&desk.findings, &FindingModel::findingsChanged, this, follow);
    follow();
}

void DriverRow::showModule(Id owner, Id module) {
    m_owner = owner;
    m_module = module;
    setVisible(!shares().empty());
    setAccessibleDescription(text());
    update();
}

std::vector<DriverRow::Share> DriverRow::shares() const {
    std::vector<Share> all;
    double rest = 100;
    for (const auto& punch : m_desk.findings.punch().compressors) {
        if (punch.owner != m_owner || punch.module != m_module)
            continue;
        for (const auto& driver : punch.drivers)
            if (driver.percent >= kWorthNamingPercent) {
                all.push_back({QString::fromStdString(m_desk.document.session().nameOf(driver.element)),
                               driver.percent});
                rest -= driver.percent;
            }
    }
    if (!all.empty() && rest >= 0.5)
        all.push_back({tr("others"), rest});
    return all;
}

QString DriverRow::text() const {
    QStringList parts;
    for (const auto& share : shares())
        parts << tr("%1 %2 %").arg(share.name).arg(std::lround(share.percent));
    return parts.join(QStringLiteral(", "));
}

void DriverRow::paintEvent(QPaintEvent*) {
    QPainter p(this);
    const Theme& t = theme();
    p.setFont(textFont(12));
    const QString title = tr("driven by");
    const double from = p.fontMetrics().horizontalAdvance(title) + 12;
    p.setPen(t.ink);
    p.drawText(QRectF(0, 0, from, height()), Qt::AlignLeft | Qt::AlignVCenter, title);
    double x = from;
    const double width = this->width() - from;
    bool isFirst = true;
    for (const auto& share : shares()) {
        const QRectF part(x, 2, std::max(1.0, share.percent / 100 * width - kGapPx), height() - 4);
        p.fillRect(part, isFirst ? t.tealSoft : t.line);
        const QString said = tr("%1 %2 %").arg(share.name).arg(std::lround(share.percent));
        p.drawText(part.adjusted(6, 0, -2, 0), Qt::AlignLeft | Qt::AlignVCenter,
                   p.fontMetrics().elidedText(said, Qt::ElideRight, static_cast<int>(part.width()) - 8));
        x += share.percent / 100 * width;
        isFirst = false;
    }
}

} // namespace cask::app
