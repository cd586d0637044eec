#include "app/quick/quick_page.h"

#include "app/models/priorities.h"
#include "app/theme/theme.h"
#include "app/widgets/value_bar.h"
#include "app/widgets/words.h"
#include "core/project/offline_sources.h"

#include <QGridLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>

#include <algorithm>

namespace cask::app {
namespace {

constexpr int kMeasureQuickMs = 500; // after the last edit
constexpr double kHeardForQuickS = 40;
constexpr int kLeastBarPx = 70;

/// As the head of its column.
QString headOf(session::QuickMove move) {
    switch (move) {
    case session::QuickMove::Attack:
        return QuickPage::tr("attack");
    case session::QuickMove::Sustain:
        return QuickPage::tr("sustain");
    case session::QuickMove::Pump:
        return QuickPage::tr("pump, duck");
    default:
        return words(session::quickInfo(move).words);
    }
}

} // namespace

QuickPage::QuickPage(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_inside(new QWidget(this)), m_grid(new QGridLayout(m_inside)),
      m_scroll(new QScrollArea(this)), m_jobs(desk.analyst.pool()) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(16, 6, 8, 8);
    layout->setSpacing(6);
    auto* title = new QLabel(tr("Quick sheet \u2014 the moves that do most, each with what it does"), this);
    title->setFont(textFont(16, QFont::DemiBold));
    layout->addWidget(title);
    m_scroll->setWidgetResizable(true);
    m_scroll->setFrameShape(QFrame::NoFrame);
    m_scroll->setWidget(m_inside);
    m_scroll->setFocusPolicy(Qt::NoFocus);
    layout->addWidget(m_scroll, 1);
    m_grid->setContentsMargins(0, 0, 8, 0);
    m_grid->setHorizontalSpacing(12);
    m_grid->setVerticalSpacing(0);
    m_timer.setSingleShot(true);
    m_timer.setInterval(kMeasureQuickMs);
    connect(&m_timer, &QTimer::timeout, this, &QuickPage::measure);
    for (const auto signal : {&Document::changed, &Document::opened, &Document::selectionChanged})
        connect(&desk.document, signal, this, &QuickPage::refresh);
    connect(&desk.hits, &HitModel::hitsChanged, this, &QuickPage::refresh);
    connect(&desk.document, &Document::opened, this, [this] {
        m_effects.clear();
        m_measured.clear();
    });
}

QuickPage::~QuickPage() {
    m_cancel.cancel();
}

void QuickPage::showEvent(QShowEvent*) {
    refresh();
}

void QuickPage::hideEvent(QHideEvent*) {
    m_cancel.cancel();
    m_timer.stop();
}

ValueBar* QuickPage::bar(Id element, session::QuickMove move) const {
    for (const auto& row : m_rows)
        for (const auto& cell : row.cells)
            if (row.element == element && cell.move == move)
                return cell.bar;
    return nullptr;
}

QPushButton* QuickPage::effect(Id element, session::QuickMove move) const {
    for (const auto& row : m_rows)
        for (const auto& cell : row.cells)
            if (row.element == element && cell.move == move)
                return cell.effect;
    return nullptr;
}

QPushButton* QuickPage::nameButton(Id element) const {
    for (const auto& row : m_rows)
        if (row.element == element)
            return row.name;
    return nullptr;
}

void QuickPage::rebuild() {
    qDeleteAll(m_inside->findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly));
    while (auto* item = m_grid->takeAt(0))
        delete item;
    m_rows.clear();
    int column = 1;
    for (const auto move : session::kQuickMoves) {
        auto* head = new QLabel(headOf(move), m_inside);
        head->setFont(textFont(12));
        m_grid->addWidget(head, 0, column++);
    }
    int line = 1;
    const auto& s = m_desk.document.session();
    for (const auto& e : s.elements) {
        if (!isMixed(e->role))
            continue;
        Row row{e->id, new QPushButton(QString::fromStdString(e->name), m_inside), {}};
        row.name->setFlat(true);
        row.name->setToolTip(tr("To the Balance bench of %1").arg(row.name->text()));
        row.name->setStyleSheet(
            QStringLiteral("text-align: left; padding: 0 4px; border: none; background: transparent"));
        row.name->setMinimumWidth(100);
        connect(row.name, &QPushButton::clicked, this, [this, id = e->id] {
            m_desk.document.select(id);
            emit wantsBench(Stage::Balance);
        });
        m_grid->addWidget(row.name, line, 0);
        column = 1;
        for (const auto move : session::kQuickMoves) {
            const int at = column++;
            if (!session::quickValue(s, e->id, move))
                continue;
            Cell cell{move, new ValueBar(session::quickInfo(move), m_inside), new QPushButton(m_inside)};
            cell.bar->setAccessibleName(tr("%1 of %2").arg(headOf(move), row.name->text()));
            cell.bar->setCaption({});
            if (move == session::QuickMove::HighPass) {
                cell.bar->sayValue = [](double hz) {
                    return hz <= session::kNoHighPassHz ? tr("off") : QString();
                };
                cell.bar->readSpecial = [](const QString& typed) {
                    return typed.trimmed().compare(tr("off"), Qt::CaseInsensitive) == 0
                               ? std::optional(session::kNoHighPassHz)
                               : std::nullopt;
                };
            }
            cell.bar->setMinimumWidth(kLeastBarPx);
            cell.bar->setFixedHeight(30);
            cell.bar->installEventFilter(this);
            if (move == session::QuickMove::Pump && session::duckKeyOf(s, e->id) != session::kNoId)
                cell.bar->setToolTip(tr("Ducks under the kick by so much at the most"));
            cell.effect->setFlat(true);
            cell.effect->setFont(textFont(11));
            cell.effect->setFixedHeight(20); // with a little air under it
            cell.effect->setFocusPolicy(Qt::NoFocus);
            cell.effect->setStyleSheet(
                QStringLiteral("text-align: left; padding: 0; border: none; background: transparent"));
            cell.effect->setToolTip(
                tr("What it does; a click goes to the %1 bench").arg(stageName(session::benchOf(move))));
            connect(
                cell.bar, &ValueBar::valueEdited, this,
                [this, id = e->id, move](double value, bool dragging) { edit(id, move, value, dragging); });
            connect(cell.bar, &ValueBar::editFinished, &m_desk.document, &Document::endMerge);
            connect(cell.effect, &QPushButton::clicked, this, [this, id = e->id, move] {
                m_desk.document.select(id);
                emit wantsBench(session::benchOf(move));
            });
            m_grid->addWidget(cell.bar, line, at);
            m_grid->addWidget(cell.effect, line + 1, at);
            row.cells.push_back(cell);
        }
        m_rows.push_back(std::move(row));
        line += 2;
    }
    for (int c = 1; c < column; ++c)
        m_grid->setColumnStretch(c, 1);
    m_grid->setRowStretch(line, 1);
}

