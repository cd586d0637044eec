#include "core/base/units.h"
#include "core/graph/plan.h"
#include "core/session/edits.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::graph {
namespace {

TEST(PanLaw, IsConstantPowerForMono) {
    for (double pan = -1; pan <= 1; pan += 0.05) {
        session::Output out;
        out.pan = pan;
        const auto g = outputGains(out, false);
        EXPECT_NEAR(g[0][0] * g[0][0] + g[0][1] * g[0][1], 1, 1e-12);
    }
    session::Output centre;
    EXPECT_NEAR(linearToDb(outputGains(centre, false)[0][0]), -3.0103, 1e-4);
}

TEST(PanLaw, LeavesStereoAsItIsInTheCentreAtFullWidth) {
    const auto g = outputGains({}, true);
    EXPECT_EQ(g[0][0], 1);
    EXPECT_EQ(g[0][1], 0);
    EXPECT_EQ(g[1][0], 0);
    EXPECT_EQ(g[1][1], 1);
    session::Output mono;
    mono.widthPercent = 0;
    EXPECT_EQ(outputGains(mono, true)[0][0], 0.5);
    EXPECT_EQ(outputGains(mono, true)[0][1], 0.5);
}

TEST(Compile, RefusesALoopAndNamesThePath) {
    auto kit = test::memoryKit({{test::sine(100, 0.1, 0.1)}});
    auto& s = kit.session;
    session::Id shells = session::kNoId;
    session::Id kitBus = session::kNoId;
    for (const auto& b : s.buses) {
        shells = b->name == "Shells" ? b->id : shells;
        kitBus = b->name == "Kit" ? b->id : kitBus;
    }
    // Past the edit that would refuse it.
    s = session::withOutput(s, kitBus, [&](session::Output& out) {
        out.sends.push_back({shells, 0, false});
    });
    const auto plan = compile(s, kit.lookup);
    ASSERT_FALSE(plan);
    EXPECT_EQ(plan.error().code, ErrorCode::RouteLoop);
    EXPECT_NE(plan.error().message.find("Shells"), std::string::npos);
    EXPECT_NE(plan.error().message.find("Kit"), std::string::npos);
}

TEST(Compile, GroupsComeAfterWhatFeedsThem) {
    std::vector<std::vector<std::vector<float>>> sources(19, {test::sine(100, 0.1, 0.01)});
    const auto kit = test::memoryKit(sources);
    const auto plan = compile(kit.session, kit.lookup);
    ASSERT_TRUE(plan);
    for (std::size_t g = 1; g < (*plan)->groups.size(); ++g)
        EXPECT_LE((*plan)->groups[g - 1].level, (*plan)->groups[g].level);
    for (const auto& mix : (*plan)->mixes)
        EXPECT_LT((*plan)->groups[static_cast<std::size_t>(mix.source)].level,
                  (*plan)->groups[static_cast<std::size_t>(mix.target)].level);
}

TEST(Compile, TheRightSideIsShiftedAndInvertedAgainstTheLeft) {
    // An impulse in both sides of a pair: the right one 3 ms (144 frames) later and the other way round.
    std::vector<float> impulse(4800, 0.0F);
    impulse[1000] = 0.5F;
    auto kit = test::memoryKit({{impulse, impulse}});
    const auto plain = test::render(kit.session, kit.lookup, 4800, 512);
    const auto s = session::withElement(kit.session, kit.elements[0], [](session::Element& e) {
        e.input.rightShiftMs = 3;
        e.input.isRightInverted = true;
    });
    const auto moved = test::render(s, kit.lookup, 4800, 512);
    std::size_t at = 0; // where the impulse comes out
    for (std::size_t n = 0; n < 4800; ++n)
        at = std::abs(plain[2 * n]) > std::abs(plain[2 * at]) ? n : at;
    ASSERT_GT(plain[2 * at], 0.1F);
    EXPECT_FLOAT_EQ(moved[2 * at], plain[2 * at]) << "the left one stays";
    EXPECT_NEAR(moved[2 * (at + 144) + 1], -plain[2 * at + 1], 1e-4);
    EXPECT_NEAR(moved[2 * at + 1], 0, 1e-4);
}

} // namespace
} // namespace cask::graph
