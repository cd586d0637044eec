// The job at a glance: a row per element and bus, a column per stage.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

#include <map>
#include <vector>

namespace cask::app {

class Board : public QWidget {
    Q_OBJECT

  public:
    explicit Board(const Desk& desk, QWidget* parent = nullptr);

    [[nodiscard]] QSize sizeHint() const override;
    [[nodiscard]] QSize minimumSizeHint() const override { return sizeHint(); }
    /// For tests and tool tips: where things are and what a cell says.
    [[nodiscard]] QRect cellRect(Id id, Stage stage) const;
    [[nodiscard]] QRect aloneRect(Id id) const;
    [[nodiscard]] QRect silentRect(Id id) const;
    [[nodiscard]] QString cellText(Id id, Stage stage) const;
    /// Cells that were ever painted: playing paints none.
    [[nodiscard]] int paintedCells() const { return m_paintedCells; }
    [[nodiscard]] QString cellHelp(Id id, Stage stage) const;

  signals:
    /// A row came into view by keyboard.
    void wantsVisible(QRect rect);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

  private:
    struct Row {
        Id id = session::kNoId; ///< none: the heading of the buses
        int top = 0;
    };
    void rebuild();
    void readLevels();
    void readCompressor(Id id, bool plays);
    [[nodiscard]] QString modulesText(Id id, Stage stage) const;
    [[nodiscard]] const Row* rowAt(int y) const;
    [[nodiscard]] const Row* rowOf(Id id) const;
    void paintRow(QPainter& p, const Row& row, const QRegion& dirty);
    void paintCell(QPainter& p, const QRect& rect, Id id, Stage stage);
    void paintMarks(QPainter& p, Id id);
    [[nodiscard]] bool needsAttention(Id id, Stage stage) const;

    Desk m_desk;
    std::vector<Row> m_rows;
    int m_paintedCells = 0;
    std::map<Id, double> m_levelDb;      // shown, falls slowly
    std::map<Id, double> m_compressorDb; // while it plays
};

} // namespace cask::app
