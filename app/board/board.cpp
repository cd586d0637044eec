#include "app/board/board.h"

#include "app/theme/theme.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include <algorithm>

namespace cask::app {
namespace {

constexpr int kWidth = 542;
constexpr int kRowPx = 24;
constexpr int kHeadPx = 26;
constexpr int kNameX = 12;
constexpr int kRoleX = 122;
constexpr int kMarksX = 196;
constexpr int kCellsX = 230;
constexpr int kCellPx = 44;
constexpr double kLeastDb = -60;
constexpr int kLinePx = kRoleX - kNameX - 10;
constexpr int kLastStage = static_cast<int>(kStages.size()) - 1;

Stage stageAt(int x) {
    return kStages[static_cast<std::size_t>(std::clamp((x - kCellsX) / kCellPx, 0, kLastStage))];
}

/// Length of the level line: from -60 dBFS to full scale.
int levelPx(double db) {
    return db > kLeastDb ? static_cast<int>(std::clamp((db - kLeastDb) / -kLeastDb, 0.0, 1.0) * kLinePx) : 0;
}

} // namespace

Board::Board(const Desk& desk, QWidget* parent) : QWidget(parent), m_desk(desk) {
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Board"));
    setFixedWidth(kWidth);
    connect(&desk.document, &Document::changed, this, &Board::rebuild);
    connect(&desk.document, &Document::opened, this, &Board::rebuild);
    connect(&desk.document, &Document::selectionChanged, this, qOverload<>(&QWidget::update));
    connect(&desk.analyst, &Analyst::progressChanged, this, qOverload<>(&QWidget::update));
    connect(&desk.hits, &HitModel::hitsChanged, this, qOverload<>(&QWidget::update));
    connect(&desk.findings, &FindingModel::findingsChanged, this, qOverload<>(&QWidget::update));
    connect(&desk.playback, &Playback::tick, this, &Board::readLevels);
    rebuild();
}

QSize Board::sizeHint() const {
    return {kWidth, m_rows.empty() ? kHeadPx : m_rows.back().top + kRowPx + 4};
}

void Board::rebuild() {
    m_rows.clear();
    int y = kHeadPx;
    const auto& s = m_desk.document.session();
    for (const auto& e : s.elements) {
        m_rows.push_back({e->id, y});
        y += kRowPx;
    }
    if (!s.elements.empty()) {
        m_rows.push_back({session::kNoId, y});
        y += kRowPx;
        for (const auto& b : s.buses) {
            m_rows.push_back({b->id, y});
            y += kRowPx;
        }
    }
    updateGeometry();
    setMinimumHeight(sizeHint().height());
    update();
}

void Board::readLevels() {
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
            update(kNameX, row.top + kRowPx - 6, kRoleX - kNameX, 2);
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
        if (y >= row.top && y < row.top + kRowPx)
            return &row;
    return nullptr;
}

const Board::Row* Board::rowOf(Id id) const {
    const auto it = std::find_if(m_rows.begin(), m_rows.end(), [id](const Row& r) { return r.id == id; });
    return it == m_rows.end() ? nullptr : &*it;
}

QRect Board::cellRect(Id id, Stage stage) const {
    const Row* row = rowOf(id);
    return row == nullptr ? QRect()
                          : QRect(kCellsX + placeOf(stage) * kCellPx, row->top, kCellPx - 2, kRowPx - 2);
}

QRect Board::aloneRect(Id id) const {
    const Row* row = rowOf(id);
    return row == nullptr ? QRect() : QRect(kMarksX, row->top + 4, 16, 16);
}

QRect Board::silentRect(Id id) const {
    const Row* row = rowOf(id);
    return row == nullptr ? QRect() : QRect(kMarksX + 19, row->top + 4, 16, 16);
}

void Board::paintCell(QPainter& p, const QRect& rect, Id id, Stage stage) {
    ++m_paintedCells;
    const Theme& t = theme();
    const bool chosen = id == m_desk.document.selected() && stage == m_desk.document.stage();
    if (chosen) {
        p.fillRect(rect, t.chosen);
        p.fillRect(QRect(rect.left(), rect.bottom() - 1, rect.width(), 2), hasFocus() ? t.ember : t.teal);
    }
    const QString text = cellText(id, stage);
    const bool attention = needsAttention(id, stage);
    const bool quiet = text == QStringLiteral("\u00b7") || text == QStringLiteral("ok") ||
                       (stage == Stage::Balance && m_desk.document.session().output(id)->levelDb == 0);
    p.setFont(textFont(12, attention ? QFont::DemiBold : QFont::Normal));
    p.setPen(attention ? t.ember : quiet ? t.faint : t.ink);
    // Words must not touch what stands in the column before.
    const bool isWide = p.fontMetrics().horizontalAdvance(text) > rect.width() - 10;
    if (isWide)
        p.setFont(textFont(11));
    p.drawText(rect.adjusted(-6, 0, isWide ? -1 : -4, 0), Qt::AlignRight | Qt::AlignVCenter, text);
}

void Board::paintMarks(QPainter& p, Id id) {
    const Theme& t = theme();
    const auto& out = *m_desk.document.session().output(id);
    p.setRenderHint(QPainter::Antialiasing);
    // Heard alone: a dot inside a ring. Silent: a struck ring.
    const QRectF alone = QRectF(aloneRect(id)).adjusted(3, 3, -3, -3);
    p.setPen(QPen(out.isAlone ? t.teal : t.line, 1.5));
    p.setBrush(Qt::NoBrush);
    p.drawEllipse(alone);
    if (out.isAlone) {
        p.setBrush(t.teal);
        p.drawEllipse(alone.adjusted(2.5, 2.5, -2.5, -2.5));
    }
    const QRectF silent = QRectF(silentRect(id)).adjusted(3, 3, -3, -3);
    p.setPen(QPen(out.isMuted ? t.ember : t.line, out.isMuted ? 2 : 1.5));
    p.setBrush(Qt::NoBrush);
    p.drawLine(silent.bottomLeft(), silent.topRight());
    p.drawLine(silent.topLeft(), silent.bottomRight());
    p.setRenderHint(QPainter::Antialiasing, false);
}

void Board::paintRow(QPainter& p, const Row& row, const QRegion& dirty) {
    const Theme& t = theme();
    if (row.id == session::kNoId) {
        p.setFont(textFont(11));
        p.setPen(t.faint);
        p.drawText(QRect(kNameX, row.top + 6, 200, kRowPx - 6), Qt::AlignLeft | Qt::AlignVCenter,
                   tr("Buses"));
        p.fillRect(QRect(kNameX + 40, row.top + kRowPx / 2 + 3, kWidth - kNameX - 52, 1), t.line);
        return;
    }
    const auto& s = m_desk.document.session();
    const auto* e = s.element(row.id);
    const bool chosen = row.id == m_desk.document.selected();
    const bool heard = e == nullptr ? !s.output(row.id)->isMuted : !e->out.isMuted;
    p.setFont(textFont(13, chosen ? QFont::DemiBold : QFont::Normal));
    p.setPen(heard ? t.ink : t.faint);
    const QString name = p.fontMetrics().elidedText(QString::fromStdString(s.nameOf(row.id)), Qt::ElideMiddle,
                                                    kRoleX - kNameX - 6);
    p.drawText(QRect(kNameX, row.top, kRoleX - kNameX, kRowPx - 4), Qt::AlignLeft | Qt::AlignVCenter, name);
    if (chosen)
        p.fillRect(QRect(4, row.top + 3, 3, kRowPx - 8), t.ember);
    // The level line: from -60 dBFS to full scale.
    const double level = m_levelDb.contains(row.id) ? m_levelDb.at(row.id) : kSilenceDb;
    p.fillRect(QRect(kNameX, row.top + kRowPx - 5, kLinePx, 1), t.line);
    if (level > kLeastDb)
        p.fillRect(QRect(kNameX, row.top + kRowPx - 6, levelPx(level), 2), level > -0.1 ? t.ember : t.teal);
    if (!dirty.intersects(QRect(kRoleX, row.top, width() - kRoleX, kRowPx)))
        return;
    if (e != nullptr) {
        const auto words = roleInfo(e->role).name;
        const bool unsure = e->roleConfidence < 0.5;
        p.setFont(textFont(12));
        p.setPen(unsure ? t.ember : t.faint);
        p.drawText(QRect(kRoleX, row.top, kMarksX - kRoleX, kRowPx - 4), Qt::AlignLeft | Qt::AlignVCenter,
                   QString::fromUtf8(words.data(), static_cast<int>(words.size())) +
                       (unsure ? QStringLiteral(" ?") : QString()));
    }
    if (e != nullptr || !s.bus(row.id)->isMaster)
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
        const QRect r(kCellsX + placeOf(stage) * kCellPx - 4, 0, kCellPx - 4, kHeadPx);
        const bool chosen = stage == m_desk.document.stage();
        p.setFont(textFont(11, chosen ? QFont::DemiBold : QFont::Normal));
        p.setPen(chosen ? t.ink : t.faint);
        p.drawText(r, Qt::AlignRight | Qt::AlignVCenter, stageName(stage));
    }
    p.fillRect(QRect(kNameX, kHeadPx - 2, kWidth - kNameX - 8, 1), t.line);
    for (const auto& row : m_rows)
        if (event->region().intersects(QRect(0, row.top, width(), kRowPx)))
            paintRow(p, row, event->region());
    if (m_rows.empty()) {
        p.setFont(textFont(13));
        p.setPen(t.faint);
        p.drawText(QRect(kNameX, kHeadPx + 12, kWidth - 2 * kNameX, 60), Qt::AlignLeft | Qt::TextWordWrap,
                   tr("No elements yet. Each file that is imported becomes a row here."));
    }
}

