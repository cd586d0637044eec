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

class Names : public WindowTest {
  protected:
    /// Every visible widget of a class, on every bench and on the page Proof.
    template <class Widget> void forAllShown(const std::function<void(const Widget&)>& look) {
        for (std::size_t page = 0; page <= kStages.size(); ++page) {
            if (page < kStages.size())
                m_window->document().setStage(kStages[page]);
            else
                m_window->showPage(1);
            QTest::qWait(50);
            for (const auto* widget : m_window->findChildren<Widget*>())
                if (widget->isVisible())
                    look(*widget);
        }
    }
};

TEST_F(Names, EveryControlHasOne) {
    dropKickAndSnare(0.1);
    int seen = 0;
    forAllShown<QWidget>([&](const QWidget& widget) {
        if (widget.focusPolicy() == Qt::NoFocus || isPartOfAControl(widget))
            return;
        ++seen;
        EXPECT_FALSE(nameOf(widget).trimmed().isEmpty()) << placeOf(widget).toStdString();
    });
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
    forAllShown<QPushButton>([&](const QPushButton& button) {
        const QString words = button.text().remove(QLatin1Char('&'));
        if (words.isEmpty())
            return;
        ++seen;
        EXPECT_GE(button.width(), button.fontMetrics().horizontalAdvance(words))
            << words.toStdString() << " in " << placeOf(button).toStdString();
        EXPECT_LE(button.mapTo(m_window.get(), button.rect().bottomRight()).x(), m_window->width())
            << words.toStdString();
    });
    EXPECT_GT(seen, 60);
}

} // namespace
} // namespace cask::app
