// How a sound joins a recorded drum whose hits strike it.
#include "app/bench/layers/strike_way_row.h"
#include "app/widgets/choice_row.h"
#include "app/widgets/value_bar.h"
#include "tests/app/layers_fixture.h"

namespace cask::app {
namespace {

class StrikeWayWindow : public LayersWindow {};

TEST_F(StrikeWayWindow, ASoundPlaysInsteadOfTheRecordedOne) {
    QTest::keyClick(&bench().wayRow().choice(), Qt::Key_Right);
    strike();
    EXPECT_TRUE(session().element(m_snare)->out.isMuted);
    EXPECT_FALSE(session().element(m_window->document().selected())->out.isMuted);
    EXPECT_EQ(stack().layers[0].rule.lowVelocity, 0);
    m_window->document().undo();
    EXPECT_FALSE(session().element(m_snare)->out.isMuted) << "in one step";
    EXPECT_EQ(session().elements.size(), 1U);
}

TEST_F(StrikeWayWindow, ASoundPlaysUnderTheLouderHitsAlone) {
    auto x = test::bursts(110, 0.5, 0.05, 0.06, 6);
    for (std::size_t n = 0; n < x.size(); ++n) // every third hit as it is, the rest 18 dB softer
        x[n] *= static_cast<int>((static_cast<double>(n) / 48000 + 0.46) / 0.5) % 3 == 0 ? 1.0F : 0.125F;
    test::writeWav(m_folder / "Rack Tom.wav", x);
    drop({text(m_folder / "Rack Tom.wav")});
    ASSERT_TRUE(waitMeasured());
    m_window->document().select(element("Rack Tom"));
    auto& row = bench().wayRow();
    ASSERT_TRUE(waitFor([&] {
        return row.isVisible() && row.countText().endsWith(QStringLiteral("of 12 hits"));
    })) << row.countText().toStdString();
    EXPECT_FALSE(row.level().isVisible());
    row.choice().setFocus();
    QTest::keyClick(&row.choice(), Qt::Key_Right);
    QTest::keyClick(&row.choice(), Qt::Key_Right);
    EXPECT_TRUE(row.level().isVisible());
    EXPECT_NEAR(row.level().value(), -9, 1) << "halfway between the two levels";
    EXPECT_EQ(row.countText(), QStringLiteral("4 of 12 hits"));
    strike();
    EXPECT_EQ(layers::strikesOf(stack().layers[0].rule, stack().strikes),
              (std::vector<std::size_t>{2, 5, 8, 11}));
    EXPECT_EQ(stack().strikes.size(), 12U) << "all of them can be had later";
    EXPECT_FALSE(session().element(element("Rack Tom"))->out.isMuted);
    m_window->document().select(m_snare);
    EXPECT_EQ(row.choice().chosen(), 0) << "what was chosen for the tom says nothing of the snare";
}

} // namespace
} // namespace cask::app
