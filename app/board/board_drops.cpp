// Rows dragged to another place, and sounds dropped on them.
#include "app/board/board.h"
#include "app/widgets/sound_drag.h"
#include "core/session/kit_order.h"

#include <QDragEnterEvent>
#include <QMimeData>
#include <QMouseEvent>
#include <QUrl>

#include <cmath>
#include <utility>

namespace cask::app {

void Board::mouseMoveEvent(QMouseEvent* event) {
    constexpr int kDragPx = 8;
    if (m_dragged == session::kNoId || (!m_dropY && std::abs(event->pos().y() - m_press.y()) < kDragPx))
        return;
    m_dropY = event->pos().y();
    update();
}

void Board::mouseReleaseEvent(QMouseEvent*) {
    const Id dragged = std::exchange(m_dragged, session::kNoId);
    const auto y = std::exchange(m_dropY, std::nullopt);
    if (!y)
        return;
    update();
    const auto& s = m_desk.document.session();
    const Id before = dropBefore(*y);
    if (before != dragged)
        m_desk.document.edit(session::withElementBefore(s, dragged, before),
                             tr("Move %1").arg(QString::fromStdString(s.nameOf(dragged))), {},
                             Document::Spreads::No);
}

Id Board::dropBefore(int y) const {
    for (const auto& row : m_rows)
        if (m_desk.document.session().element(row.id) != nullptr && y < row.top + row.height / 2)
            return row.id;
    return session::kNoId;
}

Id Board::elementUnder(int y) const {
    const Row* row = rowAt(y);
    return row != nullptr && m_desk.document.session().element(row->id) != nullptr ? row->id : session::kNoId;
}

void Board::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasFormat(QLatin1String(kSoundsMime)))
        event->acceptProposedAction();
    else
        event->ignore(); // files are taken in by the window
}

void Board::dragMoveEvent(QDragMoveEvent* event) {
    event->setAccepted(elementUnder(event->position().toPoint().y()) != session::kNoId);
}

void Board::dropEvent(QDropEvent* event) {
    const Id element = elementUnder(event->position().toPoint().y());
    if (element == session::kNoId)
        return;
    QStringList files;
    for (const auto& url : event->mimeData()->urls())
        files << url.toLocalFile();
    event->acceptProposedAction();
    m_desk.document.select(element);
    emit soundsDropped(files);
}

} // namespace cask::app
