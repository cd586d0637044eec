// How the Board is drawn.
#include "app/board/board.h"
#include "app/theme/theme.h"

#include <QPaintEvent>
#include <QPainter>
#include <QPainterPath>

namespace cask::app {

void Board::paintCell(QPainter& p, const QRect& rect, Id id, Stage stage) {
    ++m_paintedCells;
    const Theme& t = theme();
    const bool chosen = id == m_desk.document.selected() && stage == m_desk.document.stage();
    if (chosen) {
        p.fillRect(rect, t.chosen);
        p.fillRect(QRect(rect.left(), rect.bottom() - 1, rect.width(), 2), hasFocus() ? t.ember : t.teal);
    }
    QString text = cellText(id, stage);
    if (isRidden(id, stage)) { // a small wave at the foot of the cell
        p.setRenderHint(QPainter::Antialiasing);
        p.setPen(QPen(t.ink, 1.2));
        QPainterPath wave(QPointF(rect.right() - 19, rect.bottom() - 1));
        wave.cubicTo(rect.right() - 14, rect.bottom() - 5, rect.right() - 9, rect.bottom() + 3,
                     rect.right() - 4, rect.bottom() - 1);
        p.drawPath(wave);
        p.setRenderHint(QPainter::Antialiasing, false);
    }
    const auto worst = m_desk.findings.worstOpen(id, stage);
    const bool saysNothing = text == QStringLiteral("\u00b7");
    if (worst) {
        // A fault is a struck mark in red, advice an open ring: as in the list of findings.
        const QPoint at(rect.left() + (saysNothing ? rect.width() - 10 : 5), rect.center().y());
        if (*worst == advise::Severity::Fault) {
            p.setFont(textFont(13, QFont::Bold));
            p.setPen(t.ember);
            p.drawText(QRect(at.x() - 6, rect.top(), 12, rect.height()), Qt::AlignCenter,
                       QStringLiteral("!"));
        } else {
            p.setRenderHint(QPainter::Antialiasing);
            p.setPen(QPen(t.ink, 1.4));
            p.setBrush(Qt::NoBrush);
            p.drawEllipse(QPointF(at), 3.0, 3.0);
            p.setRenderHint(QPainter::Antialiasing, false);
        }
        if (saysNothing)
            return;
    }
    const bool quiet = saysNothing || text == QStringLiteral("ok") ||
                       (stage == Stage::Balance && m_desk.document.session().output(id)->levelDb == 0);
    p.setFont(textFont(12, worst ? QFont::DemiBold : QFont::Normal));
    p.setPen(quiet && !worst ? t.faint : t.ink);
    const int room = rect.width() - (worst ? 13 : 3);
    if (p.fontMetrics().horizontalAdvance(text) > room)
        p.setFont(textFont(11));
    p.drawText(rect.adjusted(-4, 0, -3, 0), Qt::AlignRight | Qt::AlignVCenter, text);
}

/// The line between the rows where a dragged one would come.
void Board::paintDrop(QPainter& p) {
    if (!m_dropY)
        return;
    int y = 0;
    for (const auto& row : m_rows)
        if (m_desk.document.session().element(row.id) != nullptr)
            y = *m_dropY < row.top + row.height / 2 && y == 0 ? row.top : y;
    if (y == 0) // behind the last element
        for (const auto& row : m_rows)
            if (m_desk.document.session().element(row.id) != nullptr)
                y = std::max(y, row.top + row.height);
    p.fillRect(QRect(kNameX - 8, y - 1, kNamePx + 8, 2), theme().ember);
}

void Board::paintMarks(QPainter& p, Id id) {
    const Theme& t = theme();
    const auto& out = *m_desk.document.session().output(id);
    p.setRenderHint(QPainter::Antialiasing);
    // Solo: a dot inside a ring. Mute: a cross.
    const QRectF alone = QRectF(aloneRect(id)).adjusted(3, 3, -3, -3);
    p.setPen(QPen(out.isAlone ? t.teal : t.line, 1.5));
    p.setBrush(Qt::NoBrush);
    p.drawEllipse(alone);
    if (out.isAlone) {
        p.setBrush(t.teal);
        p.drawEllipse(alone.adjusted(2.5, 2.5, -2.5, -2.5));
    }
    const QRectF silent = QRectF(silentRect(id)).adjusted(3, 3, -3, -3);
    p.setPen(QPen(out.isMuted ? t.ink : t.line, out.isMuted ? 2 : 1.5));
    p.setBrush(Qt::NoBrush);
    p.drawLine(silent.bottomLeft(), silent.topRight());
    p.drawLine(silent.topLeft(), silent.bottomRight());
    p.setRenderHint(QPainter::Antialiasing, false);
}

/// A corner that points down where rows follow, and to the right where they are folded.
void Board::paintFold(QPainter& p, const QRect& rect, bool isFolded) {
    const QPointF c = QRectF(rect).center();
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(theme().faint, 1.5));
    const std::array<QPointF, 3> points =
        isFolded ? std::array{c + QPointF(-2, -4), c + QPointF(2, 0), c + QPointF(-2, 4)}
                 : std::array{c + QPointF(-4, -2), c + QPointF(0, 2), c + QPointF(4, -2)};
    p.drawPolyline(points.data(), 3);
    p.setRenderHint(QPainter::Antialiasing, false);
}

