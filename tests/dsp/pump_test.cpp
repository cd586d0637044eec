// The pump against its law.
#include "core/base/units.h"
#include "core/dsp/pump.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::dsp {
namespace {

PumpSettings drawn(const BeatGrid* grid) {
    PumpSettings s;
    s.depthDb = 12;
    s.smoothMs = 4;
    s.points = {{1, 20, 0}, {2, 70, 100}};
    s.grid = grid;
    return s;
}

/// What these points are at a place of the note, without smoothing.
double lineDb(double place) {
    const double open = place < 0.2 ? 0 : place > 0.7 ? 1 : (place - 0.2) / 0.5;
    return -12 * (1 - open);
}

/// Gains of lane 0, from a frame on, in blocks of this length.
std::vector<float> gainsOf(PumpLanes& lanes, Frames from, int frames, int block) {
    std::vector<float> gains;
    for (int at = 0; at < frames; at += block) {
        const int n = std::min(block, frames - at);
        LaneBuffer io(static_cast<std::size_t>(n) * kLanes, 1.0F);
        lanes.standAt(from + at);
        lanes.process(io.data(), io.data(), n);
        for (int i = 0; i < n; ++i)
            gains.push_back(io[static_cast<std::size_t>(i) * kLanes]);
    }
    return gains;
}

/// Beats that get shorter: 125 to 145 a minute.
BeatGrid drifting() {
    BeatGrid grid;
    double at = 10000.5;
    for (int beat = 0; beat < 12; ++beat) {
        grid.beatFrames.push_back(at);
        at += 60 * kRate / (125 + 20 * beat / 12.0);
    }
    return grid;
}

TEST(PumpCurve, LiesOnTheLinesAndItsMeanIsTheirMean) {
    const PumpCurve curve(drawn(nullptr));
    for (const double place : {0.0, 0.1, 0.2, 0.45, 0.7, 0.99})
        EXPECT_NEAR(curve.gainDb(place, 0), lineDb(place), 1e-9) << place;
    for (const double place : {0.0, 0.05, 0.2, 0.6, 0.98})
        for (const double width : {0.01, 0.1, 0.5, 1.0}) {
            double mean = 0;
            constexpr int kSteps = 20000;
            for (int i = 0; i < kSteps; ++i) {
                const double x = place + width * ((i + 0.5) / kSteps - 0.5);
                mean += lineDb(x - std::floor(x)) / kSteps;
            }
            EXPECT_NEAR(curve.gainDb(place, width), mean, 2e-3) << place << " over " << width;
        }
}

TEST(PumpCurve, WithoutPointsItIsDownAtTheStartAndOpenFrom70PercentOn) {
    PumpSettings s;
    s.depthDb = 10;
    const PumpCurve curve(s);
    EXPECT_NEAR(curve.gainDb(0, 0), -10, 1e-9);
    EXPECT_NEAR(curve.gainDb(0.35, 0), -5, 1e-9);
    EXPECT_NEAR(curve.gainDb(0.8, 0), 0, 1e-9);
}

TEST(BeatGrid, GoesOnBeforeAndAfterItsBeats) {
    BeatGrid grid;
    grid.beatFrames = {1000, 2000, 4000};
    std::size_t near = 7;
    EXPECT_DOUBLE_EQ(grid.beatAt(1500, near), 0.5);
    EXPECT_DOUBLE_EQ(grid.beatAt(3000, near), 1.5);
    EXPECT_DOUBLE_EQ(grid.beatAt(8000, near), 4);
    EXPECT_DOUBLE_EQ(grid.beatAt(0, near), -1);
    EXPECT_DOUBLE_EQ(grid.framesAt(near), 1000);
}

TEST(PumpLanes, ExactOnAGridThatDriftsHoweverTheSoundIsCutUp) {
    const auto grid = drifting();
    for (const auto note : {PumpNote::Quarter, PumpNote::Eighth, PumpNote::EighthTriplet, PumpNote::Bar}) {
        auto s = drawn(&grid);
        s.note = note;
        s.lateFrames = 321;
        PumpLanes whole(kRate);
        whole.place(0, 2, s, true, 0);
        whole.prepare();
        PumpLanes pieces(kRate);
        pieces.place(0, 2, s, true, 0);
        pieces.prepare();
        constexpr int kLong = 250000;
        const auto gains = gainsOf(whole, 0, kLong, 4096);
        EXPECT_EQ(gains, gainsOf(pieces, 0, kLong, 77));
        int checked = 0;
        for (std::size_t b = 0; b + 1 < grid.beatFrames.size(); ++b)
            for (double part = 0; part < 1; part += 0.0371) {
                const double length = grid.beatFrames[b + 1] - grid.beatFrames[b];
                const auto frame = std::lround(grid.beatFrames[b] + part * length + s.lateFrames);
                const double beat = static_cast<double>(b) +
                                    (static_cast<double>(frame) - s.lateFrames - grid.beatFrames[b]) / length;
                const double notes = beat / pumpBeats(note, 4);
                const double place = notes - std::floor(notes);
                // Away from bends and jumps the mean of a line is the line.
                const double half =
                    (0.001 * s.smoothMs * kRate + PumpLanes::kStep) / length / pumpBeats(note, 4);
                const auto isNear = [&](double bend) { return std::abs(place - bend) < half; };
                if (frame >= kLong || isNear(0) || isNear(0.2) || isNear(0.7) || isNear(1))
                    continue;
                ++checked;
                EXPECT_NEAR(linearToDb(static_cast<double>(gains[static_cast<std::size_t>(frame)])),
                            lineDb(place), 0.01)
                    << "beat " << beat;
            }
        EXPECT_GT(checked, 100);
    }
}

TEST(PumpLanes, WithoutAGridOrSwitchedOffItPassesEveryBit) {
    const auto grid = drifting();
    for (const bool hasGrid : {false, true}) {
        PumpLanes lanes(kRate);
        lanes.place(0, 1, drawn(hasGrid ? &grid : nullptr), !hasGrid, 0);
        lanes.prepare();
        const auto x = test::noise(1, 4000 * kLanes, 3);
        LaneBuffer io(x.begin(), x.end());
        lanes.process(io.data(), io.data(), 4000);
        EXPECT_TRUE(std::equal(x.begin(), x.end(), io.begin()));
    }
}

TEST(PumpLanes, OtherValuesGlideWithoutAStepAlsoInAGlide) {
    const auto grid = drifting();
    PumpLanes lanes(kRate);
    lanes.place(0, 1, drawn(&grid), true, 0);
    lanes.prepare();
    auto gains = gainsOf(lanes, 30000, 1000, 250);
    auto other = drawn(&grid);
    other.depthDb = 36;
    lanes.set(0, other, true, 960);
    const auto add = [&](const std::vector<float>& more) {
        gains.insert(gains.end(), more.begin(), more.end());
    };
    add(gainsOf(lanes, 31000, 300, 100));
    other.depthDb = 1;
    lanes.set(0, other, true, 960);
    add(gainsOf(lanes, 31300, 2000, 100));
    float greatest = 0;
    for (std::size_t n = 1; n < gains.size(); ++n)
        greatest = std::max(greatest, std::abs(gains[n] - gains[n - 1]));
    EXPECT_LT(greatest, 0.004F);
    PumpLanes fresh(kRate);
    fresh.place(0, 1, other, true, 0);
    fresh.prepare();
    EXPECT_NEAR(gains.back(), gainsOf(fresh, 33299, 1, 1).back(), 1e-6);
}

} // namespace
} // namespace cask::dsp
