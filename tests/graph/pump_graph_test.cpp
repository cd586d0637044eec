// A pump in a session: it follows the beats that are kept, however late its sound is.
#include "core/base/units.h"
#include "core/graph/plan.h"
#include "core/session/edits.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::graph {
namespace {

TEST(PumpGraph, ItsDipsStandOnTheKeptBeatsBehindALateModule) {
    const std::vector<float> ones(4 * 48000, 0.25F);
    auto kit = test::memoryKit({{ones}});
    auto s = kit.session;
    s.tempo.beatsS = {0.5, 1.02, 1.5, 2.03, 2.5};
    dsp::GateSettings open; // makes the sound late
    open.openDb = -90;
    open.lookAheadMs = 20;
    session::addModule(s, kit.elements[0], open);
    const auto plain = test::render(s, kit.lookup, 4 * 48000);
    dsp::PumpSettings pump;
    pump.depthDb = 20;
    pump.smoothMs = 2;
    session::addModule(s, kit.elements[0], pump);
    const auto pumped = test::render(s, kit.lookup, 4 * 48000);
    const auto gainDb = [&](double atS) {
        const auto n = static_cast<std::size_t>(2 * std::lround(atS * 48000));
        return linearToDb(static_cast<double>(pumped[n]) / plain[n]);
    };
    for (const double beat : {0.5, 1.02, 1.5, 2.03}) {
        EXPECT_NEAR(gainDb(beat + 0.0012), -20, 0.2) << beat;
        EXPECT_NEAR(gainDb(beat - 0.004), 0, 0.01) << beat;
    }
    // Halfway to where it is open, of a note of 0.48 s.
    EXPECT_NEAR(gainDb(1.02 + 0.35 * 0.48), -10, 0.1);
}

TEST(PumpGraph, WithoutKeptBeatsItTakesTheTempoThatWasSaidAndElseStaysOpen) {
    const std::vector<float> ones(3 * 48000, 0.25F);
    auto kit = test::memoryKit({{ones}});
    auto s = kit.session;
    const auto plain = test::render(s, kit.lookup, 3 * 48000);
    session::addModule(s, kit.elements[0], dsp::PumpSettings{});
    EXPECT_EQ(test::render(s, kit.lookup, 3 * 48000), plain);
    s.tempo.bpm = 60;
    s.tempo.firstBarS = 0.25;
    const auto pumped = test::render(s, kit.lookup, 3 * 48000);
    const auto at = [&](double seconds) {
        return static_cast<std::size_t>(2 * std::lround(seconds * 48000));
    };
    EXPECT_NEAR(linearToDb(static_cast<double>(pumped[at(1.256)]) / plain[at(1.256)]), -6, 0.1);
    EXPECT_EQ(pumped[at(1.2)], plain[at(1.2)]);
}

} // namespace
} // namespace cask::graph
