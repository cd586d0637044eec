#include "app/window/states_sheet.h"

#include "app/theme/theme.h"
#include "core/session/session_difference.h"
#include "core/session/states.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QVBoxLayout>

namespace cask::app {
namespace {

constexpr std::size_t kMostLines = 400;

} // namespace

StatesSheet::StatesSheet(Document& document, QWidget* parent)
    : QDialog(parent), m_document(document), m_list(new QListWidget(this)),
      m_differences(new QListWidget(this)), m_keep(new QPushButton(tr("keep this mix\u2026"), this)),
      m_use(new QPushButton(tr("mix it as this"), this)), m_remove(new QPushButton(tr("remove"), this)) {
    setWindowTitle(tr("States"));
    setAttribute(Qt::WA_DeleteOnClose);
    resize(720, 460);
    auto* layout = new QVBoxLayout(this);
    layout->setSpacing(8);
    auto* lists = new QHBoxLayout;
    const auto addColumn = [&](const QString& title, QWidget* list, int stretch) {
        auto* column = new QVBoxLayout;
        auto* label = new QLabel(title, this);
        label->setFont(textFont(12));
        column->addWidget(label);
        column->addWidget(list);
        lists->addLayout(column, stretch);
    };
    m_list->setAccessibleName(tr("Kept mixes"));
    m_differences->setAccessibleName(tr("What has changed since"));
    m_differences->setWordWrap(true);
    m_differences->setSelectionMode(QAbstractItemView::NoSelection);
    addColumn(tr("Kept mixes"), m_list, 2);
    addColumn(tr("What has changed since"), m_differences, 5);
    layout->addLayout(lists, 1);
    auto* buttons = new QHBoxLayout;
    m_use->setToolTip(
        tr("Levels, chains and routes as they were; files, names, sections and hits stay as they "
           "are, and so does what was imported since"));
    buttons->addWidget(m_keep);
    buttons->addWidget(m_use);
    buttons->addStretch();
    buttons->addWidget(m_remove);
    layout->addLayout(buttons);
    connect(m_keep, &QPushButton::clicked, this, &StatesSheet::wantsKeep);
    connect(m_list, &QListWidget::currentRowChanged, this, &StatesSheet::showDifferences);
    connect(m_list, &QListWidget::itemActivated, m_use, &QPushButton::click);
    connect(m_use, &QPushButton::clicked, this, [this] {
        const auto& s = m_document.session();
        if (const auto* state = session::stateOf(s, chosen()))
            m_document.edit(session::mixedAs(s, *state),
                            tr("Mix as %1").arg(QString::fromStdString(chosen())), {}, Document::Spreads::No);
    });
    connect(m_remove, &QPushButton::clicked, this, [this] {
        m_document.edit(session::withoutState(m_document.session(), chosen()),
                        tr("Remove the state %1").arg(QString::fromStdString(chosen())), {},
                        Document::Spreads::No);
    });
    for (const auto signal : {&Document::changed, &Document::opened})
        connect(&document, signal, this, &StatesSheet::refresh);
    refresh();
}

std::string StatesSheet::chosen() const {
    const auto* item = m_list->currentItem();
    return item == nullptr ? std::string() : item->data(Qt::UserRole).toString().toStdString();
}

void StatesSheet::refresh() {
    const std::string before = chosen();
    const auto& s = m_document.session();
    {
        const QSignalBlocker quiet(m_list);
        m_list->clear();
        for (const auto& state : s.states) {
            const QString name = QString::fromStdString(state.name);
            auto* item = new QListWidgetItem(
                state.name == session::otherLetter(s)
                    ? tr("%1 (compared with %2)").arg(name, QString::fromStdString(session::letterOf(s)))
                    : name,
                m_list);
            item->setData(Qt::UserRole, name);
            if (state.name == before || m_list->currentItem() == nullptr)
                m_list->setCurrentItem(item);
        }
    }
    showDifferences();
}

void StatesSheet::showDifferences() {
    m_differences->clear();
    const auto* state = session::stateOf(m_document.session(), chosen());
    m_use->setEnabled(state != nullptr);
    m_remove->setEnabled(state != nullptr);
    if (state == nullptr) {
        m_differences->addItem(
            tr("No mix is kept yet. Keep this one under a name, go on, and come back to it "
               "whenever you like."));
        return;
    }
    const auto lines = session::differencesInWords(*state, m_document.session());
    if (lines.empty())
        m_differences->addItem(tr("Nothing: this is how it is mixed now."));
    for (std::size_t i = 0; i < std::min(lines.size(), kMostLines); ++i)
        m_differences->addItem(pretty(lines[i]));
    if (lines.size() > kMostLines)
        m_differences->addItem(tr("\u2026 and %1 more").arg(lines.size() - kMostLines));
}

StepList::StepList(Document& document, QWidget* parent)
    : QDialog(parent), m_document(document), m_list(new QListWidget(this)) {
    setWindowTitle(tr("Steps"));
    setAttribute(Qt::WA_DeleteOnClose);
    resize(380, 460);
    auto* layout = new QVBoxLayout(this);
    m_list->setAccessibleName(tr("Steps"));
    layout->addWidget(m_list);
    connect(m_list, &QListWidget::currentRowChanged, this, [this](int row) {
        if (!m_isFilling && row >= 0)
            m_document.goToStep(static_cast<std::size_t>(row));
    });
    for (const auto signal : {&Document::changed, &Document::opened})
        connect(&document, signal, this, &StepList::refresh);
    refresh();
}

void StepList::refresh() {
    m_isFilling = true;
    const auto steps = m_document.steps();
    // Only what is new is added: the list may be long, and a click in it must not rebuild it.
    while (m_list->count() > static_cast<int>(steps.size()))
        delete m_list->takeItem(m_list->count() - 1);
    for (std::size_t i = 0; i < steps.size(); ++i) {
        const QString text = i == 0 ? tr("as it was opened") : QString::fromStdString(steps[i]);
        auto* item = m_list->item(static_cast<int>(i));
        if (item == nullptr)
            item = new QListWidgetItem(m_list);
        item->setText(text);
        item->setForeground(i > m_document.step() ? theme().faint : theme().ink);
    }
    m_list->setCurrentRow(static_cast<int>(m_document.step()));
    m_isFilling = false;
}

} // namespace cask::app
