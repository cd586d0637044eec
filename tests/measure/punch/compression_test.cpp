#include "core/base/units.h"
#include "core/dsp/compressor.h"
#include "core/graph/runner.h"
#include "core/kit_measures/punch.h"
#include "core/measure/punch/compression.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

/// Hits of constant level for 100 ms every half second over a floor at -60 dBFS.
HitMaterial blocks(const std::vector<double>& levelsDb) {
    HitMaterial m;
    m.rateHz = kRate;
    m.startS = 2;
    auto& x = m.sound.emplace_back(static_cast<std::size_t>(0.5 * kRate) * (levelsDb.size() + 1), 0.0F);
    for (std::size_t n = 0; n < x.size(); ++n) {
        const std::size_t hit = n / 24000;
        const bool sounds = hit > 0 && n % 24000 < 4800;
        x[n] = static_cast<float>((n % 2 == 0 ? 1 : -1) * dbToLinear(sounds ? levelsDb[hit - 1] : -60));
    }
    for (std::size_t i = 0; i < levelsDb.size(); ++i)
        m.hits.push_back({2 + 0.5 * static_cast<double>(i + 1), true, HitClass::Normal, 0, levelsDb[i]});
    return m;
}

dsp::CompressorSettings quick() {
    dsp::CompressorSettings s;
    s.thresholdDb = -20;
    s.kneeDb = 0;
    s.attackMs = 0.1;
    s.releaseMs = 300;
    return s;
}

TEST(Compression, EveryHitIsToldAsTheLawHasIt) {
    const auto c = measureCompression(blocks({-8, -14, -26, -2}), quick());
    ASSERT_EQ(c.hits.size(), 4U);
    const double expected[] = {-9, -4.5, 0, -13.5};
    for (std::size_t i = 0; i < 4; ++i) {
        const auto& hit = c.hits[i];
        EXPECT_NEAR(hit.levelDb, (std::array{-8.0, -14.0, -26.0, -2.0})[i], 0.01);
        EXPECT_NEAR(hit.beforeDb, hit.levelDb, 0.01);
        EXPECT_EQ(hit.hit, static_cast<int>(i));
        if (i != 2) { // that one still hears what is left of the one before
            EXPECT_NEAR(hit.changeDb, expected[i], 0.05) << i;
            EXPECT_LT(hit.changeAtMs, 100.5);
        }
    }
    // 400 ms after the sound ended: e^(-400/300) of the change is left.
    EXPECT_NEAR(c.hits[0].leftDb, -9 * std::exp(-400.0 / 300), 0.1);
    EXPECT_NEAR(c.hits[1].leftDb, -4.5 * std::exp(-400.0 / 300), 0.1);
    EXPECT_EQ(c.hits[3].leftDb, 0) << "nothing follows";
    EXPECT_EQ(c.followed, 3);
    EXPECT_EQ(c.recovered, 1) << "-2.4, -1.2 and -0.2 dB are left";
    // One alone, also the last one.
    const auto m = blocks({-8, -14, -26, -2});
    const auto cells = measureQuickly(m, loudnessPowers(m), quick()).cells;
    for (const int hit : {1, 3}) {
        const auto course = courseOf(m, cells, {&hit, 1});
        EXPECT_NEAR(*std::min_element(course.gainDb.begin() + HitCourse::kBeforeMs, course.gainDb.end()),
                    expected[hit], 0.05);
        EXPECT_NEAR(course.beforeDb[HitCourse::kBeforeMs + 50], hit == 1 ? -14 : -2, 0.01);
    }
}

