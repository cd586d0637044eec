#include "core/base/units.h"
#include "core/dsp/gate_lanes.h"
#include "core/dsp/kernels.h"
#include "core/measure/gate/gate_judge.h"
#include "tests/support/signals.h"
#include "tests/support/through_lanes.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

struct Event {
    double timeS;
    double peakDb;
    bool isOwn = true;
    HitClass hitClass = HitClass::Normal;
    int drum = 0;
};

/// Decaying tones that begin at their peak, and hits that say so.
HitMaterial material(const std::vector<Event>& events, double seconds, double hz = 400,
                     double decayS = 0.03) {
    HitMaterial m;
    m.rateHz = kRate;
    m.sound.emplace_back(static_cast<std::size_t>(seconds * kRate), 0.0F);
    for (const auto& e : events) {
        const auto from = static_cast<std::size_t>(std::lround(e.timeS * kRate));
        for (std::size_t n = from; n < m.sound[0].size(); ++n) {
            const double t = static_cast<double>(n - from) / kRate;
            m.sound[0][n] +=
                static_cast<float>(dbToLinear(e.peakDb) * std::exp(-t / decayS) * std::cos(2 * kPi * hz * t));
        }
        m.hits.push_back({e.timeS, e.isOwn, e.hitClass, e.drum, e.peakDb});
    }
    return m;
}

dsp::GateSettings gateAt(double openDb) {
    dsp::GateSettings s;
    s.openDb = openDb;
    s.closeDb = openDb - 6;
    s.floorDb = -40;
    s.attackMs = 0.5;
    s.lookAheadMs = 1;
    s.holdMs = 20;
    s.releaseMs = 60;
    s.windowMs = 2;
    return s;
}

const std::vector<Event> kTake = {
    {0.5, -6, true, HitClass::Accent},      {1.0, -26, false, HitClass::Normal, 3},
    {1.5, -12, true, HitClass::Normal},     {2.0, -30, true, HitClass::Ghost},
    {2.5, -26, false, HitClass::Normal, 3}, {3.0, -6, true, HitClass::Accent},
    {3.5, -22, false, HitClass::Normal, 4},
};

TEST(GateJudge, CountsAreThoseOfTheLevels) {
    const auto m = material(kTake, 4);
    GateTracks tracks(m);
    struct Case {
        double openDb;
        int normals, ghosts, spill;
    };
    for (const Case c :
         {Case{-34, 1, 1, 3}, Case{-28, 1, 0, 3}, Case{-24, 1, 0, 1}, Case{-20, 1, 0, 0}, Case{-10, 0, 0, 0}})
        for (const auto precision : {GatePrecision::Coarse, GatePrecision::Exact}) {
            const auto counts = judgeGate(tracks, gateAt(c.openDb), precision, 100).all;
            EXPECT_EQ(counts.accents, 2);
            EXPECT_EQ(counts.accentsKept, 2);
            EXPECT_EQ(counts.normals, 1);
            EXPECT_EQ(counts.ghosts, 1);
            EXPECT_EQ(counts.normalsKept, c.normals) << c.openDb;
            EXPECT_EQ(counts.ghostsKept, c.ghosts) << c.openDb;
            EXPECT_EQ(counts.spill, 3);
            EXPECT_EQ(counts.spillOpening, c.spill) << c.openDb;
            EXPECT_EQ(counts.chatter, 0);
            EXPECT_EQ(counts.noiseOpenings, 0);
        }
    const auto counts = judgeGate(tracks, gateAt(-24), GatePrecision::Exact, 100).all;
    EXPECT_EQ(counts.openingDrums.at(4), 1);
    EXPECT_FALSE(counts.openingDrums.contains(3));
}

