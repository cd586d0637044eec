// The row of a bench that sets modules: adding one, which one is set, whether it is on, whom it hears, where
// its values hold, removing it.
#pragma once

#include "app/bench/module/module_boxes.h"

#include <QWidget>

#include <vector>

class QCheckBox;
class QHBoxLayout;
class QPushButton;

namespace cask::app {

class ChoiceRow;

class ModuleActions : public QWidget {
    Q_OBJECT

  public:
    /// `kinds`: what can be added, as people read it.
    ModuleActions(Document& document, const QStringList& kinds, QWidget* parent = nullptr);
    /// Those of an element or bus, first to last, and the one that is set (null: none).
    void showModules(Id owner, const std::vector<const session::Module*>& modules,
                     const session::Module* chosen);
    /// Where values hold; empty: everywhere.
    [[nodiscard]] std::string section() const { return m_section->section(); }
    void addToEnd(QWidget* widget);
    /// A chain with one has no use for a second: it can't be added here.
    void offerOnlyOne() { m_isOnlyOne = true; }

    [[nodiscard]] QPushButton& addButton(int kind = 0) { return *m_add[static_cast<std::size_t>(kind)]; }
    [[nodiscard]] QComboBox& whichBox() { return *m_which; }
    [[nodiscard]] QComboBox& keyBox() { return *m_key; }
    [[nodiscard]] ChoiceRow& tapRow() { return *m_tap; }
    /// Where there are several kinds it has no place in this row: the bench gives it one.
    [[nodiscard]] QComboBox& sectionBox() { return *m_section; }
    [[nodiscard]] QPushButton& removeButton() { return *m_remove; }
    [[nodiscard]] QCheckBox& onBox() { return *m_on; }

  signals:
    void wantsAdd(int kind);
    void moduleChosen(Id module);
    /// A section was chosen, or a key that was refused: show what is.
    void wantsRefresh();

  private:
    void connectAll();

    Document& m_document;
    ModuleAt m_at;
    QStringList m_kinds;
    bool m_isOnlyOne = false;
    std::vector<QPushButton*> m_add;
    QHBoxLayout* m_row;
    QComboBox* m_which;
    QCheckBox* m_on;
    QWidget* m_keyLabel;
    KeyBox* m_key;
    ChoiceRow* m_tap;
    SectionBox* m_section;
    QPushButton* m_remove;
};

} // namespace cask::app
