// The bench of a step of the job that has no picture of its own: the values of its modules, made from their
// descriptions.
#pragma once

#include "app/models/desk.h"
#include "app/models/module_edits.h"

#include <QWidget>

#include <functional>
#include <vector>

class QVBoxLayout;

namespace cask::app {

class ChainOrderRow;
class ModuleActions;
class ModuleFields;
class MoreButton;

class StageBench : public QWidget {
    Q_OBJECT

  public:
    StageBench(const Desk& desk, Stage stage, QWidget* parent = nullptr);
    [[nodiscard]] QString summary() const;
    /// The module that is set; null when there is none.
    [[nodiscard]] const session::Module* module() const;
    /// Called in every edit of a value with its id: what must go along with it.
    std::function<void(session::Module&, const std::string& id)> goAlong;
    // For tests.
    [[nodiscard]] ModuleActions& actions() { return *m_actions; }
    [[nodiscard]] ChainOrderRow& order() { return *m_order; }
    /// Null without a module.
    [[nodiscard]] ModuleFields* fields() { return m_fields; }
    /// What is folded; null where nothing is.
    [[nodiscard]] ModuleFields* more() { return m_more; }
    [[nodiscard]] MoreButton& moreButton() { return *m_moreButton; }

  signals:
    /// Another module, or other values of it, are shown.
    void moduleShown();

  private:
    /// Of the chosen element or bus, in the order of its chain.
    [[nodiscard]] std::vector<const session::Module*> modules() const;
    void add(int kind);
    void refresh();
    void showFields(const session::Module* module);
    void makeFields(const session::ModuleSettings& settings);

    Desk m_desk;
    Stage m_stage;
    std::vector<session::ModuleSettings> m_kinds;
    Id m_chosen = session::kNoId;
    QVBoxLayout* m_layout;
    ModuleActions* m_actions;
    ChainOrderRow* m_order;
    ModuleFields* m_fields = nullptr;
    ModuleFields* m_more = nullptr; ///< what is seldom set; null where all fits
    MoreButton* m_moreButton;
    std::string m_fieldsOf; ///< kind
};

} // namespace cask::app
