// A value as a horizontal bar with its number: drag, wheel, arrow keys, or type with unit.
#pragma once

#include <QWidget>

#include <core/session/parameters.h>
#include <functional>
#include <optional>

class QLineEdit;

namespace cask::app {

class ValueBar : public QWidget {
    Q_OBJECT
    Q_PROPERTY(double value READ value WRITE setValue NOTIFY valueEdited)

  public:
    explicit ValueBar(const session::ParameterInfo& info, QWidget* parent = nullptr);

    [[nodiscard]] const session::ParameterInfo& info() const { return m_info; }
    [[nodiscard]] double value() const { return m_value; }
    /// Shows a value; emits nothing.
    void setValue(double value);
    /// Says a value in words; empty where its number is said.
    std::function<QString(double)> sayValue;
    [[nodiscard]] QString valueText() const;
    /// What is written beside the number, where that is not its whole name.
    void setCaption(const QString& caption) { m_caption = caption; }
    /// Reads what is no number with unit, such as a note value; nothing when it is not that either.
    std::function<std::optional<double>(const QString&)> readSpecial;
    [[nodiscard]] QSize sizeHint() const override;

  signals:
    /// A person changed it; `isDragging` until the button is let go.
    void valueEdited(double value, bool isDragging);
    /// A drag or a row of key presses has ended.
    void editFinished();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void focusInEvent(QFocusEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    bool event(QEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void propose(double value, bool isDragging);
    void beginTyping(const QString& first);
    void endTyping(bool takes);
    [[nodiscard]] QRect barRect() const;

    session::ParameterInfo m_info;
    double m_value;
    std::optional<QString> m_caption;
    bool m_isDragging = false;
    double m_dragShare = 0;
    QPoint m_dragFrom;
    QLineEdit* m_editor = nullptr;
};

} // namespace cask::app
