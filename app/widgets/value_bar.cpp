#include "app/widgets/value_bar.h"

#include "app/theme/theme.h"

#include <QKeyEvent>
#include <QLineEdit>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <QWheelEvent>

#include <algorithm>

namespace cask::app {
namespace {

bool beginsNumber(const QString& text) {
    return !text.isEmpty() && (text[0].isDigit() || QStringLiteral("+-.,").contains(text[0]));
}

} // namespace

using session::ParameterKind;

ValueBar::ValueBar(const session::ParameterInfo& info, QWidget* parent)
    : QWidget(parent), m_info(info), m_value(info.standard) {
    setFocusPolicy(Qt::StrongFocus);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    setAccessibleName(QString::fromUtf8(info.words.data(), static_cast<int>(info.words.size())));
    setToolTip(QString::fromUtf8(info.help.data(), static_cast<int>(info.help.size())) +
               tr("\nDrag, wheel or arrow keys; Shift for fine steps; type a number with its unit; "
                  "double-click for the standard value."));
    setValue(m_value);
}

QSize ValueBar::sizeHint() const {
    return {168, 40};
}

QRect ValueBar::barRect() const {
    return {0, height() - 10, width(), 6};
}

void ValueBar::setValue(double value) {
    value = session::clampValue(m_info, value);
    if (m_editor != nullptr && value != m_value)
        endTyping(false); // the bar shows something else now: what was being typed was not meant for it
    m_value = value;
    setAccessibleDescription(valueText());
    update();
}

QString ValueBar::valueText() const {
    const QString said = sayValue ? sayValue(m_value) : QString();
    return said.isEmpty() ? pretty(session::formatValue(m_info, m_value)) : said;
}

void ValueBar::propose(double value, bool isDragging) {
    value = session::clampValue(m_info, value);
    if (value == m_value)
        return;
    setValue(value);
    emit valueEdited(m_value, isDragging);
}

void ValueBar::paintEvent(QPaintEvent*) {
    QPainter p(this);
    const Theme& t = theme();
    p.setFont(textFont(12));
    p.setPen(t.faint);
    const QRect text = rect().adjusted(0, 2, 0, -14);
    p.drawText(text, Qt::AlignLeft | Qt::AlignVCenter, m_caption.value_or(accessibleName()));
    p.setFont(textFont(14, QFont::DemiBold));
    p.setPen(isEnabled() ? t.ink : t.faint);
    p.drawText(text, Qt::AlignRight | Qt::AlignVCenter, valueText());
    const QRect bar = barRect();
    p.fillRect(bar, t.line);
    // From zero where the range has both signs, else from the least value.
    const bool isSigned = m_info.least < 0 && m_info.most > 0;
    const double zero = isSigned ? session::toShare(m_info, 0) : 0;
    const double share = session::toShare(m_info, m_value);
    const int a = static_cast<int>(std::min(zero, share) * bar.width());
    const int b = static_cast<int>(std::max(zero, share) * bar.width());
    p.fillRect(QRect(bar.left() + a, bar.top(), std::max(2, b - a), bar.height()),
               isEnabled() ? t.teal : t.slate.lighter(themeKind() == ThemeKind::Light ? 170 : 60));
    if (isSigned)
        p.fillRect(
            QRect(bar.left() + static_cast<int>(zero * bar.width()), bar.top() - 2, 1, bar.height() + 4),
            t.ink);
    if (hasFocus())
        p.fillRect(QRect(0, height() - 2, width(), 2), t.ember);
}

void ValueBar::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton)
        return;
    m_isDragging = true;
    m_dragFrom = event->pos();
    m_dragShare = session::toShare(m_info, m_value);
}

void ValueBar::mouseMoveEvent(QMouseEvent* event) {
    if (!m_isDragging)
        return;
    const double fine = (event->modifiers() & Qt::ShiftModifier) != 0 ? 0.1 : 1;
    const double moved = static_cast<double>(event->pos().x() - m_dragFrom.x()) / std::max(1, width());
    propose(session::fromShare(m_info, m_dragShare + fine * moved), true);
}

