#include "app/findings/findings_panel.h"

#include "app/findings/finding_row.h"
#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"

#include <QFileDialog>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QPainter>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>

#include <algorithm>

namespace cask::app {

FindingsPanel::FindingsPanel(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_title(new QLabel(this)),
      m_scope(new ChoiceRow({tr("this element"), tr("whole kit")}, this)), m_notes(new QLabel(this)),
      m_empty(new QLabel(this)), m_scroll(new QScrollArea(this)),
      m_find(new QPushButton(tr("Find the file"), this)),
      m_accept(new QPushButton(tr("Use it as it is now"), this)),
      m_clear(new QPushButton(tr("Clear notes"), this)), m_small(new QPushButton(this)) {
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Findings"));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 6, 0, 4);
    layout->setSpacing(4);
    auto* head = new QHBoxLayout;
    head->setContentsMargins(12, 0, 8, 0);
    m_title->setFont(textFont(12, QFont::DemiBold));
    head->addWidget(m_title, 1);
    head->addWidget(m_scope);
    layout->addLayout(head);
    m_scope->setAccessibleName(tr("Which findings"));
    m_scope->setToolTip(tr("Findings of the chosen element, or of all"));

    auto* content = new QWidget(m_scroll);
    m_list = new QVBoxLayout(content);
    m_list->setContentsMargins(0, 0, 0, 0);
    m_list->setSpacing(0);
    for (auto* label : {m_notes, m_empty}) {
        label->setFont(textFont(13));
        label->setWordWrap(true);
        label->setContentsMargins(12, 2, 8, 2);
        m_list->addWidget(label);
    }
    m_notes->setAccessibleName(tr("Notes"));
    m_notes->setTextInteractionFlags(Qt::TextSelectableByMouse);
    m_list->addStretch();
    m_scroll->setWidget(content);
    m_scroll->setWidgetResizable(true);
    m_scroll->setFrameShape(QFrame::NoFrame);
    m_scroll->setFocusPolicy(Qt::NoFocus);
    m_scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    layout->addWidget(m_scroll, 1);
    auto* actions = new QHBoxLayout;
    actions->setContentsMargins(12, 0, 8, 0);
    actions->addWidget(m_find);
    actions->addWidget(m_accept);
    m_accept->setToolTip(tr("The file has changed since it was imported. This takes it as it is now."));
    connect(m_accept, &QPushButton::clicked, this, &FindingsPanel::acceptFile);
    actions->addWidget(m_clear);
    actions->addWidget(m_small);
    m_small->setCheckable(true);
    m_small->setToolTip(tr("Findings that change little, and those that another one stands for"));
    connect(m_small, &QPushButton::toggled, this, &FindingsPanel::refresh);
    actions->addStretch();
    layout->addLayout(actions);

    connect(m_find, &QPushButton::clicked, this, &FindingsPanel::findFile);
    connect(m_clear, &QPushButton::clicked, &m_desk.document, &Document::clearNotes);
    connect(m_scope, &ChoiceRow::choiceEdited, this, &FindingsPanel::refresh);
    for (const auto signal : {&Document::selectionChanged, &Document::notesChanged, &Document::opened})
        connect(&desk.document, signal, this, &FindingsPanel::refresh);
    connect(&desk.findings, &FindingModel::findingsChanged, this, &FindingsPanel::refresh);
    connect(&desk.playback, &Playback::deviceChanged, this, &FindingsPanel::refresh);
    refresh();
}

QString FindingsPanel::text() const {
    QStringList lines;
    for (const auto* label : {m_notes, m_empty})
        if (!label->isHidden())
            lines << label->text();
    for (const auto* row : m_rows)
        lines << row->accessibleName();
    return lines.join(QLatin1Char('\n'));
}

FindingRow* FindingsPanel::currentRow() const {
    const auto it = std::find_if(m_rows.begin(), m_rows.end(),
                                 [&](const FindingRow* row) { return row->id() == m_current; });
    return it == m_rows.end() ? nullptr : *it;
}

std::vector<const advise::Finding*> FindingsPanel::shown() const {
    const auto& document = m_desk.document;
    const bool isWholeKit = m_scope->chosen() == 1;
    std::vector<const advise::Finding*> list;
    // Whoever looks at one element alone has asked for all of it.
    const auto isHidden = [&](const advise::Finding& f) {
        return f.isFolded && isWholeKit && !m_small->isChecked();
    };
    for (const auto& f : m_desk.findings.findings())
        if (isHidden(f))
            continue;
        else if (isWholeKit || f.element == document.selected() ||
                 (f.element == session::kNoId && f.stage == document.stage()))
            list.push_back(&f);
    // What is open at the stage on the bench first, then what is open elsewhere, small ones, notes, and what
    // was laid aside.
    const auto rank = [&](const advise::Finding* f) {
        if (f->dismissal)
            return 4;
        if (f->isFolded)
            return 2;
        if (!f->isOpen())
            return 3;
        return f->stage == document.stage() ? 0 : 1;
    };
    std::stable_sort(list.begin(), list.end(),
                     [&](const auto* a, const auto* b) { return rank(a) < rank(b); });
    return list;
}

void FindingsPanel::refresh() {
    const auto& document = m_desk.document;
    const Id id = document.selected();
    const auto list = shown();
    const auto open = std::count_if(list.begin(), list.end(), [](const auto* f) { return f->isOpen(); });
    const QString name = QString::fromStdString(document.session().nameOf(id));
    const auto small =
        std::count_if(list.begin(), list.end(), [](const auto* f) { return f->isFolded && !f->dismissal; });
    QString count = open == 0 ? tr("nothing open") : tr("%1 open").arg(open);
    if (small > 0)
        count += tr(", %1 small").arg(small);
    m_title->setText(m_scope->chosen() == 1 || name.isEmpty()
                         ? tr("Findings \u00b7 %1").arg(count)
                         : tr("Findings on %1 \u00b7 %2").arg(name, count));
    m_notes->setText(document.notes().join(QStringLiteral("\n\n")));
    m_notes->setVisible(!document.notes().isEmpty());
    m_clear->setVisible(!document.notes().isEmpty());
    const auto* state = m_desk.analyst.element(id);
    const auto& all = m_desk.findings.findings();
    const auto folded = std::count_if(all.begin(), all.end(), [](const auto& f) { return f.isFolded; });
    m_small->setVisible(m_scope->chosen() == 1 && folded > 0);
    m_small->setText(m_small->isChecked() ? tr("Hide small ones") : tr("%1 small ones").arg(folded));
    m_find->setVisible(state != nullptr && state->isMissing);
    m_accept->setVisible(state != nullptr && state->isChanged);
    const bool isMeasuring = m_desk.analyst.isBusy() || m_desk.hits.isBusy() || m_desk.findings.isBusy();
    m_empty->setVisible(list.empty());
    m_empty->setText(document.session().elements.empty()
                         ? tr("Drop a folder of drum tracks on the window to begin.")
                     : isMeasuring ? tr("Still being measured.")
                                   : tr("Nothing wants attention here."));
    QString built = QString::number(static_cast<int>(themeKind()) + 10 * m_scope->chosen());
    for (const auto* f : list)
        built += QString::fromStdString(f->id + f->sentence + f->dismissal.value_or(""));
    if (built != m_built) {
        m_built = built;
        rebuild(list);
    }
}

void FindingsPanel::rebuild(const std::vector<const advise::Finding*>& list) {
    const bool hadFocus = isAncestorOf(focusWidget()) || hasFocus();
    // A reason that is being typed goes on in the new row.
    const auto* before = currentRow();
    const bool wasAsking = before != nullptr && !before->reason()->isHidden();
    const QString reason = wasAsking ? before->reason()->text() : QString();
    for (auto* row : m_rows) {
        m_list->removeWidget(row);
        row->hide();
        row->deleteLater(); // one of its own buttons may have brought us here
    }
    m_rows.clear();
    for (const auto* f : list) {
        auto* row = new FindingRow(m_desk, *f, m_scope->chosen() == 1, this);
        m_list->insertWidget(m_list->count() - 1, row);
        connect(row, &FindingRow::chosen, this, [this](const QString& id) {
            setCurrent(id.toStdString());
            setFocus();
        });
        m_rows.push_back(row);
    }
    if (currentRow() == nullptr)
        m_current = m_rows.empty() ? std::string() : m_rows.front()->id();
    setCurrent(m_current);
    if (hadFocus)
        setFocus();
    if (auto* row = currentRow();
        row != nullptr && wasAsking && row->dismissButton() != nullptr && !row->isDismissed()) {
        row->askWhy();
        row->reason()->setText(reason);
    }
}

void FindingsPanel::setCurrent(const std::string& id) {
    m_current = id;
    for (auto* row : m_rows)
        row->setCurrent(row->id() == id);
    if (auto* row = currentRow())
        QMetaObject::invokeMethod(
            this,
            [this, rowId = row->id()] {
                if (auto* now = currentRow(); now != nullptr && now->id() == rowId)
                    m_scroll->ensureWidgetVisible(now, 0, 0);
            },
            Qt::QueuedConnection); // once its buttons have their places
}

void FindingsPanel::step(int by) {
    const auto it = std::find(m_rows.begin(), m_rows.end(), currentRow());
    const auto at = (it - m_rows.begin()) + by;
    if (at >= 0 && at < static_cast<std::ptrdiff_t>(m_rows.size()))
        setCurrent(m_rows[static_cast<std::size_t>(at)]->id());
}

void FindingsPanel::keyPressEvent(QKeyEvent* event) {
    auto* row = currentRow();
    if (row == nullptr || event->modifiers() != Qt::NoModifier) {
        QWidget::keyPressEvent(event);
        return;
    }
    switch (event->key()) {
    case Qt::Key_Up:
        step(-1);
        break;
    case Qt::Key_Down:
        step(1);
        break;
    case Qt::Key_H:
        row->hear();
        break;
    case Qt::Key_T:
        if (!event->isAutoRepeat())
            row->setTrying(true);
        break;
    case Qt::Key_K:
        row->keep();
        break;
    case Qt::Key_D:
        row->askWhy();
        break;
    default:
        QWidget::keyPressEvent(event);
    }
}

void FindingsPanel::keyReleaseEvent(QKeyEvent* event) {
    auto* row = currentRow();
    if (row != nullptr && event->key() == Qt::Key_T && !event->isAutoRepeat())
        row->setTrying(false);
    else
        QWidget::keyReleaseEvent(event);
}

void FindingsPanel::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(QRect(12, 0, width() - 20, 1), hasFocus() ? theme().teal : theme().line);
}

void FindingsPanel::focusInEvent(QFocusEvent* event) {
    update();
    QWidget::focusInEvent(event);
}

void FindingsPanel::focusOutEvent(QFocusEvent* event) {
    update();
    QWidget::focusOutEvent(event);
}

void FindingsPanel::findFile() {
    const auto* e = m_desk.document.session().element(m_desk.document.selected());
    if (e == nullptr)
        return;
    const QString path =
        QFileDialog::getOpenFileName(this, tr("Where is %1?").arg(QString::fromStdString(e->name)));
    if (!path.isEmpty())
        emit wantsRelink(e->channels.front().file, path);
}

void FindingsPanel::acceptFile() {
    const auto& document = m_desk.document;
    const auto* e = document.session().element(document.selected());
    if (e == nullptr)
        return;
    const auto* file = document.session().file(e->channels.front().file);
    emit wantsRelink(file->id,
                     QString::fromStdString(session::resolvePath(*file, document.folder()).string()));
}

} // namespace cask::app