void Board::paintHeading(QPainter& p, const Row& row) {
    const Theme& t = theme();
    p.setFont(textFont(11));
    p.setPen(t.faint);
    const bool isFolded = m_folded.contains(session::kNoId);
    const QString words = isFolded ? tr("%1 buses").arg(m_desk.document.session().buses.size()) : tr("Buses");
    p.drawText(QRect(kNameX, row.top, 200, row.height), Qt::AlignLeft | Qt::AlignVCenter, words);
    const int from = kNameX + p.fontMetrics().horizontalAdvance(words) + 8;
    p.fillRect(QRect(from, row.top + row.height / 2, kWidth - from - 8, 1), t.line);
    paintFold(p, foldRect(row.id), isFolded);
}

void Board::paintName(QPainter& p, const Row& row) {
    const Theme& t = theme();
    const auto& s = m_desk.document.session();
    const bool chosen = m_desk.document.isInSelection(row.id);
    if (chosen)
        p.fillRect(QRect(kNameX - 4, row.top, kNamePx, row.height - 1), t.chosen);
    if (row.id == m_desk.document.selected())
        p.fillRect(QRect(kNameX - 8, row.top + 2, 3, row.height - 6), t.ember);
    const bool isFolded = s.bus(row.id) != nullptr && m_folded.contains(row.id);
    if (s.bus(row.id) != nullptr && elementsOf(row.id) > 0)
        paintFold(p, foldRect(row.id).adjusted(0, 0, -5, -2), isFolded);
    p.setFont(textFont(13, chosen ? QFont::DemiBold : QFont::Normal));
    p.setPen(s.output(row.id)->isMuted ? t.faint : t.ink);
    QString name = QString::fromStdString(s.nameOf(row.id));
    if (isFolded)
        name += QStringLiteral(" +%1").arg(elementsOf(row.id));
    const QString role = roleText(row.id);
    const int textPx = role.isEmpty() ? row.height - 4 : 18;
    p.drawText(QRect(kNameX, row.top, kNamePx, textPx), Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(name, Qt::ElideMiddle, kNamePx - 6));
    if (!role.isEmpty()) {
        p.setFont(textFont(11));
        p.setPen(role.endsWith(QLatin1Char('?')) ? t.ink : t.faint);
        p.drawText(QRect(kNameX, row.top + 15, kNamePx, 14), Qt::AlignLeft | Qt::AlignVCenter, role);
    }
    // The level line: from -60 dBFS to full scale.
    const double level = m_levelDb.contains(row.id) ? m_levelDb.at(row.id) : kSilenceDb;
    const int line = row.top + row.height - 5;
    p.fillRect(QRect(kNameX, line, kLinePx, 1), t.line);
    if (level > kLeastDb)
        p.fillRect(QRect(kNameX, line - 1, levelPx(level), 2), t.teal);
    if (m_clipped.contains(row.id))
        p.fillRect(clipRect(row.id), t.ember);
}

void Board::paintRow(QPainter& p, const Row& row, const QRegion& dirty) {
    if (row.id == session::kNoId) {
        paintHeading(p, row);
        return;
    }
    if (m_desk.document.session().output(row.id) == nullptr)
        return; // of the session before: a progress bar paints at once, before the rows follow
    paintName(p, row);
    if (!dirty.intersects(QRect(kMarksX, row.top, width() - kMarksX, row.height)))
        return;
    const auto* bus = m_desk.document.session().bus(row.id);
    if (bus == nullptr || !bus->isMaster)
        paintMarks(p, row.id);
    for (const Stage stage : kStages)
        if (const QRect cell = cellRect(row.id, stage); dirty.intersects(cell.adjusted(-6, 0, 6, 2)))
            paintCell(p, cell, row.id, stage);
}

void Board::paintEvent(QPaintEvent* event) {
    QPainter p(this);
    const Theme& t = theme();
    p.setFont(textFont(11));
    p.setPen(t.faint);
    p.drawText(QRect(kNameX, 0, 100, kHeadPx), Qt::AlignLeft | Qt::AlignVCenter, tr("Board"));
    for (const Stage stage : kStages) {
        const QRect r(kCellsX + placeOf(stage) * kCellPx - 16, 0, kCellPx + 11, kHeadPx);
        const bool chosen = stage == m_desk.document.stage();
        p.setFont(textFont(11, chosen ? QFont::DemiBold : QFont::Normal));
        p.setPen(chosen ? t.ink : t.faint);
        p.drawText(r, Qt::AlignRight | Qt::AlignVCenter, stageName(stage));
    }
    p.fillRect(QRect(kNameX, kHeadPx - 2, kWidth - kNameX - 8, 1), t.line);
    for (const auto& row : m_rows)
        if (event->region().intersects(QRect(0, row.top, width(), row.height)))
            paintRow(p, row, event->region());
    paintDrop(p);
    if (m_rows.empty()) {
        p.setFont(textFont(13));
        p.setPen(t.faint);
        p.drawText(QRect(kNameX, kHeadPx + 12, kWidth - 2 * kNameX, 60), Qt::AlignLeft | Qt::TextWordWrap,
                   tr("No elements yet. Each file that is imported becomes a row here."));
    }
}

} // namespace cask::app
