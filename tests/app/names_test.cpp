// Every control that can have the focus has a name that a screen reader can say.
#include "tests/app/window_fixture.h"

#include <QAbstractButton>
#include <QComboBox>

namespace cask::app {
namespace {

QString nameOf(const QWidget& widget) {
    if (!widget.accessibleName().isEmpty())
        return widget.accessibleName();
    if (const auto* button = qobject_cast<const QAbstractButton*>(&widget))
        return button->text();
    return {};
}

QString placeOf(const QWidget& widget) {
    QStringList path;
    for (const QWidget* at = &widget; at != nullptr; at = at->parentWidget())
        path.prepend(QString::fromLatin1(at->metaObject()->className()));
    return path.join(QLatin1Char('/'));
}

/// Parts that Qt puts inside a control speak with its name.
bool isPartOfAControl(const QWidget& widget) {
    for (const QWidget* at = widget.parentWidget(); at != nullptr; at = at->parentWidget())
        if (qobject_cast<const QComboBox*>(at) != nullptr || at->inherits("QAbstractSpinBox") ||
            at->inherits("QAbstractItemView"))
            return true;
    return false;
}

class Names : public WindowTest {};

TEST_F(Names, EveryControlHasOne) {
    dropKickAndSnare(0.1);
    int seen = 0;
    for (int stage = 0; stage <= static_cast<int>(kStages.size()); ++stage) {
        if (stage < static_cast<int>(kStages.size()))
            m_window->document().setStage(kStages[static_cast<std::size_t>(stage)]);
        else
            m_window->showPage(1);
        QCoreApplication::processEvents();
        for (const auto* widget : m_window->findChildren<QWidget*>()) {
            if (!widget->isVisible() || widget->focusPolicy() == Qt::NoFocus || isPartOfAControl(*widget))
                continue;
            ++seen;
            EXPECT_FALSE(nameOf(*widget).trimmed().isEmpty()) << placeOf(*widget).toStdString();
        }
    }
    EXPECT_GT(seen, 100) << "the walk went over the window";
}

} // namespace
} // namespace cask::app
