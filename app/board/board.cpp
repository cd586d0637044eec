#include "app/board/board.h"

#include "app/theme/theme.h"
#include "app/widgets/words.h"
#include "core/session/hearing.h"
#include "core/session/kinds.h"
#include "core/session/kit_order.h"

#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QToolTip>

#include <algorithm>
#include <cmath>
#include <utility>

namespace cask::app {
namespace {

constexpr int kLastStage = static_cast<int>(kStages.size()) - 1;

} // namespace

Board::Board(const Desk& desk, QWidget* parent) : QWidget(parent), m_desk(desk) {
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Board"));
    setFixedWidth(kWidth);
    setAcceptDrops(true);
    connect(&desk.document, &Document::changed, this, &Board::rebuild);
    connect(&desk.document, &Document::opened, this, [this] {
        m_folded.clear();
        m_hidden.clear();
        m_clipped.clear();
        rebuild();
    });
    connect(&desk.document, &Document::selectionChanged, this, &Board::rebuild);
    connect(&desk.playback, &Playback::frozenChanged, this, &Board::rebuild);
    connect(&desk.analyst, &Analyst::progressChanged, this, qOverload<>(&QWidget::update));
    connect(&desk.hits, &HitModel::hitsChanged, this, qOverload<>(&QWidget::update));
    connect(&desk.findings, &FindingModel::findingsChanged, this, [this] {
        describe();
        update();
    });
    connect(&desk.playback, &Playback::tick, this, &Board::readLevels);
    rebuild();
}

QSize Board::sizeHint() const {
    return {kWidth, m_rows.empty() ? kHeadPx : m_rows.back().top + m_rows.back().height + 4};
}

Stage Board::stageAt(int x) {
    return kStages[static_cast<std::size_t>(std::clamp((x - kCellsX) / kCellPx, 0, kLastStage))];
}

int Board::levelPx(double db) {
    return db > kLeastDb ? static_cast<int>(std::clamp((db - kLeastDb) / -kLeastDb, 0.0, 1.0) * kLinePx) : 0;
}

/// The selected one is seen wherever it was put away.
bool Board::isShown(const session::Element& e) const {
    return m_desk.document.isInSelection(e.id) || (!m_hidden.contains(e.id) && !m_folded.contains(e.out.bus));
}

int Board::elementsOf(Id bus) const {
    const auto& elements = m_desk.document.session().elements;
    return static_cast<int>(
        std::count_if(elements.begin(), elements.end(), [bus](const auto& e) { return e->out.bus == bus; }));
}

void Board::rebuild() {
    const auto played = m_desk.playback.playedFrozen();
    m_playedFrozen = {played.begin(), played.end()};
    m_rows.clear();
    int y = kHeadPx;
    const auto& s = m_desk.document.session();
    const auto add = [&](Id id, int height) {
        m_rows.push_back({id, y, height});
        y += height;
    };
    for (const auto& e : s.elements)
        if (isShown(*e))
            add(e->id, roleText(e->id).isEmpty() ? kRowPx : kTallRowPx);
    if (!s.elements.empty()) {
        add(session::kNoId, kRowPx);
        for (const auto& b : s.buses)
            if (m_desk.document.isInSelection(b->id) ||
                (!m_hidden.contains(b->id) && !m_folded.contains(session::kNoId)))
                add(b->id, roleText(b->id).isEmpty() ? kRowPx : kTallRowPx);
    }
    updateGeometry();
    setMinimumHeight(sizeHint().height());
    describe();
    update();
}

/// What a screen reader says of the chosen cell.
void Board::describe() {
    const Id id = m_desk.document.selected();
    const Stage stage = m_desk.document.stage();
    if (m_desk.document.session().output(id) == nullptr) {
        setAccessibleDescription({});
        return;
    }
    const int open = m_desk.findings.openCount(id, stage);
    setAccessibleDescription(tr("%1, %2: %3, %4 open")
                                 .arg(QString::fromStdString(m_desk.document.session().nameOf(id)),
                                      stageName(stage), cellText(id, stage),
                                      counted(open, tr("finding"), tr("findings"))));
}

void Board::setFolded(Id bus, bool on) {
    if (on)
        m_folded.insert(bus);
    else
        m_folded.erase(bus);
    rebuild();
}

void Board::hideRows(const std::vector<Id>& rows) {
    m_hidden.insert(rows.begin(), rows.end());
    // Another one is selected, so that they are seen to go.
    const auto& s = m_desk.document.session();
    const auto left = std::find_if(s.elements.begin(), s.elements.end(),
                                   [&](const auto& e) { return !m_hidden.contains(e->id); });
    if (left != s.elements.end() && m_hidden.contains(m_desk.document.selected()))
        m_desk.document.select((*left)->id);
    rebuild();
}

void Board::showHiddenRows() {
    m_hidden.clear();
    rebuild();
}

void Board::clearClips() {
    m_clipped.clear();
    update();
}

void Board::readLevels() {
    constexpr double kFullDb = -0.05;
    const bool plays = m_desk.playback.isPlaying();
    for (const auto& row : m_rows) {
        if (row.id == session::kNoId)
            continue;
        const double now = linearToDb(static_cast<double>(m_desk.playback.engine().takeLevel(row.id).peak));
        auto& shown = m_levelDb.try_emplace(row.id, kSilenceDb).first->second;
        const int before = levelPx(shown);
        shown = plays ? std::max(now, shown - 0.5) : kSilenceDb;
        // Only the line, and only when it is another one.
        if (levelPx(shown) != before)
            update(kNameX, row.top + row.height - 6, kNamePx, 2);
        if (plays && now > kFullDb && m_clipped.insert(row.id).second)
            update(clipRect(row.id));
        readCompressor(row.id, plays);
    }
}

/// A cell of Punch tells the gain while it plays; it is painted when its number is another one.
void Board::readCompressor(Id id, bool plays) {
    const auto* chain = m_desk.document.session().chain(id);
    const bool has = chain != nullptr && session::findModule<dsp::CompressorSettings>(*chain) != nullptr;
    const auto old = m_compressorDb.find(id);
    if (!plays || !has) {
        if (old != m_compressorDb.end()) {
            m_compressorDb.erase(old);
            update(cellRect(id, Stage::Punch));
        }
        return;
    }
    const double gain = m_desk.playback.engine().compressorGain(id);
    const double db = std::round(10 * linearToDb(std::max(gain, 1e-5))) / 10;
    if (old != m_compressorDb.end() && old->second == db)
        return;
    m_compressorDb[id] = db;
    update(cellRect(id, Stage::Punch));
}

const Board::Row* Board::rowAt(int y) const {
    for (const auto& row : m_rows)
        if (y >= row.top && y < row.top + row.height)
            return &row;
    return nullptr;
}

const Board::Row* Board::rowOf(Id id) const {
    const auto it = std::find_if(m_rows.begin(), m_rows.end(), [id](const Row& r) { return r.id == id; });
    return it == m_rows.end() ? nullptr : &*it;
}

QRect Board::rowRect(Id id) const {
    const Row* row = rowOf(id);
    return row == nullptr ? QRect() : QRect(0, row->top, width(), row->height);
}

QRect Board::cellRect(Id id, Stage stage) const {
    const Row* row = rowOf(id);
    return row == nullptr ? QRect()
                          : QRect(kCellsX + placeOf(stage) * kCellPx, row->top, kCellPx - 2, row->height - 2);
}

QRect Board::aloneRect(Id id) const {
    const Row* row = rowOf(id);
    return row == nullptr ? QRect() : QRect(kMarksX, row->top + (row->height - 18) / 2, 16, 16);
}

QRect Board::silentRect(Id id) const {
    return rowOf(id) == nullptr ? QRect() : aloneRect(id).translated(18, 0);
}

QRect Board::foldRect(Id bus) const {
    const Row* row = rowOf(bus);
    return row == nullptr ? QRect() : QRect(2, row->top, kNameX - 4, row->height);
}

QRect Board::clipRect(Id id) const {
    const Row* row = rowOf(id);
    return row == nullptr ? QRect() : QRect(kNameX + kLinePx + 1, row->top + row->height - 9, 7, 7);
}

/// Of all that are selected with it.
void Board::toggle(Id id, bool alone, bool isOnly) {
    auto& document = m_desk.document;
    const auto owners = document.isInSelection(id) ? document.selection() : std::vector<Id>{id};
    const auto& out = *document.session().output(id);
    const bool on = !(alone ? out.isAlone : out.isMuted);
    document.listen([&](session::Session s) {
        if (!alone)
            return session::withMute(std::move(s), owners, on);
        return isOnly ? session::withSoloOnly(std::move(s), owners)
                      : session::withSolo(std::move(s), owners, on);
    });
}

void Board::chooseByMouse(const Row& row, Qt::KeyboardModifiers keys) {
    auto& document = m_desk.document;
    if ((keys & Qt::ControlModifier) != 0) {
        document.toggleSelected(row.id);
        return;
    }
    if ((keys & Qt::ShiftModifier) == 0) {
        document.select(row.id);
        return;
    }
    // All rows from the selected one to this.
    const Row* lead = rowOf(document.selected());
    std::vector<Id> others;
    for (const auto& r : m_rows)
        if (lead != nullptr && r.id != session::kNoId && r.top >= std::min(lead->top, row.top) &&
            r.top <= std::max(lead->top, row.top))
            others.push_back(r.id);
    document.selectAlso(others);
}

void Board::mousePressEvent(QMouseEvent* event) {
    const QPoint at = event->pos();
    const Row* row = rowAt(at.y());
    if (row == nullptr || event->button() == Qt::RightButton)
        return;
    if (row->id == session::kNoId || (foldRect(row->id).contains(at) && elementsOf(row->id) > 0)) {
        setFolded(row->id, !isFolded(row->id));
        return;
    }
    const Id id = row->id;
    auto& document = m_desk.document;
    const bool isMaster = document.session().master().id == id;
    if (!isMaster && (aloneRect(id).contains(at) || silentRect(id).contains(at))) {
        toggle(id, aloneRect(id).contains(at), (event->modifiers() & Qt::AltModifier) != 0);
        return;
    }
    if (isClipped(id) && clipRect(id).adjusted(-4, -4, 4, 4).contains(at)) {
        m_clipped.erase(id);
        update();
        return;
    }
    if (at.x() < kMarksX && document.session().element(id) != nullptr) {
        m_dragged = id;
        m_press = at;
    }
    chooseByMouse(*row, event->modifiers());
    if (at.x() >= kCellsX && event->modifiers() == Qt::NoModifier)
        document.setStage(stageAt(at.x()));
}

void Board::contextMenuEvent(QContextMenuEvent* event) {
    QPoint at = event->globalPos();
    if (event->reason() == QContextMenuEvent::Mouse) {
        const Row* row = rowAt(event->pos().y());
        if (row == nullptr || row->id == session::kNoId)
            return;
        if (!m_desk.document.isInSelection(row->id))
            m_desk.document.select(row->id);
    } else {
        at = mapToGlobal(rowRect(m_desk.document.selected()).center());
    }
    emit wantsMenu(at);
}

void Board::step(int rows, bool extends) {
    auto& document = m_desk.document;
    // From the end of what is selected when it grows.
    const auto all = document.selection();
    const Id from = extends && !all.empty() ? all.back() : document.selected();
    const Row* row = rowOf(from);
    if (row == nullptr)
        return;
    auto at = row - m_rows.data();
    const auto count = static_cast<std::ptrdiff_t>(m_rows.size());
    do
        at += rows;
    while (at >= 0 && at < count && m_rows[static_cast<std::size_t>(at)].id == session::kNoId);
    if (at < 0 || at >= count)
        return;
    const Id to = m_rows[static_cast<std::size_t>(at)].id;
    if (!extends) {
        document.select(to);
    } else if (document.isInSelection(to)) {
        document.toggleSelected(from); // back again
    } else {
        document.toggleSelected(to);
    }
    emit wantsVisible(rowRect(to));
}

void Board::keyPressEvent(QKeyEvent* event) {
    auto& document = m_desk.document;
    const bool extends = (event->modifiers() & Qt::ShiftModifier) != 0;
    const int stage = placeOf(document.stage());
    switch (event->key()) {
    case Qt::Key_Up:
        step(-1, extends);
        break;
    case Qt::Key_Down:
        step(1, extends);
        break;
    case Qt::Key_Left:
        document.setStage(kStages[static_cast<std::size_t>(std::max(0, stage - 1))]);
        break;
    case Qt::Key_Right:
        document.setStage(kStages[static_cast<std::size_t>(std::min(kLastStage, stage + 1))]);
        break;
    case Qt::Key_Escape:
        document.select(document.selected());
        break;
    default:
        QWidget::keyPressEvent(event);
    }
}

bool Board::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const Row* row = rowAt(help->pos().y());
        QString text;
        if (row != nullptr && foldRect(row->id).contains(help->pos()) &&
            (row->id == session::kNoId || elementsOf(row->id) > 0))
            text = row->id == session::kNoId ? tr("Folds the buses")
                                             : tr("Folds the rows of what goes to this bus");
        else if (row != nullptr && row->id != session::kNoId) {
            if (isClipped(row->id) && clipRect(row->id).contains(help->pos()))
                text = tr("Reached full scale. A click clears it.");
            else if (aloneRect(row->id).contains(help->pos()))
                text = tr("Solo (A); with Alt of this alone (Shift+A)");
            else if (silentRect(row->id).contains(help->pos()))
                text = tr("Mute (X)");
            else if (help->pos().x() < kMarksX)
                text = QString::fromStdString(m_desk.document.session().nameOf(row->id));
            else if (help->pos().x() >= kCellsX)
                text = cellHelp(row->id, stageAt(help->pos().x()));
        }
        QToolTip::showText(help->globalPos(), text, this);
        return true;
    }
    return QWidget::event(event);
}

} // namespace cask::app