TEST(GateJudge, LevelsAreThoseOfTheRunningGate) {
    // The same sound through the gate that plays; levels are compared hit by hit.
    const auto m = material(kTake, 4);
    for (const auto reach : {dsp::GateReach::All, dsp::GateReach::Above})
        for (const double attackMs : {0.0, 4.0}) {
            auto s = gateAt(-24);
            s.attackMs = attackMs;
            s.lookAheadMs = 0.5;
            s.reach = reach;
            s.fromHz = 40; // nearly all of the sound
            GateTracks tracks(m);
            const auto report = judgeGate(tracks, s, GatePrecision::Exact, 100);
            const auto y = test::throughLanes<dsp::GateLanes>(m.sound, m.sound, s, kRate)[0];
            const auto late = static_cast<std::size_t>(dsp::gateLatency(s, kRate));
            const auto changeDb = [&](double fromS, double toS) {
                double in = 0;
                double out = 0;
                for (auto n = static_cast<std::size_t>(std::lround(fromS * kRate));
                     n < static_cast<std::size_t>(std::lround(toS * kRate)); ++n) {
                    in += static_cast<double>(m.sound[0][n]) * m.sound[0][n];
                    out += static_cast<double>(y[n + late]) * y[n + late];
                }
                return 10 * std::log10(out / in);
            };
            const double tolerance = reach == dsp::GateReach::All ? 0.01 : 1.0;
            for (std::size_t i = 0; i < m.hits.size(); ++i) {
                const double t = m.hits[i].timeS;
                EXPECT_NEAR(report.hits[i].passDb, changeDb(t, t + 0.02), tolerance) << i;
                if (!m.hits[i].isOwn)
                    continue;
                EXPECT_NEAR(report.hits[i].attackDb, changeDb(t, t + 0.002), tolerance) << i;
                EXPECT_NEAR(report.hits[i].tailDb, changeDb(t, t + 0.15), tolerance) << i;
            }
        }
}

TEST(GateJudge, ALongTakeIsHeardAsByTheRunningFilter) {
    // 50 s: filtered in pieces side by side, which must leave no trace at their seams.
    for (const std::size_t channels : {1U, 2U}) {
        HitMaterial m;
        m.rateHz = 44100;
        for (std::size_t c = 0; c < channels; ++c)
            m.sound.push_back(test::noise(0.3, 50 * 44100, static_cast<unsigned>(7 + c)));
        dsp::GateSettings s;
        s.lowCutHz = 40;
        s.highCutHz = 5000;
        std::vector<float> expected(m.frames());
        for (const auto& channel : m.sound) {
            auto bank = dsp::makeBank(4);
            const auto sections = dsp::designDetectorFilter(s, m.rateHz);
            ASSERT_EQ(sections.size(), 4U);
            for (std::size_t i = 0; i < sections.size(); ++i)
                dsp::setTarget(bank.sections[i], 0, sections[i]);
            dsp::settle(bank);
            dsp::LaneBuffer lanes(channel.size() * dsp::kLanes);
            for (std::size_t n = 0; n < channel.size(); ++n)
                lanes[n * dsp::kLanes] = channel[n];
            dsp::kernels().filter(bank, lanes.data(), static_cast<int>(channel.size()));
            for (std::size_t n = 0; n < channel.size(); ++n)
                expected[n] = std::max(expected[n], std::abs(lanes[n * dsp::kLanes]));
        }
        GateTracks tracks(m);
        const auto& heard = tracks.exact(s).detector;
        ASSERT_EQ(heard.size(), 50U * 44100U);
        float worst = 0;
        for (std::size_t n = 0; n < heard.size(); ++n)
            worst = std::max(worst, std::abs(heard[n] - expected[n]));
        EXPECT_LT(worst, 1e-5F) << channels << " channels";
    }
}

TEST(GateJudge, ThreeDecibelsAreTheLimitOfKept) {
    for (const double floorDb : {-2.0, -4.0}) {
        auto m = material(kTake, 4);
        GateTracks tracks(m);
        auto s = gateAt(-1); // never opens
        s.floorDb = floorDb;
        const auto report = judgeGate(tracks, s, GatePrecision::Exact, 60);
        EXPECT_EQ(report.all.ownKept(), floorDb > -3 ? report.all.own() : 0) << floorDb;
        EXPECT_NEAR(report.hits[0].passDb, floorDb, 0.05);
    }
}

TEST(GateJudge, APartIsWhatLiesInTheReach) {
    // A loud 600 Hz tone and a soft 8 kHz tone: above 3 kHz there is only the second.
    HitMaterial m;
    m.rateHz = 48000;
    auto& x = m.sound.emplace_back(48000);
    for (std::size_t n = 0; n < x.size(); ++n) {
        const double t = static_cast<double>(n) / m.rateHz;
        x[n] = static_cast<float>(0.5 * std::sin(2 * kPi * 600 * t) + 0.005 * std::sin(2 * kPi * 8000 * t));
    }
    GateTracks tracks(m);
    dsp::GateSettings s;
    s.reach = dsp::GateReach::Above;
    double energy = 0;
    const auto& above = tracks.exact(s).energy;
    for (std::size_t n = 4800; n < above.size(); ++n)
        energy += above[n];
    EXPECT_NEAR(powerToDb(energy / (43200 * 0.5 * 0.005 * 0.005)), 0, 0.2);
    s.reach = dsp::GateReach::Below;
    s.toHz = 3000;
    energy = 0;
    for (const float e : tracks.exact(s).energy)
        energy += e;
    EXPECT_NEAR(powerToDb(energy / (48000 * 0.5 * 0.5 * 0.5)), 0, 0.1);
}

