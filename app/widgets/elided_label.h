// One line of text that says with dots that there is more of it than room; the whole is its tool tip.
#pragma once

#include <QLabel>

namespace cask::app {

class ElidedLabel : public QLabel {
  public:
    using QLabel::QLabel;
    /// The whole text, however much of it is seen.
    void setText(const QString& text);
    [[nodiscard]] QSize minimumSizeHint() const override;

  protected:
    void paintEvent(QPaintEvent* event) override;
};

} // namespace cask::app
