// The job at a glance: a row per element and bus, a column per stage.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

#include <map>
#include <optional>
#include <set>
#include <vector>

namespace cask::app {

class Board : public QWidget {
    Q_OBJECT

  public:
    explicit Board(const Desk& desk, QWidget* parent = nullptr);

    [[nodiscard]] QSize sizeHint() const override;
    [[nodiscard]] QSize minimumSizeHint() const override { return sizeHint(); }
    /// For tests and tool tips: where things are and what a cell says. Null while a row is folded or hidden.
    [[nodiscard]] QRect rowRect(Id id) const;
    [[nodiscard]] QRect cellRect(Id id, Stage stage) const;
    [[nodiscard]] QRect aloneRect(Id id) const;
    [[nodiscard]] QRect silentRect(Id id) const;
    /// Of the mark that folds the rows of what goes to a bus; of kNoId the one of all buses.
    [[nodiscard]] QRect foldRect(Id bus) const;
    /// Of the mark that a peak over full scale leaves.
    [[nodiscard]] QRect clipRect(Id id) const;
    /// At most five characters.
    [[nodiscard]] QString cellText(Id id, Stage stage) const;
    [[nodiscard]] QString cellHelp(Id id, Stage stage) const;
    /// Of what is frozen that it is, or was; else what an element is, where its name does not say it.
    [[nodiscard]] QString roleText(Id id) const;
    /// Cells that were ever painted: playing paints none.
    [[nodiscard]] int paintedCells() const { return m_paintedCells; }

    // What is seen of the rows; nothing of the session.
    void setFolded(Id bus, bool on); ///< kNoId: all buses
    [[nodiscard]] bool isFolded(Id bus) const { return m_folded.contains(bus); }
    void hideRows(const std::vector<Id>& rows);
    void showHiddenRows();
    [[nodiscard]] bool hasHiddenRows() const { return !m_hidden.empty(); }
    /// Whether it reached full scale since it was last cleared.
    [[nodiscard]] bool isClipped(Id id) const { return m_clipped.contains(id); }
    void clearClips();

  signals:
    /// A row came into view by keyboard.
    void wantsVisible(QRect rect);
    /// What can be done with the selection is asked for there.
    void wantsMenu(QPoint globalPosition);
    /// Sounds of the shelf were dropped on an element; it is selected.
    void soundsDropped(const QStringList& files);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dragMoveEvent(QDragMoveEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    bool event(QEvent* event) override;

  private:
    static constexpr int kRowPx = 22;
    static constexpr int kTallRowPx = 34; ///< of a name with a role under it
    static constexpr int kHeadPx = 26;
    static constexpr int kNameX = 18;
    static constexpr int kNamePx = 108;
    static constexpr int kMarksX = kNameX + kNamePx + 4;
    static constexpr int kCellsX = kMarksX + 38;
    static constexpr int kCellPx = 41;
    static constexpr int kWidth = kCellsX + kCellPx * static_cast<int>(kStages.size()) + 6;
    static constexpr int kLinePx = kNamePx - 12;
    static constexpr double kLeastDb = -60;

    struct Row {
        Id id = session::kNoId; ///< none: the heading of the buses
        int top = 0;
        int height = kRowPx;
    };
    void rebuild();
    void readLevels();
    void readCompressor(Id id, bool plays);
    void describe();
    [[nodiscard]] static Stage stageAt(int x);
    /// Length of the level line: from -60 dBFS to full scale.
    [[nodiscard]] static int levelPx(double db);
    [[nodiscard]] QString valueHelp(Id id, Stage stage, const QString& text) const;
    [[nodiscard]] QString modulesText(Id id, Stage stage) const;
    [[nodiscard]] const advise::DriveMeasure* driveOf(const session::Module& module) const;
    [[nodiscard]] bool isShown(const session::Element& e) const;
    [[nodiscard]] int elementsOf(Id bus) const;
    [[nodiscard]] const Row* rowAt(int y) const;
    [[nodiscard]] const Row* rowOf(Id id) const;
    void toggle(Id id, bool alone, bool isOnly);
    void chooseByMouse(const Row& row, Qt::KeyboardModifiers keys);
    void step(int rows, bool extends);
    void paintHeading(QPainter& p, const Row& row);
    void paintRow(QPainter& p, const Row& row, const QRegion& dirty);
    void paintName(QPainter& p, const Row& row);
    void paintCell(QPainter& p, const QRect& rect, Id id, Stage stage);
    void paintMarks(QPainter& p, Id id);
    [[nodiscard]] bool isRidden(Id id, Stage stage) const;
    /// The element before which a dragged row would come; kNoId: behind all.
    [[nodiscard]] Id dropBefore(int y) const;
    void paintDrop(QPainter& p);
    /// An element that sounds can be dropped on; kNoId: there is none.
    [[nodiscard]] Id elementUnder(int y) const;
    void paintFold(QPainter& p, const QRect& rect, bool isFolded);

    Desk m_desk;
    std::vector<Row> m_rows;
    int m_paintedCells = 0;
    std::map<Id, double> m_levelDb;      // shown, falls slowly
    std::map<Id, double> m_compressorDb; // while it plays
    std::set<Id> m_folded;               // buses
    std::set<Id> m_playedFrozen;
    std::set<Id> m_hidden; // rows that a person put away
    std::set<Id> m_clipped;
    Id m_dragged = session::kNoId; // element whose row is under way
    QPoint m_press;
    std::optional<int> m_dropY; // where it is, once it is dragged
};

} // namespace cask::app