void ValueBar::mouseReleaseEvent(QMouseEvent*) {
    if (!m_isDragging)
        return;
    m_isDragging = false;
    emit editFinished();
}

void ValueBar::mouseDoubleClickEvent(QMouseEvent*) {
    m_isDragging = false;
    propose(m_info.standard, false);
    emit editFinished();
}

void ValueBar::wheelEvent(QWheelEvent* event) {
    const double fine = (event->modifiers() & Qt::ShiftModifier) != 0 ? 0.1 : 1;
    propose(session::nudged(m_info, m_value, fine * event->angleDelta().y() / 120.0), true);
    event->accept();
}

void ValueBar::keyPressEvent(QKeyEvent* event) {
    const double fine = (event->modifiers() & Qt::ShiftModifier) != 0 ? 0.1 : 1;
    switch (event->key()) {
    case Qt::Key_Right:
    case Qt::Key_Up:
        propose(session::nudged(m_info, m_value, fine), true);
        return;
    case Qt::Key_Left:
    case Qt::Key_Down:
        propose(session::nudged(m_info, m_value, -fine), true);
        return;
    case Qt::Key_Return:
    case Qt::Key_Enter:
        beginTyping({});
        return;
    default:
        break;
    }
    const QString text = event->text();
    if (beginsNumber(text)) {
        beginTyping(text);
        return;
    }
    QWidget::keyPressEvent(event);
}

void ValueBar::focusInEvent(QFocusEvent* event) {
    QWidget::focusInEvent(event);
    update();
}

void ValueBar::focusOutEvent(QFocusEvent* event) {
    QWidget::focusOutEvent(event);
    emit editFinished();
    update();
}

void ValueBar::resizeEvent(QResizeEvent*) {
    if (m_editor != nullptr)
        m_editor->setGeometry(0, 0, width(), height() - 12);
}

void ValueBar::beginTyping(const QString& first) {
    endTyping(false);
    m_editor = new QLineEdit(this);
    m_editor->setFont(textFont(13));
    m_editor->setAccessibleName(accessibleName());
    m_editor->setText(first.isEmpty() ? QString::fromStdString(session::formatValue(m_info, m_value))
                                      : first);
    if (first.isEmpty())
        m_editor->selectAll();
    m_editor->setGeometry(0, 0, width(), height() - 12);
    m_editor->show();
    m_editor->setFocus();
    m_editor->installEventFilter(this);
    connect(m_editor, &QLineEdit::editingFinished, this, [this] {
        if (m_editor != nullptr && !m_editor->hasFocus())
            endTyping(true);
    });
}

bool ValueBar::event(QEvent* event) {
    // Digits begin a value here, whatever they are elsewhere in the window.
    if (event->type() == QEvent::ShortcutOverride && beginsNumber(static_cast<QKeyEvent*>(event)->text())) {
        event->accept();
        return true;
    }
    return QWidget::event(event);
}

bool ValueBar::eventFilter(QObject* watched, QEvent* event) {
    // A line edit passes Enter on to its parent, which would begin to type again: it ends here.
    if (watched == m_editor && event->type() == QEvent::KeyPress) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Return || key == Qt::Key_Enter || key == Qt::Key_Escape) {
            endTyping(key != Qt::Key_Escape);
            return true;
        }
    }
    return QWidget::eventFilter(watched, event);
}

void ValueBar::endTyping(bool takes) {
    if (m_editor == nullptr)
        return;
    const QString typed = m_editor->text();
    auto* editor = std::exchange(m_editor, nullptr);
    editor->hide();
    editor->deleteLater();
    setFocus();
    if (!takes)
        return;
    const auto special = readSpecial ? readSpecial(typed) : std::nullopt;
    const auto value = special ? Result<double>(*special) : session::parseValue(m_info, typed.toStdString());
    if (!value) {
        QToolTip::showText(mapToGlobal(QPoint(0, height())), pretty(value.error().message), this);
        return;
    }
    propose(*value, false);
    emit editFinished();
}

} // namespace cask::app
