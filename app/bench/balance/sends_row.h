// Copies of an element's sound to buses, each at its own level.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

#include <vector>

class QCheckBox;
class QComboBox;
class QHBoxLayout;

namespace cask::app {

class ValueBar;

class SendsRow : public QWidget {
    Q_OBJECT

  public:
    explicit SendsRow(const Desk& desk, QWidget* parent = nullptr);
    /// Levels that are shown and set hold in this section alone; empty: in all of the song.
    void setSection(const std::string& section);
    /// "Send a copy to ...", with the buses it may go to.
    [[nodiscard]] QComboBox* addChoice() const { return m_add; }
    /// Level of the copy to a bus; null when there is none.
    [[nodiscard]] ValueBar* levelBar(Id bus) const;

  private:
    void refresh();
    void edit(Id bus, const QString& what, bool isDragging,
              const std::function<void(session::Send&)>& change);
    void editLevel(Id bus, double value, bool isDragging);
    void remove(Id bus);
    void addSend(int index);

    struct Item {
        Id bus;
        QWidget* box;
        ValueBar* level;
        QCheckBox* early;
    };
    Desk m_desk;
    QHBoxLayout* m_layout;
    QComboBox* m_add;
    std::vector<Item> m_items;
    std::string m_section;
    Id m_owner = session::kNoId;
};

} // namespace cask::app