void Board::mousePressEvent(QMouseEvent* event) {
    const Row* row = rowAt(event->pos().y());
    if (row == nullptr || row->id == session::kNoId)
        return;
    const Id id = row->id;
    auto& document = m_desk.document;
    const QString name = QString::fromStdString(document.session().nameOf(id));
    const bool isMaster = document.session().master().id == id;
    if (!isMaster && aloneRect(id).contains(event->pos())) {
        document.edit(
            session::withOutput(document.session(), id, [](auto& out) { out.isAlone = !out.isAlone; }),
            tr("Solo, %1").arg(name));
        return;
    }
    if (!isMaster && silentRect(id).contains(event->pos())) {
        document.edit(
            session::withOutput(document.session(), id, [](auto& out) { out.isMuted = !out.isMuted; }),
            tr("Mute, %1").arg(name));
        return;
    }
    document.select(id);
    if (event->pos().x() >= kCellsX)
        document.setStage(stageAt(event->pos().x()));
}

void Board::keyPressEvent(QKeyEvent* event) {
    auto& document = m_desk.document;
    const auto step = [&](int rows) {
        auto it = std::find_if(m_rows.begin(), m_rows.end(),
                               [&](const Row& r) { return r.id == document.selected(); });
        if (it == m_rows.end())
            return;
        auto at = it - m_rows.begin();
        do
            at += rows;
        while (at >= 0 && at < static_cast<std::ptrdiff_t>(m_rows.size()) &&
               m_rows[static_cast<std::size_t>(at)].id == session::kNoId);
        if (at < 0 || at >= static_cast<std::ptrdiff_t>(m_rows.size()))
            return;
        const Row& row = m_rows[static_cast<std::size_t>(at)];
        document.select(row.id);
        emit wantsVisible(QRect(0, row.top, width(), kRowPx));
    };
    const int stage = placeOf(document.stage());
    switch (event->key()) {
    case Qt::Key_Up:
        step(-1);
        break;
    case Qt::Key_Down:
        step(1);
        break;
    case Qt::Key_Left:
        document.setStage(kStages[static_cast<std::size_t>(std::max(0, stage - 1))]);
        break;
    case Qt::Key_Right:
        document.setStage(kStages[static_cast<std::size_t>(std::min(kLastStage, stage + 1))]);
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
        if (row != nullptr && row->id != session::kNoId) {
            if (aloneRect(row->id).contains(help->pos()))
                text = tr("Solo (A)");
            else if (silentRect(row->id).contains(help->pos()))
                text = tr("Mute (X)");
            else if (help->pos().x() < kRoleX)
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
