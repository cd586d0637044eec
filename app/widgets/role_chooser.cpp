#include "app/widgets/role_chooser.h"

#include "app/theme/theme.h"
#include "app/widgets/words.h"

#include <QApplication>
#include <QGridLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QPushButton>
#include <QScreen>
#include <QVBoxLayout>

namespace cask::app {

RoleChooser::RoleChooser(QWidget* parent) : QFrame(parent, Qt::Popup) {
    setAccessibleName(RoleChooser::tr("Roles"));
    setFrameShape(QFrame::StyledPanel);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(12, 8, 12, 12);
    layout->setSpacing(8);
    auto* title = new QLabel(tr("What is it? Click, or press its letter; Esc leaves it as it is."), this);
    title->setFont(textFont(12));
    layout->addWidget(title);
    auto* grid = new QGridLayout;
    grid->setSpacing(4);
    layout->addLayout(grid);
    constexpr int kColumns = 4;
    int index = 0;
    for (const auto& info : allRoles()) {
        auto* button =
            new QPushButton(QStringLiteral("%1   %2").arg(QLatin1Char(info.key)).arg(words(info.name)), this);
        button->setCheckable(true);
        button->setAutoDefault(false);
        button->setFont(textFont(12));
        button->setAccessibleName(tr("Role %1").arg(words(info.name)));
        button->setStyleSheet(QStringLiteral("text-align: left; padding: 3px 10px;"));
        connect(button, &QPushButton::clicked, this, [this, role = info.role] { choose(role); });
        grid->addWidget(button, index / kColumns, index % kColumns);
        m_buttons.emplace_back(info.role, button);
        ++index;
    }
}

QPushButton* RoleChooser::button(Role role) const {
    for (const auto& [r, button] : m_buttons)
        if (r == role)
            return button;
    return nullptr;
}

void RoleChooser::open(const QPoint& at, std::optional<Role> now) {
    for (const auto& [role, button] : m_buttons)
        button->setChecked(now == role);
    adjustSize();
    QPoint place = at;
    if (const auto* screen = QApplication::screenAt(at)) {
        const QRect room = screen->availableGeometry();
        place.setX(std::clamp(at.x(), room.left(), std::max(room.left(), room.right() - width())));
        place.setY(std::clamp(at.y(), room.top(), std::max(room.top(), room.bottom() - height())));
    }
    move(place);
    show();
    if (auto* first = button(now.value_or(Role::KickIn)))
        first->setFocus();
}

void RoleChooser::choose(Role role) {
    hide();
    emit chosen(role);
}

bool RoleChooser::event(QEvent* event) {
    if (event->type() == QEvent::ShortcutOverride) // a letter is a role here, whatever it is elsewhere
        event->accept();
    return QFrame::event(event);
}

void RoleChooser::keyPressEvent(QKeyEvent* event) {
    const QString text = event->text().toLower();
    if (text.size() == 1 && event->modifiers() == Qt::NoModifier)
        for (const auto& info : allRoles())
            if (text[0] == QLatin1Char(info.key)) {
                choose(info.role);
                return;
            }
    if (event->key() == Qt::Key_Escape)
        hide();
    else
        QFrame::keyPressEvent(event);
}

} // namespace cask::app
