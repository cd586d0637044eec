// The values of a module that is nothing but its values: the low end, the body.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

#include <core/session/parameters.h>
#include <vector>

class QCheckBox;
class QLabel;
class QPushButton;

namespace cask::app {

class ValueBar;

class ModuleRow : public QWidget {
    Q_OBJECT

  public:
    enum class Kind { LowEnd, Body };
    ModuleRow(const Desk& desk, Kind kind, QWidget* parent = nullptr);
    /// Of the chosen element; null when it has none.
    [[nodiscard]] const session::Module* module() const;
    [[nodiscard]] ValueBar* bar(const QString& id) const;
    [[nodiscard]] QPushButton* addButton() const { return m_add; }
    [[nodiscard]] QPushButton* removeButton() const { return m_remove; }

  signals:
    void moduleChanged();

  private:
    template <class T> void makeBars(std::span<const session::Field<T>> fields);
    template <class T> void showValues(std::span<const session::Field<T>> fields);
    void refresh();
    void add();
    void edit(const QString& words, const std::function<void(session::Module&)>& change,
              const QString& merge);

    Desk m_desk;
    Kind m_kind;
    QLabel* m_words;
    QCheckBox* m_on;
    QPushButton* m_add;
    QPushButton* m_remove;
    std::vector<std::pair<QString, ValueBar*>> m_bars;
};

} // namespace cask::app
