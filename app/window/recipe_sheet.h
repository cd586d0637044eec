// A chain before it is put on elements: which modules, and what their values become there.
#pragma once

#include "app/models/desk.h"

#include <QDialog>

#include <core/session/recipe.h>
#include <set>

class QCheckBox;
class QLabel;
class QPushButton;
class QTableWidget;

namespace cask::app {

class ChoiceRow;

class RecipeSheet : public QDialog {
    Q_OBJECT

  public:
    /// `owners`: where it goes; of a kit each part finds its own place.
    RecipeSheet(const Desk& desk, session::Recipe recipe, std::vector<Id> owners, QWidget* parent = nullptr);

    [[nodiscard]] const std::vector<QCheckBox*>& modules() const { return m_modules; }
    [[nodiscard]] ChoiceRow& adapting() const { return *m_adapting; }
    [[nodiscard]] ChoiceRow& placing() const { return *m_placing; }
    [[nodiscard]] QTableWidget& values() const { return *m_values; }
    [[nodiscard]] QPushButton& tryButton() const { return *m_try; }
    [[nodiscard]] QPushButton& takeButton() const { return *m_take; }
    [[nodiscard]] QString notesText() const;

    /// What is known of an element while this is shown.
    [[nodiscard]] static session::FactsOf factsIn(const Desk& desk);

  protected:
    /// Keys belong to the sheet while it is active: Space ticks, it does not play.
    bool event(QEvent* event) override;

  private:
    void replan();
    [[nodiscard]] session::Recipe wanted() const;
    void take();

    Desk m_desk;
    session::Recipe m_recipe;
    std::vector<Id> m_owners;
    session::RecipePlan m_plan;
    std::vector<QCheckBox*> m_modules;
    ChoiceRow* m_adapting;
    ChoiceRow* m_placing;
    QTableWidget* m_values;
    QLabel* m_notes;
    QPushButton* m_try;
    QPushButton* m_take;
};

} // namespace cask::app
