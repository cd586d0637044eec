// Pictures of a stack: its layers over each other in time, by bands, and strike by strike.
#pragma once

#include "app/models/layer_model.h"

#include <QWidget>

namespace cask::app {

struct LayerPicturePx {
    static constexpr double kName = 108; ///< left of the rows
    static constexpr double kHead = 26;
    static constexpr double kFoot = 20;
};

/// One row for each layer, aligned on the strike. A row is chosen by a click and dragged to another offset;
/// the wheel zooms, down to single samples. Left and right move the chosen layer by 1 ms, with Shift by a
/// sample. Small squares on the chosen row are where its sound starts, ends and fades.
class LayersPicture : public QWidget {
    Q_OBJECT

  public:
    explicit LayersPicture(LayerModel& model, QWidget* parent = nullptr);
    /// What is seen of the time around the strike.
    [[nodiscard]] double fromMs() const { return m_fromMs; }
    [[nodiscard]] double toMs() const { return m_toMs; }
    [[nodiscard]] QRectF rowRect(int layer) const;
    [[nodiscard]] double xOf(double ms) const;
    /// What is dragged of the chosen layer's sound.
    enum class Grip { None, Start, End, FadeIn, FadeOut };
    /// Null where it lies outside of what is seen.
    [[nodiscard]] QPointF gripAt(Grip grip) const;
    /// What a layer is worth, and what all of them make together; in words.
    [[nodiscard]] QString textOf(int layer) const;
    /// How many layers play at the strike that is looked at: one alone has nothing to be compared with.
    [[nodiscard]] int struckTogether() const;
    [[nodiscard]] QString sumText() const;

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    [[nodiscard]] QRectF plot() const;
    void moveBy(double ms);
    void dragGrip(double ms);
    void paintGrips(QPainter& p) const;
    void paintName(QPainter& p, const QRectF& row, int layer, const QString& below) const;
    void paintWave(QPainter& p, const QRectF& row, int layer, double shiftMs) const;

    LayerModel& m_model;
    double m_fromMs = -20;
    double m_toMs = 220;
    double m_dragFromX = 0;
    double m_draggedMs = 0;
    bool m_isDragging = false;
    Grip m_grip = Grip::None;
};

/// Shares of the layers in each third of an octave, one above the other; the owner of the lows is named.
class LayerBandsPicture : public QWidget {
    Q_OBJECT

  public:
    explicit LayerBandsPicture(LayerModel& model, QWidget* parent = nullptr);

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    LayerModel& m_model;
};

/// One line for each layer over the performance: a mark where it plays, a dot where it does not.
class LayerStrikesPicture : public QWidget {
    Q_OBJECT

  public:
    explicit LayerStrikesPicture(LayerModel& model, QWidget* parent = nullptr);

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    LayerModel& m_model;
};

/// The shade of a layer in all three.
[[nodiscard]] QColor layerShade(int layer);

} // namespace cask::app
