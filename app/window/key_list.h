// All keys in one searchable list.
#pragma once

#include <QDialog>

class QLineEdit;
class QListWidget;

namespace cask::app {

struct KeyEntry {
    QString keys;
    QString what;
    QString where;
};

/// Keys that no menu action holds; the menu's own are added by the window.
[[nodiscard]] QList<KeyEntry> benchKeys();

class KeyList : public QDialog {
    Q_OBJECT

  public:
    KeyList(const QList<KeyEntry>& keys, QWidget* parent);
    [[nodiscard]] int shownRows() const;
    [[nodiscard]] QLineEdit* searchField() const { return m_search; }

  private:
    void filter(const QString& text);
    QLineEdit* m_search;
    QListWidget* m_list;
};

} // namespace cask::app
