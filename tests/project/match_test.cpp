#include "core/measure/loudness.h"
#include "core/project/loudness_match.h"
#include "core/session/edits.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

namespace cask::project {
namespace {

TEST(LoudnessMatch, BringsTheLouderDownToTheQuieterWithin0_1Lu) {
    auto kit = test::memoryKit({{test::noise(0.3, 48000 * 6, 1)}});
    auto processed = session::withOutput(kit.session, kit.elements[0], [](auto& out) { out.levelDb = -4; });
    session::addBand(processed, kit.elements[0], {0, dsp::FilterKind::HighShelf, true, 4000, 9, 0.7, 24});
    const auto untouched = session::untouched(processed, session::Untouched::FilesAsTheyCame);
    const auto match = matchLoudness(processed, untouched, kit.lookup, 0, 0);
    ASSERT_TRUE(match);
    EXPECT_LE(match->firstGainDb, 0);
    EXPECT_LE(match->secondGainDb, 0);
    EXPECT_EQ(std::max(match->firstGainDb, match->secondGainDb), 0);
    // Apply both gains at the master and measure again.
    const auto measured = [&](const session::Session& s, double gainDb) {
        const auto scaled = session::withOutput(s, s.master().id, [&](auto& out) { out.levelDb += gainDb; });
        measure::LoudnessMeter meter(48000, 2);
        meter.add(test::render(scaled, kit.lookup, 48000 * 6));
        return meter.result().integratedLufs;
    };
    EXPECT_NEAR(measured(processed, match->firstGainDb), measured(untouched, match->secondGainDb), 0.1);
}

TEST(LoudnessMatch, LeavesSilenceAlone) {
    auto kit = test::memoryKit({{std::vector<float>(48000, 0)}});
    const auto match = matchLoudness(kit.session, kit.session, kit.lookup, 0, 0);
    ASSERT_TRUE(match);
    EXPECT_EQ(match->firstGainDb, 0);
    EXPECT_EQ(match->secondGainDb, 0);
}

} // namespace
} // namespace cask::project
