#include "core/base/units.h"
#include "core/graph/runner.h"
#include "core/session/edits.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::graph {
namespace {

std::vector<float> take(Runner& runner, Frames start, int frames) {
    std::vector<float> out;
    for (int done = 0; done < frames; done += 64) {
        runner.process(start + done, 64);
        for (int n = 0; n < 64; ++n)
            out.push_back(runner.mix()[n * dsp::kLanes]);
    }
    return out;
}

TEST(PlanSwap, AnUnchangedSessionGoesOnBitForBit) {
    auto kit = test::memoryKit({{test::noise(0.3, 48000, 1)}});
    session::addBand(kit.session, kit.elements[0], {0, dsp::FilterKind::HighPass, true, 80, 0, 1, 48});
    Runner alone(*compile(kit.session, kit.lookup), 64);
    const auto wanted = take(alone, 0, 12800);
    Runner first(*compile(kit.session, kit.lookup), 64);
    Runner second(*compile(kit.session, kit.lookup), 64);
    auto got = take(first, 0, 6400);
    second.adopt(first);
    const auto rest = take(second, 6400, 6400);
    got.insert(got.end(), rest.begin(), rest.end());
    EXPECT_EQ(got, wanted);
}

TEST(PlanSwap, LevelsAndFiltersGlideInsteadOfJumping) {
    auto kit = test::memoryKit({{test::sine(200, 0.5, 2)}});
    const auto band =
        session::addBand(kit.session, kit.elements[0], {0, dsp::FilterKind::Bell, true, 200, 0, 1, 24});
    const double still = [&] {
        Runner r(*compile(kit.session, kit.lookup), 64);
        return test::roughness(take(r, 0, 12800));
    }();
    auto loud = session::withOutput(kit.session, kit.elements[0], [](auto& out) { out.levelDb = -20; });
    loud = session::withBand(loud, kit.elements[0], band, [](dsp::EqBand& b) { b.gainDb = 12; });
    loud = session::withElement(loud, kit.elements[0], [](auto& e) { e.input.trimDb = -6; });
    Runner first(*compile(kit.session, kit.lookup), 64);
    Runner second(*compile(loud, kit.lookup), 64);
    auto out = take(first, 0, 6400);
    second.adopt(first);
    const auto rest = take(second, 6400, 12800);
    out.insert(out.end(), rest.begin(), rest.end());
    EXPECT_LT(test::roughness(out), 2 * still);
    // And they arrive: -20 + 12 - 6 dB under a pan of -3 dB.
    EXPECT_NEAR(linearToDb(test::peakOf(std::span(rest).subspan(6400)) / 0.5), -20 + 12 - 6 - 3.01, 0.05);
}

TEST(PlanSwap, ASecondChangeInTheMiddleOfAGlideStaysSmooth) {
    auto kit = test::memoryKit({{test::sine(200, 0.5, 2)}});
    Runner r0(*compile(kit.session, kit.lookup), 64);
    auto out = take(r0, 0, 3200);
    const double still = test::roughness(out);
    const auto down = session::withOutput(kit.session, kit.elements[0], [](auto& o) { o.levelDb = -40; });
    Runner r1(*compile(down, kit.lookup), 64);
    r1.adopt(r0);
    auto part = take(r1, 3200, 320);
    out.insert(out.end(), part.begin(), part.end());
    Runner r2(*compile(kit.session, kit.lookup), 64);
    r2.adopt(r1);
    part = take(r2, 3520, 6400);
    out.insert(out.end(), part.begin(), part.end());
    EXPECT_LT(test::roughness(out), 2 * still);
}

TEST(PlanSwap, KeepsFilterStateWhenTheLayoutChanges) {
    // A new element moves lanes about; the old one's filter must ring on.
    auto kit = test::memoryKit({{test::sine(200, 0.5, 2)}, {test::sine(300, 0.0, 2)}});
    session::addBand(kit.session, kit.elements[0], {0, dsp::FilterKind::HighPass, true, 150, 0, 1, 48});
    auto fewer = session::withoutElement(kit.session, kit.elements[1]);
    Runner first(*compile(fewer, kit.lookup), 64);
    Runner second(*compile(kit.session, kit.lookup), 64);
    ASSERT_FALSE(first.hasSameLayout(second));
    auto out = take(first, 0, 9600);
    const double still = test::roughness(std::vector<float>(out.begin() + 4800, out.end()));
    second.adopt(first);
    const auto rest = take(second, 9600, 4800);
    std::vector<float> seam(out.end() - 64, out.end());
    seam.insert(seam.end(), rest.begin(), rest.end());
    EXPECT_LT(test::roughness(seam), 1.2 * still);
}

} // namespace
} // namespace cask::graph
