#include "app/window/recipe_list.h"

#include "app/theme/theme.h"
#include "app/widgets/words.h"
#include "core/session/kinds.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QVBoxLayout>

namespace cask::app {
namespace {

QString whatFor(const session::Recipe& recipe) {
    const auto& first = recipe.parts.front();
    if (recipe.scope == session::RecipeScope::Kit)
        return RecipeList::tr("whole kit");
    return first.isBus ? RecipeList::tr("bus") : words(roleInfo(first.role).name);
}

} // namespace

RecipeList::RecipeList(Role role, QWidget* parent)
    : QDialog(parent), m_role(role), m_search(new QLineEdit(this)), m_list(new QListWidget(this)),
      m_notes(new QLabel(this)), m_use(new QPushButton(tr("put on the selection\u2026"), this)),
      m_keepChain(new QPushButton(tr("keep the selected chain\u2026"), this)),
      m_keepKit(new QPushButton(tr("keep the whole kit\u2026"), this)),
      m_remove(new QPushButton(tr("remove"), this)) {
    setWindowTitle(tr("Recipes"));
    resize(560, 520);
    auto* layout = new QVBoxLayout(this);
    layout->setSpacing(8);
    m_search->setPlaceholderText(tr("Search for a role, a name or a module"));
    m_search->setAccessibleName(tr("Search"));
    layout->addWidget(m_search);
    m_list->setAccessibleName(tr("Recipes"));
    layout->addWidget(m_list, 1);
    m_notes->setFont(textFont(12));
    m_notes->setWordWrap(true);
    m_notes->setMinimumHeight(52);
    m_notes->setAlignment(Qt::AlignLeft | Qt::AlignTop);
    layout->addWidget(m_notes);
    auto* buttons = new QHBoxLayout;
    m_use->setDefault(true);
    for (auto* button : {m_use, m_keepChain, m_keepKit})
        buttons->addWidget(button);
    buttons->addStretch();
    buttons->addWidget(m_remove);
    layout->addLayout(buttons);
    connect(m_search, &QLineEdit::textChanged, this, &RecipeList::filter);
    connect(m_list, &QListWidget::currentRowChanged, this, &RecipeList::showChosen);
    connect(m_list, &QListWidget::itemActivated, m_use, &QPushButton::click);
    connect(m_use, &QPushButton::clicked, this, [this] {
        if (const auto* stored = chosen())
            emit wantsUse(stored->recipe);
    });
    connect(m_keepChain, &QPushButton::clicked, this, [this] { emit wantsKeep(false); });
    connect(m_keepKit, &QPushButton::clicked, this, [this] { emit wantsKeep(true); });
    connect(m_remove, &QPushButton::clicked, this, [this] {
        if (const auto* stored = chosen()) {
            const auto removed = session::removeRecipe(*stored);
            refresh();
            if (!removed)
                m_notes->setText(QString::fromStdString(removed.error().message));
        }
    });
    refresh();
}

void RecipeList::refresh() {
    m_recipes = session::loadRecipes();
    m_list->clear();
    int first = -1;
    for (const auto& stored : m_recipes.recipes) {
        const auto& recipe = stored.recipe;
        auto* item = new QListWidgetItem(QStringLiteral("%1  \u00b7  %2%3")
                                             .arg(QString::fromStdString(recipe.name), whatFor(recipe),
                                                  stored.file.empty() ? QString() : tr("  \u00b7  mine")));
        m_list->addItem(item);
        if (first < 0 && recipe.parts.front().role == m_role && recipe.scope != session::RecipeScope::Kit)
            first = m_list->count() - 1;
    }
    m_list->setCurrentRow(std::max(0, first));
    filter();
    showChosen();
}

void RecipeList::filter() {
    for (int row = 0; row < m_list->count(); ++row) {
        const auto& recipe = m_recipes.recipes[static_cast<std::size_t>(row)].recipe;
        QString text = m_list->item(row)->text();
        for (const auto& part : recipe.parts)
            for (const auto& module : part.chain)
                text += QLatin1Char(' ') + words(session::wordsOf(module));
        m_list->item(row)->setHidden(!text.contains(m_search->text(), Qt::CaseInsensitive));
    }
    if (auto* now = m_list->currentItem(); now == nullptr || now->isHidden())
        for (int row = 0; row < m_list->count(); ++row)
            if (!m_list->item(row)->isHidden()) {
                m_list->setCurrentRow(row);
                break;
            }
}

const session::StoredRecipe* RecipeList::chosen() const {
    const auto row = m_list->currentRow();
    return row < 0 || m_list->item(row)->isHidden() ? nullptr
                                                    : &m_recipes.recipes[static_cast<std::size_t>(row)];
}

void RecipeList::showChosen() {
    const auto* stored = chosen();
    m_use->setEnabled(stored != nullptr);
    m_remove->setEnabled(stored != nullptr && !stored->file.empty());
    QStringList lines;
    if (stored != nullptr) {
        lines << QString::fromStdString(stored->recipe.notes);
        QStringList modules;
        if (stored->recipe.scope != session::RecipeScope::Kit)
            for (const auto& module : stored->recipe.parts.front().chain)
                modules << words(session::wordsOf(module));
        else
            for (const auto& part : stored->recipe.parts)
                modules << QString::fromStdString(part.name);
        lines << modules.join(QStringLiteral(", "));
    }
    for (const auto& problem : m_recipes.problems)
        lines << QString::fromStdString(problem);
    m_notes->setText(lines.join(QLatin1Char('\n')));
}

} // namespace cask::app