/// What the lanes themselves make of it, from its beginning to its end.
template <class Lanes>
std::vector<float> gainsInOneGo(const HitMaterial& m, const typename Lanes::Settings& settings) {
    const auto channels = static_cast<int>(m.sound.size());
    Lanes lanes(m.rateHz);
    lanes.place(0, channels, settings, true, 0);
    lanes.prepare();
    dsp::LaneBuffer heard(m.frames() * dsp::kLanes);
    dsp::LaneBuffer io(heard.size(), 1.0F);
    for (std::size_t n = 0; n < m.frames(); ++n)
        for (std::size_t c = 0; c < m.sound.size(); ++c)
            heard[n * dsp::kLanes + c] = m.sound[c][n];
    lanes.process(heard.data(), io.data(), static_cast<int>(m.frames()));
    std::vector<float> gains;
    for (std::size_t n = 0; n < m.frames(); ++n)
        gains.push_back(io[n * dsp::kLanes]);
    return gains;
}

TEST(Compression, ALongMaterialInStretchesIsWhatOneRunIs) {
    for (const double rate : {44100.0, 48000.0})
        for (const std::size_t channels : {1U, 2U}) {
            HitMaterial m;
            m.rateHz = rate;
            m.sound.assign(channels, std::vector<float>(static_cast<std::size_t>(40 * rate)));
            for (double atS = 0.1; atS < 39; atS += 0.37) {
                for (std::size_t n = 0; n < static_cast<std::size_t>(0.3 * rate); ++n)
                    for (std::size_t c = 0; c < channels; ++c)
                        m.sound[c][static_cast<std::size_t>(atS * rate) + n] = static_cast<float>(
                            (0.3 + 0.01 * atS) * std::exp(-static_cast<double>(n) / (0.06 * rate)) *
                            std::sin(0.03 * static_cast<double>(n * (c + 1))));
                m.hits.push_back({atS, true, HitClass::Normal, 0, -6});
            }
            auto fixed = quick();
            fixed.releaseMs = 150;
            auto programme = quick();
            programme.releaseMs = 40;
            programme.release = dsp::CompressorRelease::Programme;
            auto rms = fixed;
            rms.detector = dsp::CompressorDetector::Rms;
            auto grab = fixed;
            grab.character = dsp::CompressorCharacter::Grab;
            const auto expectSame = [&](const std::vector<float>& gains, const std::vector<float>& expected) {
                double worstDb = 0;
                for (std::size_t n = 0; n < gains.size(); ++n)
                    worstDb = std::max(worstDb, std::abs(linearToDb(static_cast<double>(gains[n])) -
                                                         linearToDb(static_cast<double>(expected[n]))));
                EXPECT_LT(worstDb, 0.005);
                EXPECT_LT(*std::min_element(expected.begin(), expected.end()), 0.7F);
            };
            for (const auto& settings : {fixed, programme, rms, grab})
                expectSame(gainsOf(m, settings), gainsInOneGo<dsp::CompressorLanes>(m, settings));
            // What is told of the hits, also when it is quickly told.
            const auto powers = loudnessPowers(m);
            const auto exact = measureCompression(m, fixed);
            const auto quickly = measureQuickly(m, powers, fixed);
            ASSERT_EQ(quickly.compression.hits.size(), exact.hits.size());
            for (std::size_t i = 0; i < exact.hits.size(); ++i)
                EXPECT_NEAR(quickly.compression.hits[i].changeDb, exact.hits[i].changeDb, 0.01);
            const auto shapes = measureShapes(m, compressedSound(m, fixed));
            EXPECT_GT(std::abs(shapes.matchDb), 0.5);
            EXPECT_NEAR(quickly.shapes.matchDb, shapes.matchDb, 0.1);
            EXPECT_NEAR(quickly.shapes.keptAttackDb, shapes.keptAttackDb, 0.25);
            EXPECT_NEAR(quickly.shapes.punchAfterDb - quickly.shapes.punchBeforeDb,
                        shapes.punchAfterDb - shapes.punchBeforeDb, 0.25);
            EXPECT_NEAR(quickly.shapes.sustainDb, shapes.sustainDb, 0.2);
            EXPECT_NEAR(quickly.shapes.decayAfterMs, shapes.decayAfterMs, 3);
        }
}

