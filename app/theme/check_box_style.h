// The platform-neutral style with a check box whose frame is seen in both themes.
#pragma once

#include <QProxyStyle>

namespace cask::app {

class CheckBoxStyle : public QProxyStyle {
    Q_OBJECT

  public:
    CheckBoxStyle();
    void drawPrimitive(PrimitiveElement element, const QStyleOption* option, QPainter* painter,
                       const QWidget* widget) const override;
};

} // namespace cask::app
