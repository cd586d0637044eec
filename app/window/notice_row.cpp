#include "app/window/notice_row.h"

#include "app/theme/theme.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>

namespace cask::app {

NoticeRow::NoticeRow(QWidget* parent)
    : QWidget(parent), m_layout(new QHBoxLayout(this)), m_text(new QLabel(this)) {
    m_layout->setContentsMargins(12, 4, 12, 4);
    m_text->setFont(textFont(13));
    m_text->setWordWrap(true);
    m_text->setAccessibleName(tr("Notice"));
    m_layout->addWidget(m_text, 1);
    hide();
}

QString NoticeRow::text() const {
    return m_text->text();
}

void NoticeRow::setNotice(const QString& text, std::vector<NoticeAction> actions) {
    if (text == m_text->text() && !text.isEmpty())
        return;
    m_text->setText(text);
    for (auto* button : m_buttons) {
        button->hide();
        button->deleteLater(); // it may be the one that is being clicked
    }
    m_buttons.clear();
    for (auto& action : actions) {
        auto* button = new QPushButton(action.words, this);
        connect(button, &QPushButton::clicked, this, [run = std::move(action.run)] { run(); });
        m_layout->addWidget(button);
        button->show(); // the row may be visible already
        m_buttons.push_back(button);
    }
    setVisible(!text.isEmpty());
}

} // namespace cask::app