TEST(Compression, MakeUpAndMixAreInWhatLeavesAndNotInTheChange) {
    auto s = quick();
    s.makeupDb = 6;
    s.mixPercent = 50;
    s.lookAheadMs = 5; // so that the whole hit is compressed
    const auto c = measureCompression(blocks({-8}), s);
    EXPECT_NEAR(c.hits[0].changeDb, -9, 0.05);
    EXPECT_NEAR(c.hits[0].keptDb(), linearToDb(0.5 + 0.5 * dbToLinear(-9 + 6)), 0.05);
}

TEST(Compression, TheKeyMovesIt) {
    auto m = blocks({-30});
    m.key = blocks({-8}).sound;
    const auto c = measureCompression(m, quick());
    EXPECT_NEAR(c.hits[0].levelDb, -8, 0.01) << "of the detector";
    EXPECT_NEAR(c.hits[0].beforeDb, -30, 0.01);
    EXPECT_NEAR(c.hits[0].changeDb, -9, 0.05);
}

TEST(Compression, SectionsHaveTheirOwnSettings) {
    auto other = quick();
    other.ratio = 2;
    const auto c =
        measureCompression(blocks({-8, -8, -8}), quick(), {{2.9, other, 0.02}, {3.4, quick(), 0.02}});
    EXPECT_NEAR(c.hits[0].changeDb, -9, 0.05);
    EXPECT_NEAR(c.hits[1].changeDb, -6, 0.05);
    EXPECT_NEAR(c.hits[2].changeDb, -9, 0.05);
}

TEST(Compression, TheAverageIsThePowerOfTheHits) {
    auto s = quick();
    s.lookAheadMs = 2;
    const auto c = measureCompression(blocks({-8, -8, -8}), s);
    ASSERT_EQ(c.average.beforeDb.size(),
              static_cast<std::size_t>(HitCourse::kBeforeMs + HitCourse::kAfterMs));
    const auto at = [](int ms) { return static_cast<std::size_t>(HitCourse::kBeforeMs + ms); };
    EXPECT_NEAR(c.average.beforeDb[at(50)], -8, 0.01);
    EXPECT_NEAR(c.average.afterDb[at(50)], -17, 0.05);
    EXPECT_NEAR(c.average.gainDb[at(50)], -9, 0.05);
    EXPECT_NEAR(c.average.beforeDb[at(-10)], -60, 0.01);
    EXPECT_NEAR(c.average.beforeDb[at(150)], -60, 0.01);
    EXPECT_LT(c.average.gainDb[at(150)], -7);
}

TEST(Compression, NothingToMeasureIsNoError) {
    EXPECT_TRUE(measureCompression({}, quick()).hits.empty());
    auto silent = blocks({});
    EXPECT_TRUE(measureCompression(silent, quick()).average.beforeDb.empty());
    CancelToken cancel;
    cancel.cancel();
    EXPECT_EQ(measureCompression(blocks({-8}), quick(), {}, cancel).hits.size(), 1U);
}

/// What is told is what a render has: the same hits measured on the rendered sound.
TEST(Compression, IsWhatTheSessionSoundsLike) {
    const auto m = blocks({-8, -14, -3, -20, -11});
    for (const auto detector : {dsp::CompressorDetector::Peak, dsp::CompressorDetector::Rms}) {
        auto s = quick();
        s.detector = detector;
        s.attackMs = 5;
        s.lookAheadMs = 3;
        s.lowCutHz = 100;
        s.makeupDb = 2;
        const auto c = measureCompression(m, s);
        auto kit = test::memoryKit({m.sound});
        auto session =
            session::withOutput(kit.session, kit.elements[0], [](session::Output& out) { out.pan = -1; });
        session::addModule(session, kit.elements[0], s);
        const auto mix = test::render(session, kit.lookup, static_cast<Frames>(m.frames()));
        for (const auto& hit : c.hits) {
            const auto from = static_cast<std::size_t>(
                (m.hits[static_cast<std::size_t>(hit.hit)].timeS - m.startS) * kRate);
            float peak = 0;
            for (std::size_t n = from; n < from + 960; ++n)
                peak = std::max(peak, std::abs(mix[2 * n]));
            EXPECT_NEAR(linearToDb(peak), hit.afterDb, 0.01);
        }
    }
}

