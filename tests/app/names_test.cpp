// Every control that can have the focus has a name that a screen reader can say, and in the smallest window
// no button's words are cut off.
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

TEST_F(Names, AreReadWholeInTheSmallestWindow) {
    dropKickAndSnare(0.1);
    const Id snare = element("Snare Top");
    auto s = session();
    session::addModule(s, snare, dsp::CompressorSettings{});
    for (int i = 0; i < 3; ++i)
        session::addModule(s, snare, dsp::TransientSettings{});
    m_window->document().edit(std::move(s), QStringLiteral("a long chain"));
    m_window->document().select(snare);
    m_window->resize(m_window->minimumSize());
    int seen = 0;
    for (int page = 0; page <= static_cast<int>(kStages.size()); ++page) {
        if (page < static_cast<int>(kStages.size()))
            m_window->document().setStage(kStages[static_cast<std::size_t>(page)]);
        else
            m_window->showPage(1);
        QTest::qWait(50);
        for (const auto* button : m_window->findChildren<QPushButton*>()) {
            if (!button->isVisible() || button->text().isEmpty())
                continue;
            ++seen;
            const QString words = QString(button->text()).remove(QLatin1Char('&'));
            EXPECT_GE(button->width(), button->fontMetrics().horizontalAdvance(words))
                << words.toStdString() << " in " << placeOf(*button).toStdString();
            const QRect inWindow(button->mapTo(m_window.get(), QPoint(0, 0)), button->size());
            EXPECT_LE(inWindow.right(), m_window->width()) << words.toStdString();
        }
    }
    EXPECT_GT(seen, 60);
}

} // namespace
} // namespace cask::app
