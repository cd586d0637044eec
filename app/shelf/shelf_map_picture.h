// The map of the shelf: each sound a letter or a dot, like ones near each other, and words on its axes.
#pragma once

#include "app/models/shelf_model.h"

#include <QRectF>
#include <QWidget>

namespace cask::app {

class ShelfMapPicture : public QWidget {
    Q_OBJECT

  public:
    explicit ShelfMapPicture(ShelfModel& model, QWidget* parent = nullptr);
    /// Those that stand in the list; the others are faint.
    void setListed(const std::vector<const layers::ShelfSound*>& listed);
    void setChosen(std::int64_t sound);
    /// What the list is held to: a part of the map, both sides from -1 to 1; null for all.
    [[nodiscard]] QRectF box() const { return m_box; }
    void clearBox();
    /// What goes along with an axis, in words.
    [[nodiscard]] QString axisText(int axis) const;
    [[nodiscard]] QPointF pointOf(const std::array<float, 2>& place) const;

  signals:
    void soundChosen(qint64 sound);
    void boxEdited();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    bool event(QEvent* event) override;

  private:
    struct Mark {
        std::int64_t id;
        QString name;
        QChar letter;
        std::array<float, 2> place;
    };
    [[nodiscard]] QRectF plot() const;
    [[nodiscard]] const Mark* markNear(QPointF at) const;
    [[nodiscard]] QPointF placeAt(QPointF at) const;

    ShelfModel& m_model;
    std::vector<Mark> m_listed;
    std::int64_t m_chosen = 0;
    std::int64_t m_under = 0; ///< the pointer
    QRectF m_box;
    QPointF m_press;
    bool m_isPressed = false;
    bool m_isBoxing = false;
};

} // namespace cask::app