TEST(Compression, WhatActsOnAPartSoundsInASessionAsItIsMeasured) {
    auto m = blocks({-8, -14, -3, -20, -11});
    for (std::size_t n = 0; n < m.frames(); ++n) // lows beside the highs
        m.sound[0][n] = 0.5F * m.sound[0][n] +
                        static_cast<float>(0.2 * std::sin(2 * kPi * 150 * static_cast<double>(n) / kRate));
    const auto rendered = [&](const auto& settings) {
        auto kit = test::memoryKit({m.sound});
        auto session =
            session::withOutput(kit.session, kit.elements[0], [](session::Output& out) { out.pan = -1; });
        session::addModule(session, kit.elements[0], settings);
        return test::render(session, kit.lookup, static_cast<Frames>(m.frames()));
    };
    const auto expectSame = [&](const std::vector<float>& mix, const std::vector<float>& measured) {
        double changed = 0;
        for (std::size_t n = 0; n < measured.size(); ++n) {
            ASSERT_NEAR(mix[2 * n], measured[n], 1e-4) << n;
            changed = std::max(changed, std::abs(static_cast<double>(measured[n] - m.sound[0][n])));
        }
        EXPECT_GT(changed, 0.03) << "it does something";
    };
    for (const auto reach : {dsp::GateReach::Above, dsp::GateReach::Below, dsp::GateReach::Between}) {
        auto compressor = quick();
        compressor.thresholdDb = -30;
        compressor.reach = reach;
        compressor.fromHz = reach == dsp::GateReach::Between ? 100 : 3000;
        compressor.toHz = 4000;
        compressor.mixPercent = 80;
        expectSame(rendered(compressor), compressedSound(m, compressor)[0]);
        dsp::TransientSettings shaper{.attackPercent = 80, .sustainPercent = -60};
        shaper.reach = reach;
        shaper.fromHz = compressor.fromHz;
        shaper.toHz = compressor.toHz;
        expectSame(rendered(shaper), shapedSound(m, shaper)[0]);
    }
}

TEST(PunchMaterial, IsTheSoundThatComesToTheCompressorAndTheHitsThatMoveIt) {
    const auto x = test::noise(0.2, 48000, 3);
    auto kit = test::memoryKit({{x}, {test::noise(0.1, 48000, 4)}});
    auto s = session::withElement(kit.session, kit.elements[0], [](auto& e) {
        e.input.trimDb = -6;
        e.out.levelDb = -20;
        e.out.isMuted = true;
        e.out.pan = 0.4;
    });
    dsp::GateSettings closed;
    closed.openDb = closed.closeDb = 0;
    closed.floorDb = -12;
    closed.lookAheadMs = 4;
    session::addModule(s, kit.elements[0], closed);
    const auto module = session::addModule(s, kit.elements[0], quick());
    session::addModule(s, kit.elements[0], quick());
    kit::HitAnalysis hits;
    hits.hits.strokes.resize(2);
    hits.hits.strokes[1].timeS = 0.5;
    const auto material = kit::punchMaterial(s, kit.elements[0], module, hits, kit.lookup);
    ASSERT_TRUE(material) << material.error().message;
    ASSERT_EQ((*material)->frames(), x.size());
    for (std::size_t n = 2000; n < 40000; ++n)
        ASSERT_NEAR((*material)->sound[0][n], dbToLinear(-18) * x[n], 1e-6) << "in time, before the level";
    EXPECT_TRUE((*material)->key.empty());
    ASSERT_EQ((*material)->hits.size(), 2U) << "it has none of its own: those of all drums";
    EXPECT_TRUE((*material)->hits[1].isOwn);
    // A bus: both elements, one of them muted.
    const auto bus = kit::punchMaterial(s, s.master().id, session::kNoId, hits, kit.lookup);
    ASSERT_TRUE(bus);
    EXPECT_EQ((*bus)->sound.size(), 2U);
    EXPECT_NEAR(test::rmsOf((*bus)->sound[0]), 0.1 / std::sqrt(3.0) * std::sqrt(0.5), 1e-3);
}

