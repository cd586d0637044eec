#include "app/widgets/value_bar.h"
#include "core/session/kinds.h"

#include <QLineEdit>
#include <QSignalSpy>
#include <QTest>
#include <gtest/gtest.h>

namespace cask::app {
namespace {

class ValueBarTest : public testing::Test {
  protected:
    ValueBarTest()
        : m_bar(session::field(session::eqBandFields(), "gain_db").info),
          m_edits(&m_bar, &ValueBar::valueEdited) {
        m_bar.resize(200, 40);
        m_bar.show();
    }
    ValueBar m_bar;
    QSignalSpy m_edits;
};

TEST_F(ValueBarTest, ShowingAValueEmitsNothing) {
    m_bar.setValue(3);
    m_bar.setValue(3);
    EXPECT_EQ(m_edits.count(), 0);
    EXPECT_EQ(m_bar.valueText(), QStringLiteral("+3.0 dB"));
}

TEST_F(ValueBarTest, ClampsWhatIsShown) {
    m_bar.setValue(99);
    EXPECT_EQ(m_bar.value(), 24);
}

TEST_F(ValueBarTest, KeysWheelAndDragEdit) {
    QTest::keyClick(&m_bar, Qt::Key_Right);
    EXPECT_DOUBLE_EQ(m_bar.value(), 0.5);
    QTest::keyClick(&m_bar, Qt::Key_Left, Qt::ShiftModifier);
    EXPECT_NEAR(m_bar.value(), 0.45, 1e-9);
    QTest::mousePress(&m_bar, Qt::LeftButton, {}, {100, 20});
    QTest::mouseMove(&m_bar, {150, 20});
    QTest::mouseRelease(&m_bar, Qt::LeftButton, {}, {150, 20});
    EXPECT_NEAR(m_bar.value(), 0.45 + 48 * 0.25, 0.01);
    EXPECT_EQ(m_edits.count(), 3);
    EXPECT_TRUE(m_edits.last().at(1).toBool());
}

TEST_F(ValueBarTest, TakesTypedValuesAndRefusesNonsense) {
    QTest::keyClicks(&m_bar, QStringLiteral("-"));
    auto* editor = m_bar.findChild<QLineEdit*>();
    ASSERT_NE(editor, nullptr);
    QTest::keyClicks(editor, QStringLiteral("4.5 dB"));
    QTest::keyClick(editor, Qt::Key_Return);
    EXPECT_DOUBLE_EQ(m_bar.value(), -4.5);
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
    QTest::keyClick(&m_bar, Qt::Key_Return);
    editor = m_bar.findChild<QLineEdit*>();
    ASSERT_NE(editor, nullptr);
    editor->setText(QStringLiteral("very loud"));
    QTest::keyClick(editor, Qt::Key_Return);
    EXPECT_DOUBLE_EQ(m_bar.value(), -4.5);
}

TEST_F(ValueBarTest, EnterEndsTypingAndNothingMore) {
    QTest::keyClicks(&m_bar, QStringLiteral("-"));
    auto* editor = m_bar.findChild<QLineEdit*>();
    QTest::keyClicks(editor, QStringLiteral("6"));
    QTest::keyClick(editor, Qt::Key_Return);
    EXPECT_DOUBLE_EQ(m_bar.value(), -6);
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
    EXPECT_EQ(m_bar.findChild<QLineEdit*>(), nullptr);
    // Another element is shown: leaving the bar must not write the old value to it.
    m_edits.clear();
    m_bar.setValue(2);
    m_bar.clearFocus();
    EXPECT_EQ(m_edits.count(), 0);
    EXPECT_EQ(m_bar.value(), 2);
}

TEST_F(ValueBarTest, DoubleClickGoesToTheStandardValue) {
    m_bar.setValue(7);
    QTest::mouseDClick(&m_bar, Qt::LeftButton, {}, {50, 20});
    EXPECT_EQ(m_bar.value(), 0);
}

} // namespace
} // namespace cask::app