TEST(GateJudge, CoarseIsNearExact) {
    std::vector<Event> events;
    for (int i = 0; i < 60; ++i)
        events.push_back({0.2 + 0.31 * i,
                          i % 3 == 0   ? -8.0
                          : i % 3 == 1 ? -20.0
                                       : -24.0,
                          i % 3 != 2, i % 3 == 1 ? HitClass::Ghost : HitClass::Accent, i % 3});
    const auto m = material(events, 20);
    GateTracks tracks(m);
    for (const auto detector : {dsp::GateDetector::Peak, dsp::GateDetector::Rms})
        for (const double ratio : {dsp::kHardRatio, 3.0}) {
            auto s = gateAt(-22);
            s.detector = detector;
            s.ratio = ratio;
            const auto coarse = judgeGate(tracks, s, GatePrecision::Coarse, 100);
            const auto exact = judgeGate(tracks, s, GatePrecision::Exact, 100);
            EXPECT_TRUE(exact.isExact);
            for (std::size_t i = 0; i < m.hits.size(); ++i)
                EXPECT_NEAR(coarse.hits[i].passDb, exact.hits[i].passDb, 1.0) << i;
            EXPECT_NEAR(coarse.all.spillChangeDb(), exact.all.spillChangeDb(), 0.5);
            EXPECT_NEAR(coarse.all.tailLostDb, exact.all.tailLostDb, 0.3);
        }
}

TEST(GateJudge, AShortHoldCutsTails) {
    const auto m = material({{0.5, -6}, {1.5, -6}}, 2.5, 100, 0.15);
    GateTracks tracks(m);
    auto s = gateAt(-12);
    s.closeDb = -12.5;
    s.holdMs = 0;
    s.releaseMs = 10;
    const auto cut = judgeGate(tracks, s, GatePrecision::Exact, 100).all;
    EXPECT_EQ(cut.normalsKept, 2);
    // exp(-t / 0.15) falls by 6 dB in 104 ms: what is after is gone. Of the energy of 150 ms that is 15 %.
    EXPECT_EQ(cut.tailsCut, 0);
    EXPECT_NEAR(cut.tailLostDb, 10 * std::log10((1 - std::exp(-2 * 0.104 / 0.15)) / (1 - std::exp(-2.0))),
                0.4);
    s.openDb = -7;
    s.closeDb = -7;
    EXPECT_EQ(judgeGate(tracks, s, GatePrecision::Exact, 100).all.tailsCut, 2);
}

TEST(GateJudge, HysteresisTooSmallChatters) {
    // A tone that swells around the threshold.
    auto m = material({{0.5, -6}}, 2, 1000, 0.4);
    for (std::size_t n = 0; n < m.sound[0].size(); ++n)
        m.sound[0][n] *=
            static_cast<float>(1 + 0.5 * std::cos(2 * kPi * 40 * (static_cast<double>(n) / kRate - 0.5)));
    GateTracks tracks(m);
    auto s = gateAt(-8);
    s.closeDb = -8;
    s.holdMs = 0;
    s.releaseMs = 2;
    s.windowMs = 1;
    EXPECT_GT(judgeGate(tracks, s, GatePrecision::Exact, 100).all.chatter, 1);
    s.closeDb = -20;
    EXPECT_EQ(judgeGate(tracks, s, GatePrecision::Exact, 100).all.chatter, 0);
}

TEST(GateJudge, AnInstantEdgeOnALowDrumClicksAndASlowOneDoesNot) {
    // The wave is half way up when it is let through: a jump. There is nothing above 4 kHz to hide it.
    auto m = material({{0.5, -3}, {1.5, -3}}, 2.5, 60, 0.1);
    for (auto& channel : m.sound)
        for (std::size_t n = 0; n < channel.size(); ++n) { // begins softly
            const double t = static_cast<double>(n) / kRate;
            for (const double at : {0.5, 1.5})
                if (t >= at && t < at + 0.02)
                    channel[n] *= static_cast<float>(0.5 - 0.5 * std::cos(kPi * (t - at) / 0.02));
        }
    GateTracks tracks(m);
    auto s = gateAt(-10);
    s.lookAheadMs = 0;
    s.attackMs = 0;
    const auto hard = judgeGate(tracks, s, GatePrecision::Exact, 100);
    EXPECT_EQ(hard.all.clicks, 2);
    s.attackMs = 3;
    const auto smooth = judgeGate(tracks, s, GatePrecision::Exact, 100);
    EXPECT_EQ(smooth.all.clicks, 0);
    EXPECT_LT(smooth.hits[0].clickDb, hard.hits[0].clickDb - 20);
}