TEST(Compression, HitsOfOthersThatMoveTheGainAreToldByDrum) {
    // Blocks of -8 dBFS are a kick's, those of -14 a tom's, -26 is under the threshold: a ride's.
    auto m = blocks({-8, -14, -26, -8, -14, -26, -8, -14});
    for (auto& hit : m.hits) {
        hit.isOwn = false;
        hit.drum = hit.levelDb > -10 ? 1 : hit.levelDb > -20 ? 2 : 3;
    }
    auto s = quick();
    s.releaseMs = 60; // all let go before the next one
    const auto pumped = measureCompression(m, s).pumped;
    ASSERT_EQ(pumped.size(), 3U);
    EXPECT_EQ(pumped[0].drum, 1);
    EXPECT_EQ(pumped[0].hits, 3);
    EXPECT_EQ(pumped[0].moved, 3);
    EXPECT_NEAR(pumped[0].movedDb, 9, 0.1) << "12 dB over at 4:1";
    EXPECT_NEAR(pumped[1].movedDb, 4.5, 0.1);
    EXPECT_EQ(pumped[2].moved, 0);
    EXPECT_NEAR(pumped[2].movedDb, 0, 0.05);
    // What comes together with an own hit, or with a louder one of another drum, is not its doing.
    auto together = m;
    for (const auto& hit : m.hits)
        if (hit.drum == 1)
            together.hits.push_back({hit.timeS + 0.005, false, HitClass::Normal, 4, hit.levelDb - 9});
        else if (hit.drum == 2)
            together.hits.push_back({hit.timeS + 0.005, true, HitClass::Normal, 0, hit.levelDb});
    std::sort(together.hits.begin(), together.hits.end(),
              [](const auto& a, const auto& b) { return a.timeS < b.timeS; });
    for (const auto& drum : measureCompression(together, s).pumped)
        EXPECT_TRUE(drum.drum == 1 || drum.drum == 3) << drum.drum;
}

TEST(Compression, ALimiterIsToldAsItsCeilingHasIt) {
    auto m = blocks({-8, -20, -2});
    m.sound[0] = test::sine(1000, 1, 2);
    for (std::size_t n = 0; n < m.sound[0].size(); ++n) {
        const std::size_t hit = n / 24000;
        const bool sounds = hit > 0 && n % 24000 < 4800;
        m.sound[0][n] *=
            static_cast<float>(dbToLinear(sounds ? (std::array{-8.0, -20.0, -2.0})[hit - 1] : -60));
    }
    dsp::LimiterSettings s;
    s.ceilingDb = -12;
    s.releaseMs = 40;
    const auto c = measureLimiting(m, s);
    ASSERT_EQ(c.hits.size(), 3U);
    EXPECT_NEAR(c.hits[0].changeDb, -4, 0.1);
    EXPECT_NEAR(c.hits[0].afterDb, -12, 0.1);
    EXPECT_NEAR(c.hits[1].changeDb, 0, 0.05);
    EXPECT_NEAR(c.hits[2].changeDb, -10, 0.1);
    EXPECT_EQ(c.recovered, 2);
    // As a session has it: the sound comes where it was.
    const auto sound = limitedSound(m, s);
    EXPECT_NEAR(sound[0][24000 + 2412], m.sound[0][24000 + 2412] * dbToLinear(-4), 0.002);
    EXPECT_EQ(sound[0][12000], m.sound[0][12000]);
}

} // namespace
} // namespace cask::measure
