#include "app/bench/tone/kit_tone_picture.h"

#include "app/picture/picture_paint.h"
#include "app/theme/theme.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr double kNameWidth = 110;
constexpr double kMostTotalsHeight = 84; // of the bars of the whole kit
constexpr double kOwnsShare = 0.5;       // of a band: then it has it

} // namespace

KitTonePicture::KitTonePicture(const Desk& desk, QWidget* parent) : QWidget(parent), m_desk(desk) {
    setMouseTracking(true);
    setMinimumHeight(200);
    setAccessibleName(tr("Who owns which band of the kit"));
    connect(&desk.tones, &ToneModel::changed, this, QOverload<>::of(&QWidget::update));
    connect(&desk.document, &Document::selectionChanged, this, QOverload<>::of(&QWidget::update));
}

/// A low window leaves the room to the rows.
double KitTonePicture::totalsHeight() const {
    return std::min(kMostTotalsHeight, 0.2 * height());
}

QRectF KitTonePicture::grid() const {
    return QRectF(rect()).adjusted(kNameWidth, 28, -12, -totalsHeight() - 30);
}
QRectF KitTonePicture::totals() const {
    const QRectF g = grid();
    return {g.left(), g.bottom() + 8, g.width(), totalsHeight() - 4};
}

QRectF KitTonePicture::cell(std::size_t row, int band) const {
    const QRectF g = grid();
    const double h =
        g.height() / static_cast<double>(std::max<std::size_t>(1, m_desk.tones.mix()->elements.size()));
    const double w = g.width() / measure::kErbBands;
    return {g.left() + band * w, g.top() + static_cast<double>(row) * h, w, h};
}

QPointF KitTonePicture::cellCentre(std::size_t row, int band) const {
    return cell(row, band).center();
}

std::pair<int, int> KitTonePicture::cellAt(const QPointF& at) const {
    const auto* mix = m_desk.tones.mix();
    const QRectF g = grid();
    if (mix == nullptr || mix->elements.empty() || at.y() < g.top() || at.y() >= g.bottom() ||
        at.x() > g.right())
        return {-1, -1};
    const int row =
        static_cast<int>((at.y() - g.top()) / g.height() * static_cast<double>(mix->elements.size()));
    const int band = at.x() < g.left()
                         ? -1
                         : std::min(measure::kErbBands - 1,
                                    static_cast<int>((at.x() - g.left()) / g.width() * measure::kErbBands));
    return {row, band};
}

const advise::ConflictMeasure* KitTonePicture::conflictOf(std::size_t row, int band) const {
    const auto* mix = m_desk.tones.mix();
    for (const auto& c : mix->conflicts)
        if ((c.conflict.first == row || c.conflict.second == row) && band >= c.conflict.fromBand &&
            band <= c.conflict.toBand)
            return &c;
    return nullptr;
}

QString KitTonePicture::wordsAt(const QPointF& at) const {
    const auto [row, band] = cellAt(at);
    if (row < 0 || band < 0)
        return {};
    const auto* mix = m_desk.tones.mix();
    const auto& s = m_desk.document.session();
    const auto r = static_cast<std::size_t>(row);
    QString text = tr("%1 has %2 % of the kit around %3")
                       .arg(QString::fromStdString(s.nameOf(mix->elements[r])))
                       .arg(100 * mix->picture.share[r][static_cast<std::size_t>(band)], 0, 'f', 0)
                       .arg(hzText(measure::erbBandHz(band)));
    if (const auto* c = conflictOf(r, band))
        text +=
            tr("; %1 and %2 compete here, in %3 % of their moments in this stretch")
                .arg(QString::fromStdString(s.nameOf(c->first)), QString::fromStdString(s.nameOf(c->second)))
                .arg(100 * c->conflict.worstShare, 0, 'f', 0);
    return text;
}

void KitTonePicture::paintRows(QPainter& p) const {
    const Theme& t = theme();
    const auto* mix = m_desk.tones.mix();
    const auto& s = m_desk.document.session();
    for (std::size_t row = 0; row < mix->elements.size(); ++row) {
        const bool isChosen = mix->elements[row] == m_desk.document.selected();
        const QRectF first = cell(row, 0);
        p.setFont(textFont(12, isChosen ? QFont::DemiBold : QFont::Normal));
        p.setPen(isChosen ? t.ember : t.ink);
        p.drawText(QRectF(8, first.top(), kNameWidth - 14, first.height()), Qt::AlignVCenter | Qt::AlignLeft,
                   p.fontMetrics().elidedText(QString::fromStdString(s.nameOf(mix->elements[row])),
                                              Qt::ElideRight, static_cast<int>(kNameWidth) - 14));
        for (int band = 0; band < measure::kErbBands; ++band) {
            const float share = mix->picture.share[row][static_cast<std::size_t>(band)];
            const QRectF c = cell(row, band).adjusted(0.5, 1, -0.5, -1);
            QColor fill = t.teal;
            fill.setAlphaF(std::clamp(std::sqrt(share), 0.03F, 1.0F));
            p.fillRect(c, fill);
            if (conflictOf(row, band) != nullptr) {
                p.setPen(QPen(t.ember, 1.6));
                p.drawLine(c.bottomLeft(), c.bottomRight());
                p.drawLine(c.bottomLeft(), c.topRight());
            } else if (share >= kOwnsShare && c.width() >= 16) {
                p.setFont(textFont(11));
                p.setPen(t.paper);
                p.drawText(c, Qt::AlignCenter, QString::number(std::lround(100 * share)));
            }
        }
    }
    p.setPen(QPen(t.line, 1));
    for (std::size_t row = 0; row <= mix->elements.size(); ++row) {
        const double y = grid().top() + static_cast<double>(row) * cell(0, 0).height();
        p.drawLine(QPointF(8, y), QPointF(grid().right(), y));
    }
}

