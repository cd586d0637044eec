// The plane of level against position: every element a token that is dragged or nudged.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

#include <map>

namespace cask::app {

class BalancePlane : public QWidget {
    Q_OBJECT

  public:
    explicit BalancePlane(const Desk& desk, QWidget* parent = nullptr);
    /// Where a token's anchor is: its position and level.
    [[nodiscard]] QPointF anchor(Id element) const;

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;

  private:
    [[nodiscard]] QRectF plot() const;
    [[nodiscard]] double yOf(double db) const;
    [[nodiscard]] double dbAt(double y) const;
    [[nodiscard]] double xOf(double pan) const;
    [[nodiscard]] double panAt(double x) const;
    [[nodiscard]] Id tokenAt(const QPointF& at) const;
    void layOutTokens();
    void move(double pan, double levelDb);
    void readLevels();
    void paintAxes(QPainter& p) const;
    /// Width of a stereo element as a line, under all tokens.
    void paintSpan(QPainter& p, const session::Element& e);
    void paintToken(QPainter& p, const session::Element& e);

    Desk m_desk;
    std::map<Id, QRectF> m_tokens; // labels, moved apart so that they do not cover each other
    std::map<Id, double> m_levelDb;
    Id m_dragged = session::kNoId;
    QPointF m_grip;
};

} // namespace cask::app
