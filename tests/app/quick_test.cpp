// The quick sheet: values, what they do, keys, the way to the benches; spreads on the Balance bench.
#include "app/bench/balance/spread_row.h"
#include "app/models/spread_model.h"
#include "app/quick/quick_page.h"
#include "core/session/edits.h"
#include "tests/app/window_fixture.h"

namespace cask::app {
namespace {

using session::QuickMove;

class Quick : public WindowTest {
  protected:
    void SetUp() override {
        ASSERT_NO_FATAL_FAILURE(dropKickAndSnare(0.05));
        QTest::keyClick(m_window.get(), Qt::Key_9);
        ASSERT_TRUE(page().isVisible());
        ASSERT_TRUE(waitFor([&] { return page().bar(element("Kick In"), QuickMove::Pan)->isVisible(); }));
    }
    [[nodiscard]] QuickPage& page() { return m_window->quick(); }
    [[nodiscard]] QString effect(const std::string& name, QuickMove move) {
        return page().effect(element(name), move)->text();
    }
};

TEST_F(Quick, ValuesAreSetAndTellWhatTheyDo) {
    const Id snare = element("Snare Top");
    ASSERT_TRUE(waitFor([&] { return !effect("Snare Top", QuickMove::Level).isEmpty(); }));
    const double before =
        effect("Snare Top", QuickMove::Level).replace(QChar(0x2212), '-').section(' ', 0, 0).toDouble();
    typeInto(page().bar(snare, QuickMove::Level), QStringLiteral("-6"));
    EXPECT_EQ(session().output(snare)->levelDb, -6);
    EXPECT_TRUE(waitFor([&] {
        return std::abs(effect("Snare Top", QuickMove::Level)
                            .replace(QChar(0x2212), '-')
                            .section(' ', 0, 0)
                            .toDouble() -
                        before + 6) < 0.11;
    })) << effect("Snare Top", QuickMove::Level).toStdString();
    EXPECT_TRUE(effect("Snare Top", QuickMove::HighPass).isEmpty()) << "it does nothing yet";
    typeInto(page().bar(snare, QuickMove::HighPass), QStringLiteral("200"));
    EXPECT_TRUE(
        waitFor([&] { return effect("Snare Top", QuickMove::HighPass).contains(QStringLiteral("lows")); }));
    typeInto(page().bar(snare, QuickMove::Attack), QStringLiteral("50"));
    EXPECT_TRUE(waitFor([&] {
        return effect("Snare Top", QuickMove::Attack).startsWith(QStringLiteral("first 10 ms +"));
    })) << effect("Snare Top", QuickMove::Attack).toStdString();
    typeInto(page().bar(snare, QuickMove::Pump), QStringLiteral("6"));
    EXPECT_FALSE(session().tempo.beatsS.empty()) << "the beats that it follows are kept";
    EXPECT_TRUE(
        waitFor([&] { return effect("Snare Top", QuickMove::Pump).contains(QStringLiteral("average")); }));
    EXPECT_EQ(page().bar(snare, QuickMove::Width), nullptr) << "mono";
    m_window->document().undo();
    EXPECT_EQ(page().bar(snare, QuickMove::Pump)->value(), 0);
}

TEST_F(Quick, KeysGoAlongAndAClickLeadsToTheBench) {
    auto* kick = page().bar(element("Kick In"), QuickMove::Pan);
    auto* snare = page().bar(element("Snare Top"), QuickMove::Pan);
    kick->setFocus();
    QTest::keyClick(kick, Qt::Key_PageDown);
    EXPECT_TRUE(snare->hasFocus());
    QTest::keyClick(snare, Qt::Key_PageDown);
    EXPECT_TRUE(snare->hasFocus()) << "the last one";
    QTest::keyClick(snare, Qt::Key_Right);
    EXPECT_GT(session().output(element("Snare Top"))->pan, 0);
    EXPECT_EQ(m_window->document().selected(), element("Snare Top"));
    QTest::keyClick(snare, Qt::Key_PageUp);
    EXPECT_TRUE(kick->hasFocus());
    QTest::mouseClick(page().effect(element("Kick In"), QuickMove::Attack), Qt::LeftButton);
    EXPECT_FALSE(page().isVisible());
    EXPECT_EQ(m_window->document().stage(), Stage::Punch);
    EXPECT_EQ(m_window->document().selected(), element("Kick In"));
    QTest::keyClick(m_window.get(), Qt::Key_9);
    QTest::mouseClick(page().nameButton(element("Snare Top")), Qt::LeftButton);
    EXPECT_EQ(m_window->document().stage(), Stage::Balance);
}

TEST_F(Quick, SpreadsAreComparedEquallyLoud) {
    const auto a = test::noise(0.2, 12 * 48000, 1);
    const auto b = test::noise(0.2, 12 * 48000, 2);
    std::vector<float> both;
    for (std::size_t n = 0; n < a.size(); ++n) {
        both.push_back(a[n]);
        both.push_back(b[n]);
    }
    test::writeWav(m_folder / "Overheads.wav", both, 2);
    drop({text(m_folder / "Overheads.wav")});
    ASSERT_TRUE(waitMeasured());
    const Id overheads = element("Overheads");
    m_window->document().select(overheads);
    m_window->showPage(0);
    m_window->document().setStage(Stage::Balance);
    auto& row = m_window->bench().balance().spread();
    ASSERT_TRUE(waitFor(
        [&] { return row.model().losses().size() == kSpreads.size() && !row.model().isMeasuring(); }));
    EXPECT_NEAR(row.model().losses()[2].lossLu, 3.01, 0.1) << "unrelated sides";
    EXPECT_TRUE(row.button(2).text().startsWith(QStringLiteral("100 %: \u22123.0 dB in mono")))
        << row.button(2).text().toStdString();
    QTest::keyClick(m_window.get(), Qt::Key_2, Qt::AltModifier);
    ASSERT_EQ(session().output(overheads)->widthPercent, 20);
    EXPECT_TRUE(row.button(0).isChecked());
    QTest::keyClick(m_window.get(), Qt::Key_5, Qt::AltModifier);
    QTest::keyClick(m_window.get(), Qt::Key_0, Qt::AltModifier);
    EXPECT_EQ(session().output(overheads)->widthPercent, 100);
    QTest::keyClick(m_window.get(), Qt::Key_5, Qt::AltModifier);
    m_window->document().undo();
    EXPECT_EQ(session().output(overheads)->widthPercent, 100) << "comparing is one step";
    m_window->document().select(element("Kick In"));
    EXPECT_FALSE(row.button(0).isEnabled());
}

} // namespace
} // namespace cask::app