void QuickPage::refresh() {
    if (!isVisible())
        return;
    const auto& s = m_desk.document.session();
    std::vector<std::pair<Id, int>> wanted;
    std::vector<std::pair<Id, int>> shown;
    for (const auto& e : s.elements)
        if (isMixed(e->role))
            wanted.emplace_back(e->id, e->isStereo() ? 1 : 0);
    for (const auto& row : m_rows)
        shown.emplace_back(row.element, row.cells.size() == session::kQuickMoves.size() ? 1 : 0);
    if (wanted != shown)
        rebuild();
    for (auto& row : m_rows) {
        const QString name = QString::fromStdString(s.nameOf(row.element));
        row.name->setText(row.name->fontMetrics().elidedText(name, Qt::ElideMiddle, 104));
        row.name->setAccessibleName(name);
        QFont font = row.name->font();
        font.setBold(row.element == m_desk.document.selected());
        row.name->setFont(font);
        const auto known = m_effects.find(row.element);
        const bool isOld = known == m_effects.end() || !m_measured.contains(row.element) ||
                           !(m_measured.at(row.element) == *s.element(row.element));
        for (auto& cell : row.cells) {
            cell.bar->setValue(session::quickValue(s, row.element, cell.move).value_or(0));
            const QString text =
                known == m_effects.end() ? QString() : pretty(kit::quickWords(cell.move, known->second));
            cell.effect->setText(text);
            cell.effect->setAccessibleName(tr("What %1 does: %2").arg(cell.bar->accessibleName(), text));
            QPalette palette = cell.effect->palette();
            palette.setColor(QPalette::ButtonText, isOld ? theme().faint : theme().ink);
            cell.effect->setPalette(palette);
        }
    }
    const bool isStale = m_hitsRevision != m_desk.hits.revision() ||
                         std::any_of(m_rows.begin(), m_rows.end(), [&](const Row& row) {
                             const auto known = m_measured.find(row.element);
                             return known == m_measured.end() || !(known->second == *s.element(row.element));
                         });
    if (isStale) {
        m_cancel.cancel();
        m_timer.start();
    }
}

