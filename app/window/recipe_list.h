// All recipes by role: looked for, put on what is selected, kept, removed.
#pragma once

#include <QDialog>

#include <core/session/recipe_files.h>

class QLabel;
class QLineEdit;
class QListWidget;
class QPushButton;

namespace cask::app {

class RecipeList : public QDialog {
    Q_OBJECT

  public:
    /// `role`: of what is selected; its recipes are chosen first.
    explicit RecipeList(Role role, QWidget* parent = nullptr);

    [[nodiscard]] QLineEdit& search() const { return *m_search; }
    [[nodiscard]] QListWidget& list() const { return *m_list; }
    [[nodiscard]] QPushButton& useButton() const { return *m_use; }
    [[nodiscard]] QPushButton& removeButton() const { return *m_remove; }
    [[nodiscard]] QPushButton& keepChainButton() const { return *m_keepChain; }
    [[nodiscard]] QPushButton& keepKitButton() const { return *m_keepKit; }
    /// Reads them anew.
    void refresh();

  signals:
    void wantsUse(const cask::session::Recipe& recipe);
    void wantsKeep(bool isWholeKit);

  private:
    void filter();
    void showChosen();
    [[nodiscard]] const session::StoredRecipe* chosen() const;

    Role m_role;
    session::Recipes m_recipes;
    QLineEdit* m_search;
    QListWidget* m_list;
    QLabel* m_notes;
    QPushButton* m_use;
    QPushButton* m_keepChain;
    QPushButton* m_keepKit;
    QPushButton* m_remove;
};

} // namespace cask::app
