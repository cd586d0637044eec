// The whole kit by band: who owns which, and where two elements get in each other's way.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

namespace cask::app {

class KitTonePicture : public QWidget {
    Q_OBJECT

  public:
    explicit KitTonePicture(const Desk& desk, QWidget* parent = nullptr);
    /// "Kick In has 82 % of 63 Hz" or what the two conflict in.
    [[nodiscard]] QString wordsAt(const QPointF& at) const;
    /// Middle of a cell, for tests.
    [[nodiscard]] QPointF cellCentre(std::size_t row, int band) const;

  signals:
    void elementChosen(session::Id element);

  protected:
    bool event(QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;

  private:
    [[nodiscard]] double totalsHeight() const;
    [[nodiscard]] QRectF grid() const;
    [[nodiscard]] QRectF totals() const;
    [[nodiscard]] QRectF cell(std::size_t row, int band) const;
    [[nodiscard]] std::pair<int, int> cellAt(const QPointF& at) const; ///< row and band; -1 outside
    /// Conflict that an element has in a band, if it is one of the worst there.
    [[nodiscard]] const advise::ConflictMeasure* conflictOf(std::size_t row, int band) const;
    void paintRows(QPainter& p) const;
    void paintTotals(QPainter& p) const;

    Desk m_desk;
    QPointF m_pointer{-1, -1};
};

} // namespace cask::app
