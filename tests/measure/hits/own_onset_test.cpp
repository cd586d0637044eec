#include "core/measure/hits/own_onset.h"

#include <gtest/gtest.h>

#include <functional>

namespace cask::measure {
namespace {

/// Both envelopes hold a level of the time, ms and dB.
BandTrail drawnTrail(const std::function<double(double ms)>& levelDb) {
    BandTrail trail;
    trail.sampleRateHz = 48000;
    trail.bands.assign(300 * kTrailBands, 0);
    for (int k = 0; k < 300 * kFineStepsPerStep; ++k)
        trail.fine.push_back(static_cast<LevelByte>(2 * (levelDb(1000 * kFineStepS * k) + 120)));
    trail.fineHigh = trail.fine;
    return trail;
}

double onsetMs(const BandTrail& trail, double foundMs, StrokeKind kind) {
    const std::vector<const BandTrail*> channels{&trail};
    return 1000 * ownOnsetS(channels, {0.001 * foundMs, -10, 30}, kind);
}

constexpr StrokeKind kHatWithOthers{false, true, false};
constexpr StrokeKind kHatAlone{true, true, false};
constexpr StrokeKind kSnareAlone{true, false, true};

TEST(OwnOnset, AHatBeginsWhereItJumpsOutOfTheSpillThatCameFirst) {
    const auto spilled = drawnTrail([](double ms) { return ms < 100 ? -90.0 : ms < 105 ? -30.0 : -10.0; });
    EXPECT_NEAR(onsetMs(spilled, 100.1, kHatWithOthers), 105, 0.3);
    EXPECT_DOUBLE_EQ(onsetMs(spilled, 100.1, kHatAlone), 100.1) << "nothing else was struck: its own rise";
    EXPECT_DOUBLE_EQ(onsetMs(spilled, 100.1, {}), 100.1) << "a drum's click comes before its body";
    const auto little = drawnTrail([](double ms) { return ms < 100 ? -90.0 : ms < 105 ? -16.0 : -10.0; });
    EXPECT_DOUBLE_EQ(onsetMs(little, 100.1, kHatWithOthers), 100.1);
    const auto late = drawnTrail([](double ms) { return ms < 100 ? -90.0 : ms < 112 ? -30.0 : -10.0; });
    EXPECT_DOUBLE_EQ(onsetMs(late, 100.1, kHatWithOthers), 100.1) << "too late to be the same stroke";
}

TEST(OwnOnset, ASlowSnareBeginsWhereItsHighsRiseOutOfTheRing) {
    const auto slow = drawnTrail([](double ms) { return ms < 97 ? -40.0 : ms < 101 ? -28.0 : -10.0; });
    EXPECT_NEAR(onsetMs(slow, 101.1, kSnareAlone), 97, 0.3);
    EXPECT_DOUBLE_EQ(onsetMs(slow, 101.1, {true, false, false}), 101.1);
    const auto ringing = drawnTrail([](double ms) { return ms < 97 ? -20.0 : ms < 101 ? -18.0 : -10.0; });
    EXPECT_DOUBLE_EQ(onsetMs(ringing, 101.1, kSnareAlone), 101.1) << "it hardly rises out of the ring";
}

TEST(OwnOnset, TheBeginningAndTheEndOfAFileAreNoTrouble) {
    const auto whole = drawnTrail([](double) { return -20.0; });
    for (const auto kind : {kHatWithOthers, kHatAlone, kSnareAlone})
        for (const double ms : {0.1, 3.1, 299.6})
            EXPECT_DOUBLE_EQ(onsetMs(whole, ms, kind), ms);
}

} // namespace
} // namespace cask::measure
