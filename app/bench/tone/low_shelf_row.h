// The values of the low shelf pair of the chosen element or bus.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

#include <core/session/session.h>
#include <functional>
#include <vector>

class QCheckBox;
class QLabel;
class QPushButton;

namespace cask::app {

class ValueBar;

class LowShelfRow : public QWidget {
    Q_OBJECT

  public:
    explicit LowShelfRow(const Desk& desk, QWidget* parent = nullptr);
    /// Of the chosen element; null when it has none.
    [[nodiscard]] const session::Module* module() const;
    [[nodiscard]] ValueBar* bar(const QString& id) const;
    [[nodiscard]] QPushButton* addButton() const { return m_add; }
    [[nodiscard]] QPushButton* removeButton() const { return m_remove; }

  signals:
    void moduleChanged();

  private:
    void makeBars();
    void refresh();
    void add();
    void edit(const QString& words, const std::function<void(session::Module&)>& change,
              const QString& merge);

    Desk m_desk;
    QLabel* m_words;
    QCheckBox* m_on;
    QPushButton* m_add;
    QPushButton* m_remove;
    std::vector<std::pair<QString, ValueBar*>> m_bars;
};

} // namespace cask::app