void QuickPage::edit(Id element, session::QuickMove move, double value, bool isDragging) {
    m_desk.document.select(element);
    auto next = session::withQuickMove(m_desk.document.session(), element, move, value);
    // A pump follows the beats, which are kept with it.
    if (const auto* a = m_desk.hits.analysis();
        move == session::QuickMove::Pump && a != nullptr && a->tempo.isKnown && next.tempo.beatsS.empty() &&
        next.tempo.bpm <= 0 && value > 0 && session::duckKeyOf(next, element) == session::kNoId) {
        next.tempo.beatsS = a->tempo.beatsS;
        next.tempo.beatsPerBar = a->tempo.beatsPerBar;
    }
    const QString name = QString::fromStdString(m_desk.document.session().nameOf(element));
    m_desk.document.edit(std::move(next), tr("%1, %2").arg(headOf(move), name),
                         isDragging ? QStringLiteral("quick %1 %2").arg(static_cast<int>(move)).arg(element)
                                    : QString());
}

/// One element after the other; those that are as they were are known already.
void QuickPage::measure() {
    const auto snapshot = m_desk.document.snapshot();
    const bool hasOtherHits = m_hitsRevision != m_desk.hits.revision();
    std::vector<Id> wanted;
    for (const auto& row : m_rows) {
        const auto known = m_measured.find(row.element);
        const auto* e = snapshot->element(row.element);
        if (e != nullptr && (hasOtherHits || known == m_measured.end() || !(known->second == *e)))
            wanted.push_back(row.element);
    }
    m_hitsRevision = m_desk.hits.revision();
    if (wanted.empty())
        return;
    const int generation = ++m_generation;
    m_cancel = CancelToken();
    m_isMeasuring = true;
    const Frames frames =
        std::min(snapshot->lengthFrames(), secondsToFrames(kHeardForQuickS, snapshot->sampleRateHz));
    m_jobs.post(
        [this, generation, wanted, snapshot, frames, hits = m_desk.hits.shared(),
         folder = m_desk.document.folder(), cancel = m_cancel] {
            const auto sources = project::openOfflineSources(*snapshot, folder, cancel);
            for (const Id id : wanted) {
                if (!sources || cancel.isCancelled())
                    break;
                const auto found = kit::measureQuick(*snapshot, id, hits.get(), sources->lookup(), 0,
                                                     static_cast<std::size_t>(frames), cancel);
                if (!found)
                    continue;
                QMetaObject::invokeMethod(
                    this,
                    [this, id, snapshot, effects = *found] {
                        if (const auto* e = snapshot->element(id)) {
                            m_effects[id] = effects;
                            m_measured[id] = *e;
                            refresh();
                        }
                    },
                    Qt::QueuedConnection);
            }
            QMetaObject::invokeMethod(
                this,
                [this, generation] {
                    if (generation == m_generation)
                        m_isMeasuring = false;
                },
                Qt::QueuedConnection);
        },
        kHeadroomPriority);
}

/// Up and down the column: Ctrl with the arrows, or the page keys.
bool QuickPage::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::FocusIn)
        m_scroll->ensureWidgetVisible(static_cast<QWidget*>(watched));
    if (event->type() != QEvent::KeyPress && event->type() != QEvent::ShortcutOverride)
        return QWidget::eventFilter(watched, event);
    const auto* key = static_cast<QKeyEvent*>(event);
    const bool isCtrl = (key->modifiers() & Qt::ControlModifier) != 0;
    const int rows = key->key() == Qt::Key_PageDown || (isCtrl && key->key() == Qt::Key_Down) ? 1
                     : key->key() == Qt::Key_PageUp || (isCtrl && key->key() == Qt::Key_Up)   ? -1
                                                                                              : 0;
    if (rows == 0)
        return QWidget::eventFilter(watched, event);
    if (event->type() == QEvent::KeyPress)
        moveFocus(watched, rows);
    event->accept();
    return true;
}

void QuickPage::moveFocus(QObject* from, int rows) {
    for (std::size_t r = 0; r < m_rows.size(); ++r)
        for (const auto& cell : m_rows[r].cells) {
            if (cell.bar != from)
                continue;
            // The next row that has the value.
            for (auto to = static_cast<int>(r) + rows; to >= 0 && to < static_cast<int>(m_rows.size());
                 to += rows)
                if (auto* next = bar(m_rows[static_cast<std::size_t>(to)].element, cell.move)) {
                    next->setFocus(Qt::TabFocusReason);
                    return;
                }
            return;
        }
}

} // namespace cask::app
