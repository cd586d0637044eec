// The pieces of a loop by drum: where each is heard, and where it will be.
#pragma once

#include "app/models/loop_model.h"

#include <QWidget>

namespace cask::app {

class LoopPicture : public QWidget {
    Q_OBJECT

  public:
    explicit LoopPicture(LoopModel& model, QWidget* parent = nullptr);
    [[nodiscard]] QSize sizeHint() const override { return {600, 180}; }
    /// The stretch that is shown, s of the session.
    [[nodiscard]] double fromS() const { return m_fromS; }
    [[nodiscard]] double toS() const { return m_toS; }

  protected:
    void paintEvent(QPaintEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    [[nodiscard]] QRectF plot() const;
    [[nodiscard]] double xOf(double timeS) const;
    void zoom(double factor, double aroundS);
    void follow();
    void paintGrid(QPainter& p) const;
    void paintPieces(QPainter& p) const;

    LoopModel& m_model;
    double m_startS = 0, m_endS = 1; ///< of all pieces
    double m_fromS = 0, m_toS = 1;
};

} // namespace cask::app
