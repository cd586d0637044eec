#include "core/graph/plan.h"
#include "core/session/edits.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::graph {
namespace {

using session::Session;

session::Module ceilingModule(Session& s, double ceilingDb) {
    session::Module m;
    m.id = s.nextId++;
    m.settings = dsp::LimiterSettings{ceilingDb, 80};
    return m;
}

TEST(Latency, ParallelPathThroughAnIdleModuleNullsBelow120Db) {
    // The same sound twice, one copy inverted; one of the two passes a module with latency that does nothing.
    const auto sound = test::noise(0.2, 24000, 21);
    for (const int depth : {0, 1}) {
        auto kit = test::memoryKit({{sound}, {sound}});
        auto s = session::withElement(kit.session, kit.elements[1],
                                      [](session::Element& e) { e.input.isInverted = true; });
        if (depth == 0) {
            const auto m = ceilingModule(s, 0);
            s = session::withChain(s, kit.elements[0], [&](auto& chain) { chain.push_back(m); });
        } else { // in a bus of its own, and a parallel send on top of it
            const auto bus = session::addBus(s, "late", s.master().id);
            const auto m = ceilingModule(s, 0);
            s = session::withChain(s, bus, [&](auto& chain) { chain.push_back(m); });
            s = *session::withOutputBus(s, kit.elements[0], bus);
        }
        const auto out = test::render(s, kit.lookup, 24000);
        ASSERT_EQ(out.size(), 48000U);
        const double db = 20 * std::log10(test::peakOf(out) / test::peakOf(sound) + 1e-20);
        EXPECT_LT(db, -120) << depth;
    }
}

TEST(Latency, RenderStartsWithTheFirstFrameOfTheSession) {
    std::vector<float> click(4800, 0);
    click[100] = 0.5F;
    auto kit = test::memoryKit({{click}});
    auto s = kit.session;
    for (int i = 0; i < 3; ++i) {
        const auto m = ceilingModule(s, 0);
        s = session::withChain(s, s.master().id, [&](auto& chain) { chain.push_back(m); });
    }
    const auto out = test::render(s, kit.lookup, 4800);
    for (std::size_t n = 0; n < 4800; ++n)
        ASSERT_NEAR(out[2 * n], n == 100 ? 0.5 * std::sqrt(0.5) : 0, 1e-6) << n;
}

TEST(Latency, StemsAddUpToTheMix) {
    auto kit = test::memoryKit(
        {{test::noise(0.2, 9600, 1)}, {test::noise(0.2, 9600, 2), test::noise(0.2, 9600, 3)}});
    auto s = kit.session;
    const auto m = ceilingModule(s, 0); // late, and idle
    s = session::withChain(s, kit.elements[0], [&](auto& chain) { chain.push_back(m); });
    const auto plan = compile(s, kit.lookup, kit.elements);
    ASSERT_TRUE(plan);
    EXPECT_EQ((*plan)->stemCount, 2);
    EXPECT_GT((*plan)->latencyFrames, 0);
}

TEST(Latency, SubSampleShiftsNullAgainstTheShiftedSine) {
    for (const double shiftMs : {0.0, 0.01, 0.1, -0.25, 1.0, -3.333, 7.77}) {
        auto kit = test::memoryKit({{test::sine(1000, 0.5, 0.5)}});
        const auto s = session::withElement(kit.session, kit.elements[0],
                                            [&](session::Element& e) { e.input.shiftMs = shiftMs; });
        const auto out = test::render(s, kit.lookup, 24000);
        double worst = 0;
        for (std::size_t n = 2000; n < 20000; ++n) {
            const double t = static_cast<double>(n) / 48000 - shiftMs * 0.001;
            worst =
                std::max(worst, std::abs(out[2 * n] - 0.5 * std::sqrt(0.5) * std::sin(2 * kPi * 1000 * t)));
        }
        EXPECT_LT(20 * std::log10(worst / 0.35), -70) << shiftMs;
    }
}

} // namespace
} // namespace cask::graph