/// The kit's level by band as it was and as it is, over the same bands.
void KitTonePicture::paintTotals(QPainter& p) const {
    const Theme& t = theme();
    const auto* now = m_desk.tones.mix();
    const auto* was = m_desk.tones.untouchedMix();
    const QRectF area = totals();
    float top = -200;
    for (const float db : now->picture.mixDb)
        top = std::max(top, db);
    if (was != nullptr)
        for (const float db : was->picture.mixDb)
            top = std::max(top, db);
    constexpr double kShownDb = 42;
    const auto yOf = [&](double db) {
        return std::clamp(area.top() + (top + 3 - db) / (kShownDb + 3) * area.height(), area.top(),
                          area.bottom());
    };
    p.setFont(textFont(11));
    p.setPen(t.faint);
    p.drawText(QRectF(8, area.top() - 2, kNameWidth - 14, 16), Qt::AlignLeft, tr("whole kit"));
    if (area.height() > 40)
        p.drawText(QRectF(8, area.top() + 14, kNameWidth - 14, 32), Qt::AlignLeft,
                   tr("%1 dB to\n%2 dB").arg(dbText(top, 0), dbText(top - kShownDb, 0)));
    QPainterPath line;
    for (int band = 0; band < measure::kErbBands; ++band) {
        const QRectF c = cell(0, band);
        const double y = yOf(now->picture.mixDb[static_cast<std::size_t>(band)]);
        p.fillRect(QRectF(c.left() + 1, y, c.width() - 2, area.bottom() - y), t.tealSoft);
        p.fillRect(QRectF(c.left() + 1, y, c.width() - 2, 2), t.teal);
        if (was != nullptr) {
            const double before = yOf(was->picture.mixDb[static_cast<std::size_t>(band)]);
            band == 0 ? line.moveTo(c.left(), before) : line.lineTo(c.left(), before);
            line.lineTo(c.right(), before);
        }
    }
    p.setPen(t.faint);
    double free = 0; // where the label before ends
    for (const double hz : {50, 100, 200, 500, 1000, 2000, 5000, 10000}) {
        const QString text = hz == 50     ? QStringLiteral("50 Hz")
                             : hz >= 1000 ? QStringLiteral("%1k").arg(hz / 1000)
                                          : QString::number(hz);
        const double x = area.left() + (measure::erbPlace(hz) + 0.5) * cell(0, 0).width();
        const double half = 0.5 * p.fontMetrics().horizontalAdvance(text);
        if (x - half < free)
            continue;
        free = x + half + 6;
        p.drawText(QPointF(x - half, area.bottom() + 14), text);
    }
    p.setPen(QPen(t.ink, 1));
    p.drawPath(line);
}

void KitTonePicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    const auto* mix = m_desk.tones.mix();
    const QString words = wordsAt(m_pointer);
    paintGround(p, rect(),
                !words.isEmpty()
                    ? words
                    : tr("Share of each band: darker is more, a number (%) is half or more; struck "
                         "through: two compete"));
    if (mix == nullptr || mix->elements.empty()) {
        paintHint(p, rect(),
                  m_desk.tones.isBusy() ? tr("The kit is being measured.")
                                        : tr("There is nothing to lay over each other yet."));
        return;
    }
    paintRows(p);
    paintTotals(p);
}

bool KitTonePicture::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip)
        setToolTip(wordsAt(static_cast<QHelpEvent*>(event)->pos()));
    return QWidget::event(event);
}

void KitTonePicture::mousePressEvent(QMouseEvent* event) {
    const int row = cellAt(event->position()).first;
    if (row >= 0)
        emit elementChosen(m_desk.tones.mix()->elements[static_cast<std::size_t>(row)]);
}

void KitTonePicture::mouseMoveEvent(QMouseEvent* event) {
    m_pointer = event->position();
    update();
}

void KitTonePicture::leaveEvent(QEvent*) {
    m_pointer = {-1, -1};
    update();
}

} // namespace cask::app
