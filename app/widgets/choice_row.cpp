#include "app/widgets/choice_row.h"

#include "app/theme/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

namespace cask::app {
namespace {

constexpr int kGapPx = 14;

} // namespace

ChoiceRow::ChoiceRow(const QStringList& words, QWidget* parent) : QWidget(parent), m_words(words) {
    setFocusPolicy(Qt::StrongFocus);
    setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Fixed);
}

QSize ChoiceRow::sizeHint() const {
    int width = 0;
    const QFontMetrics metrics(textFont(13, QFont::DemiBold));
    for (const auto& word : m_words)
        width += metrics.horizontalAdvance(word) + kGapPx;
    return {width, 28};
}

QRect ChoiceRow::wordRect(int index) const {
    int x = 0;
    const QFontMetrics metrics(textFont(13, QFont::DemiBold));
    for (int i = 0; i < index; ++i)
        x += metrics.horizontalAdvance(m_words[i]) + kGapPx;
    return {x, 0, metrics.horizontalAdvance(m_words[index]) + kGapPx, height()};
}

void ChoiceRow::setChosen(int index) {
    m_chosen = index;
    if (index >= 0 && index < m_words.size())
        setAccessibleDescription(m_words[index]);
    update();
}

void ChoiceRow::setWords(const QStringList& words) {
    m_words = words;
    updateGeometry();
    update();
}

void ChoiceRow::choose(int index) {
    if (index < 0 || index >= m_words.size() || index == m_chosen)
        return;
    setChosen(index);
    emit choiceEdited(index);
}

void ChoiceRow::paintEvent(QPaintEvent*) {
    QPainter p(this);
    const Theme& t = theme();
    for (int i = 0; i < m_words.size(); ++i) {
        const QRect r = wordRect(i);
        const bool on = i == m_chosen;
        p.setFont(textFont(13, on ? QFont::DemiBold : QFont::Normal));
        p.setPen(on ? t.ink : t.faint);
        p.drawText(r, Qt::AlignLeft | Qt::AlignVCenter, m_words[i]);
        if (on)
            p.fillRect(QRect(r.left(), r.bottom() - 3, r.width() - kGapPx, 2), hasFocus() ? t.ember : t.teal);
    }
}

void ChoiceRow::mousePressEvent(QMouseEvent* event) {
    for (int i = 0; i < m_words.size(); ++i)
        if (wordRect(i).contains(event->pos()))
            choose(i);
}

void ChoiceRow::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Right || event->key() == Qt::Key_Down)
        choose(m_chosen + 1);
    else if (event->key() == Qt::Key_Left || event->key() == Qt::Key_Up)
        choose(m_chosen - 1);
    else
        QWidget::keyPressEvent(event);
}

void ChoiceRow::focusInEvent(QFocusEvent* event) {
    QWidget::focusInEvent(event);
    update();
}

void ChoiceRow::focusOutEvent(QFocusEvent* event) {
    QWidget::focusOutEvent(event);
    update();
}

} // namespace cask::app
