// The Shelf page: one-shots of whole folders, searched, mapped, heard in the kit, and taken from there.
#pragma once

#include "app/models/shelf_model.h"

#include <QWidget>

#include <functional>

class QComboBox;
class QLabel;
class QLineEdit;
class QMenu;
class QProgressBar;
class QPushButton;
class QTableView;

namespace cask::app {

class ChoiceRow;
class ShelfList;
class ShelfMapPicture;

class ShelfPage : public QWidget {
    Q_OBJECT

  public:
    explicit ShelfPage(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] ShelfModel& model() { return *m_model; }
    /// Tests answer instead of the dialog.
    std::function<QString()> askForFolder;
    // For tests.
    [[nodiscard]] QLineEdit& words() { return *m_words; }
    [[nodiscard]] QComboBox& role() { return *m_role; }
    [[nodiscard]] QTableView& table() { return *m_table; }
    [[nodiscard]] ShelfList& list() { return *m_list; }
    [[nodiscard]] ShelfMapPicture& picture() { return *m_map; }
    [[nodiscard]] ChoiceRow& place() { return *m_place; }
    [[nodiscard]] QPushButton& onBassButton() { return *m_onBass; }
    [[nodiscard]] QString statusText() const;

  public slots:
    void addFolder();
    void hearOrStop();
    void askLike();
    void askComplement();
    void takeSound();

  signals:
    /// A sound is to become a layer of the selected element, or be struck by its hits.
    void soundTaken(const QStringList& files);

  protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void ask();
    void fillList();
    void fillFolders();
    void refresh();
    [[nodiscard]] layers::ShelfQuery query() const;
    [[nodiscard]] bool isWanted(const layers::ShelfSound& sound) const;
    [[nodiscard]] const layers::ShelfSound* chosen() const;

    Desk m_desk;
    ShelfModel* m_model;
    QLabel* m_title;
    QPushButton* m_folders;
    QMenu* m_folderMenu;
    QProgressBar* m_progress;
    QPushButton* m_stop;
    QLineEdit* m_words;
    QComboBox* m_role;
    QComboBox* m_number;
    QLineEdit* m_least;
    QLineEdit* m_most;
    QPushButton* m_subject; ///< what is asked about; a click goes back to the search
    ShelfMapPicture* m_map;
    ShelfList* m_list;
    QTableView* m_table;
    ChoiceRow* m_place;
    QPushButton* m_hear;
    QPushButton* m_like;
    QPushButton* m_complement;
    QPushButton* m_likeMoment;
    QPushButton* m_onBass;
    QPushButton* m_take;
    QLabel* m_status;
};

} // namespace cask::app