TEST(GateJudge, WithoutLookAheadAnAttackEatsTheFirstMilliseconds) {
    const auto m = material({{0.5, -6}, {1.5, -6}}, 2.5);
    GateTracks tracks(m);
    auto s = gateAt(-20);
    s.floorDb = dsp::kSilentFloorDb;
    s.attackMs = 2;
    s.lookAheadMs = 0;
    // The S is made of two parabolas; of a wave that is nearly even over 2 ms it lets through
    // integral of s^2 = 2 int_0^.5 ... = 0.3917 - by the same formula summed here.
    double sum = 0;
    for (int i = 0; i < 1000; ++i) {
        const double t = (i + 0.5) / 1000;
        const double g = t < 0.5 ? 2 * t * t : 1 - 2 * (1 - t) * (1 - t);
        const double x = std::exp(-t * 0.002 / 0.03) * std::cos(2 * kPi * 400 * t * 0.002);
        sum += g * g * x * x;
    }
    double whole = 0;
    for (int i = 0; i < 1000; ++i) {
        const double t = (i + 0.5) / 1000;
        const double x = std::exp(-t * 0.002 / 0.03) * std::cos(2 * kPi * 400 * t * 0.002);
        whole += x * x;
    }
    EXPECT_NEAR(judgeGate(tracks, s, GatePrecision::Exact, 100).all.attackLostDb,
                10 * std::log10(sum / whole), 0.2);
    s.lookAheadMs = 2.5;
    EXPECT_NEAR(judgeGate(tracks, s, GatePrecision::Exact, 100).all.attackLostDb, 0, 0.05);
}

TEST(GateJudge, SectionsAreCountedAndHaveTheirOwnSettings) {
    auto m = material(kTake, 4);
    m.sections = {{"first", 0, 1.75}, {"second", 1.75, 4}};
    GateTracks tracks(m);
    const auto plain = judgeGate(tracks, gateAt(-20), GatePrecision::Exact, 100);
    EXPECT_EQ(plain.sections[0].own(), 2);
    EXPECT_EQ(plain.sections[1].own(), 2);
    EXPECT_EQ(plain.sections[1].ghostsKept, 0);
    const auto turned =
        judgeGate(tracks, gateAt(-20), GatePrecision::Exact, 100, {{1.75, gateAt(-34), 0.02}});
    EXPECT_EQ(turned.sections[0].spillOpening, 0);
    EXPECT_EQ(turned.sections[1].ghostsKept, 1);
    EXPECT_EQ(turned.sections[1].spillOpening, 2);
}

TEST(GateJudge, SpillEnergyFallsByTheFloor) {
    // Nothing but spill between the hits: the floor takes off what it says.
    const auto m = material({{0.5, -6}, {1.0, -30, false, HitClass::Normal, 3}, {2.0, -6}}, 2.5, 400, 0.02);
    GateTracks tracks(m);
    auto s = gateAt(-20);
    s.releaseMs = 20;
    s.floorDb = -12;
    EXPECT_NEAR(judgeGate(tracks, s, GatePrecision::Exact, 200).all.spillChangeDb(), -12, 0.3);
}

TEST(GateJudge, NatureOfADrumIsMeasured) {
    // Rises along a line for 4 ms, then falls by 20 dB in 2.3026 * 60 ms.
    HitMaterial m = material({{0.5, -100}, {1.5, -100}, {2.5, -100}}, 3.5);
    for (const double at : {0.5, 1.5, 2.5})
        for (std::size_t n = 0; n < 24000; ++n) {
            const double t = static_cast<double>(n) / kRate;
            const double e = t < 0.004 ? t / 0.004 : std::exp(-(t - 0.004) / 0.06);
            m.sound[0][static_cast<std::size_t>(at * kRate) + n] = static_cast<float>(0.5 * e);
        }
    const auto nature = measureNature(m);
    EXPECT_EQ(nature.hits, 3);
    EXPECT_NEAR(nature.riseMs, 0.8 * 4, 0.1);
    EXPECT_NEAR(nature.peakMs, 4, 0.1);
    EXPECT_NEAR(nature.decayMs, 2.3026 * 60, 10);
}

} // namespace
} // namespace cask::measure
