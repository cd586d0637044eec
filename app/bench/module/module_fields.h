// The values of a module of any kind, made from its description.
#pragma once

#include "app/models/module_edits.h"

#include <QWidget>

#include <core/session/parameters.h>
#include <functional>
#include <vector>

class QCheckBox;
class QHBoxLayout;
class QVBoxLayout;

namespace cask::app {

class ChoiceRow;
class ValueBar;

/// A bar for each number, a row of words for each choice, a box for each switch.
class ModuleFields : public QWidget {
    Q_OBJECT

  public:
    /// `standard`: settings of the kind.
    ModuleFields(Document& document, const session::ModuleSettings& standard, QWidget* parent = nullptr);
    /// Adds a row of values, left to right.
    QHBoxLayout* addRow(const std::vector<std::string>& ids);
    /// What is shown and edited, in a section when one is named; nothing to edit when it is gone: then the
    /// kind's own settings are shown, or those given.
    void showModule(const ModuleAt& at, const std::string& section);
    void showModule(const ModuleAt& at, const session::ModuleSettings& elseShown, const std::string& section);
    /// Called in every edit of a value with its id: what must go along with it.
    std::function<void(session::Module&, const std::string& id)> goAlong;
    /// Whether a value means something beside the others.
    std::function<bool(const session::ModuleSettings&, std::string_view id)> isUsed;

    [[nodiscard]] ValueBar* bar(std::string_view id) const;
    [[nodiscard]] ChoiceRow* choice(std::string_view id) const;

  private:
    struct Row {
        const session::ParameterInfo* info;
        ValueBar* bar = nullptr;
        ChoiceRow* choice = nullptr;
        QCheckBox* box = nullptr;
    };
    [[nodiscard]] QWidget* make(const session::ParameterInfo& info);
    void edit(const std::string& id, double value, bool isDragging);

    Document& m_document;
    session::ModuleSettings m_standard;
    ModuleAt m_at;
    std::string m_section;
    QVBoxLayout* m_layout;
    std::vector<Row> m_rows;
};

} // namespace cask::app
