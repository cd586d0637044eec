// Wishes: judged against gains that are known, and the search on drums with known shapes.
#include "core/base/units.h"
#include "core/measure/loudness.h"
#include "core/measure/punch/compression.h"
#include "core/measure/punch/wishes.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <functional>

namespace cask::measure {
namespace {

constexpr double kStrokeEveryS = 0.5;
constexpr double kSeconds = 12;

/// A click of 4 ms over a tone that falls by 60 dB in 0.5 s, twice a second, every fourth one a ghost; levels
/// spread over 8 dB. Another drum's spill in the middle between.
HitMaterial strokesOfADrum(std::size_t channels = 1) {
    HitMaterial m;
    m.rateHz = kRate;
    std::vector<float> x(static_cast<std::size_t>(kSeconds * kRate), 0.0F);
    const auto add = [&](double atS, double levelDb, double clickHz, double toneHz) {
        const auto from = static_cast<std::size_t>(std::lround(atS * kRate));
        for (std::size_t n = 0; from + n < x.size() && n < static_cast<std::size_t>(kStrokeEveryS * kRate);
             ++n) {
            const double t = static_cast<double>(n) / kRate;
            x[from + n] += static_cast<float>(
                dbToLinear(levelDb) * (std::exp(-t / 0.004) * std::sin(2 * kPi * clickHz * t) +
                                       0.6 * std::pow(10, -3 * t / 0.5) * std::sin(2 * kPi * toneHz * t)));
        }
    };
    int i = 0;
    for (double at = 0.25; at + kStrokeEveryS < kSeconds; at += kStrokeEveryS, ++i) {
        const bool isGhost = i % 4 == 3;
        add(at, isGhost ? -24 : -6 - i % 5, 2500, 190);
        m.hits.push_back({at, true, isGhost ? HitClass::Ghost : HitClass::Normal, 0, 0});
        add(at + kStrokeEveryS / 2, -46, 4000, 900);
        m.hits.push_back({at + kStrokeEveryS / 2, false, HitClass::Normal, 1, 0});
    }
    m.sound.assign(channels, x);
    return m;
}

/// The sound with a gain (dB) by the time since the last own hit and until the next one.
WishSound changed(const HitMaterial& m, const std::function<double(double sinceS, double untilS)>& gainDb) {
    auto sound = m.sound;
    for (std::size_t n = 0; n < m.frames(); ++n) {
        const double since = std::fmod(static_cast<double>(n) / kRate - 0.25 + kStrokeEveryS, kStrokeEveryS);
        for (auto& channel : sound)
            channel[n] *= static_cast<float>(dbToLinear(gainDb(since, kStrokeEveryS - since)));
    }
    return sound;
}

double reached(Wish wish, const std::function<double(double, double)>& gainDb) {
    const auto m = strokesOfADrum();
    return WishJudge(wish, {}, m).measure(changed(m, gainDb)).reachedDb;
}

TEST(WishJudge, ReadsTheGainsThatAreThere) {
    constexpr double kEdgeS = 0.0002; // frames of the edge
    const auto first = [](double s, double) { return s < 0.010 - kEdgeS ? 3.0 : 0.0; };
    EXPECT_NEAR(reached(Wish::Snap, first), 3, 0.1);
    EXPECT_NEAR(reached(Wish::Thick, first), -3, 0.1);
    EXPECT_NEAR(reached(Wish::Thick, [](double s, double) { return s >= 0.010 && s < 0.3 ? 4.0 : 0.0; }), 4,
                0.1);
    EXPECT_NEAR(reached(Wish::Glue, [](double, double u) { return u < 0.03 ? 2.0 : 0.0; }), 2, 0.1);
    EXPECT_NEAR(reached(Wish::TameTail, [](double s, double) { return s >= 0.06 ? -5.0 : 0.0; }), 5, 0.1);
    EXPECT_NEAR(reached(Wish::Duck, [](double s, double) { return s < 0.06 ? -6.0 : 0.0; }), 6, 0.1);
}

TEST(WishJudge, ALevelAloneIsNoWishAndCostsNothing) {
    const auto m = strokesOfADrum();
    for (const Wish wish : {Wish::Snap, Wish::Thick, Wish::Even, Wish::Glue, Wish::Control, Wish::TameTail}) {
        const auto measured = WishJudge(wish, {}, m).measure(changed(m, [](double, double) { return -5.0; }));
        EXPECT_NEAR(measured.reachedDb, 0, 0.05) << wishWords(wish);
        EXPECT_NEAR(measured.keptAttackDb, 0, 0.05);
        EXPECT_NEAR(measured.ghostsDb, 0, 0.05);
        EXPECT_FALSE(measured.isReached);
    }
}

TEST(WishJudge, EvenAndControlReadPeaks) {
    // Levels spread from -24 (ghosts) and -10 to -6 dB: all to the same.
    const auto m = strokesOfADrum();
    auto even = m.sound;
    auto controlled = m.sound;
    for (std::size_t i = 0; i < m.hits.size(); ++i) {
        if (!m.hits[i].isOwn)
            continue;
        const int k = static_cast<int>(i) / 2;
        const double levelDb = k % 4 == 3 ? -24 : -6 - k % 5;
        const auto from = static_cast<std::size_t>(std::lround(m.hits[i].timeS * kRate));
        for (std::size_t n = 0; n < static_cast<std::size_t>(0.2 * kRate); ++n) {
            even[0][from + n] *= static_cast<float>(dbToLinear(-15 - levelDb));
            controlled[0][from + n] *= static_cast<float>(dbToLinear(levelDb > -8.5 ? -4 : 0));
        }
    }
    const auto flat = WishJudge(Wish::Even, {}, m).measure(even);
    EXPECT_NEAR(flat.reachedDb, 18, 0.3);
    EXPECT_TRUE(flat.isReached);
    const auto lower = WishJudge(Wish::Control, {}, m).measure(controlled);
    // From -6 to -8.99, the loudest that was left, less what the whole got softer.
    EXPECT_NEAR(lower.reachedDb, 3 - lower.matchDb, 0.2);
    EXPECT_GT(lower.matchDb, 0.5);
}

TEST(WishJudge, DeHarshReadsTheBandAndWhatLiesUnderIt) {
    auto m = strokesOfADrum();
    auto after = m.sound;
    for (std::size_t n = 0; n < m.frames(); ++n) {
        const double t = static_cast<double>(n) / kRate;
        const double since = std::fmod(t - 0.25 + kStrokeEveryS, kStrokeEveryS);
        const double harsh = 0.5 * std::exp(-since / 0.03) * std::sin(2 * kPi * 5200 * t);
        m.sound[0][n] += static_cast<float>(harsh);
        after[0][n] += static_cast<float>(harsh * dbToLinear(-4));
    }
    const auto measured = WishJudge(Wish::DeHarsh, {}, m).measure(after);
    EXPECT_NEAR(measured.reachedDb, 4, 0.4); // the click has something there as well
    EXPECT_NEAR(measured.otherDb, 0, 0.05);
    EXPECT_TRUE(measured.isReached);
    for (auto& x : after[0])
        x *= static_cast<float>(dbToLinear(-1));
    EXPECT_FALSE(WishJudge(Wish::DeHarsh, {}, m).measure(after).isReached) << "all of it is softer";
}

TEST(WishJudge, SnapThatEatsTheStickOrDoesNotLetGoIsNotReached) {
    const auto m = strokesOfADrum();
    const WishJudge judge(Wish::Snap, {}, m);
    const auto body = [](double s, double) { return s >= 0.010 && s < 0.2 ? -3.0 : 0.0; };
    const auto good = judge.measure(changed(m, body));
    EXPECT_TRUE(good.isReached) << good.reachedDb << " " << good.keptAttackDb << " " << good.recoveredPercent;
    EXPECT_EQ(good.recoveredPercent, 100);
    const auto held =
        judge.measure(changed(m, [&](double s, double u) { return u < 0.03 ? -2.0 : body(s, u); }));
    EXPECT_GE(held.reachedDb, 2);
    EXPECT_LT(held.recoveredPercent, 5);
    EXPECT_FALSE(held.isReached);
    const auto eaten = judge.measure(changed(m, [](double s, double u) {
        return u < 0.1 ? 0.0 : s < 0.010 ? -4.0 : s < 0.12 ? -7.0 : 18.0;
    }));
    EXPECT_GE(eaten.reachedDb, 2);
    EXPECT_LT(eaten.keptAttackDb, -1);
    EXPECT_FALSE(eaten.isReached);
}

TEST(WishSounds, AreThoseOfOneModuleAloneAndOfTwoInTurn) {
    for (const std::size_t channels : {1U, 2U}) {
        const auto m = strokesOfADrum(channels);
        std::vector<WishWay> ways;
        for (int i = 0; i < 11; ++i) {
            dsp::CompressorSettings s;
            s.thresholdDb = -12 - 2 * i;
            s.attackMs = 1 + i;
            s.lookAheadMs = i % 3;
            s.lowCutHz = i % 2 == 0 ? 10 : 120;
            ways.push_back({"slow", "", {s}});
        }
        const auto sounds = soundsBehind(m, ways);
        ASSERT_EQ(sounds.size(), ways.size());
        // Long sounds are compressed in stretches there.
        const auto expectSame = [](const WishSound& a, const WishSound& b) {
            for (std::size_t c = 0; c < a.size(); ++c)
                for (std::size_t n = 0; n < a[c].size(); ++n)
                    ASSERT_NEAR(a[c][n], b[c][n], 1e-5 + 1e-4 * std::abs(static_cast<double>(b[c][n])));
        };
        for (std::size_t i = 0; i < ways.size(); ++i) {
            SCOPED_TRACE(i);
            expectSame(sounds[i], compressedSound(m, std::get<dsp::CompressorSettings>(ways[i].modules[0])));
        }
        dsp::TransientSettings shape;
        shape.attackPercent = 50;
        for (auto& way : ways)
            way.modules.emplace_back(shape);
        const auto both = soundsBehind(m, ways);
        auto between = m;
        between.sound = sounds[9];
        expectSame(both[9], shapedSound(between, shape));
    }
}

TEST(WishSounds, ALimiterIsTheOneThatIsPlayed) {
    for (const std::size_t channels : {1U, 2U}) {
        const auto m = strokesOfADrum(channels);
        dsp::LimiterSettings low{.ceilingDb = -20, .releaseMs = 40};
        dsp::LimiterSettings high{.ceilingDb = -9, .releaseMs = 90};
        const auto sounds = soundsBehind(m, {{"limiter", "", {low}}, {"limiter", "", {high}}});
        EXPECT_EQ(sounds[0], limitedSound(m, low));
        EXPECT_EQ(sounds[1], limitedSound(m, high));
        EXPECT_NE(sounds[0], sounds[1]);
    }
    const auto near = waysNear({"limiter", "", {dsp::LimiterSettings{.ceilingDb = -9}}}, 0.5);
    EXPECT_EQ(near.size(), 4U);
}

TEST(WishJudge, MeasuresWaysAsItMeasuresTheirSounds) {
    for (const std::size_t channels : {1U, 2U})
        for (const Wish wish : {Wish::Snap, Wish::DeHarsh, Wish::Duck}) {
            SCOPED_TRACE(wishWords(wish));
            auto m = strokesOfADrum(channels);
            if (wish == Wish::Duck) // another sound as the key
                m.key.emplace_back(m.sound[0].rbegin(), m.sound[0].rend());
            std::vector<WishWay> ways;
            for (int i = 0; i < 11; ++i) {
                dsp::CompressorSettings c{.thresholdDb = -14.0 - 2 * i, .attackMs = 1.0 + i};
                c.lookAheadMs = i % 3;
                c.lowCutHz = i % 2 == 0 ? 10 : 120;
                ways.push_back({"two", "", {c, c}});
            }
            const WishJudge judge(wish, {}, m);
            const auto measured = judge.measureBehind(m, ways);
            const auto sounds = soundsBehind(m, ways);
            for (std::size_t i = 0; i < ways.size(); ++i) {
                const auto of = judge.measure(sounds[i]);
                EXPECT_NEAR(measured[i].reachedDb, of.reachedDb, 1e-3) << i;
                EXPECT_NEAR(measured[i].matchDb, of.matchDb, 1e-3) << i;
                EXPECT_NEAR(measured[i].keptAttackDb, of.keptAttackDb, 1e-3) << i;
                EXPECT_EQ(measured[i].recoveredPercent, of.recoveredPercent) << i;
                EXPECT_NEAR(of.matchDb,
                            integratedLufs(m.sound, m.rateHz) - integratedLufs(sounds[i], m.rateHz), 0.003);
            }
            EXPECT_GT(std::abs(measured[10].matchDb - measured[0].matchDb), 0.5) << "ways differ";
        }
}

TEST(WishSearch, EveryWishIsReachedAndTheGentlestComesFirst) {
    const auto m = strokesOfADrum();
    for (const Wish wish : {Wish::Snap, Wish::Thick, Wish::Even, Wish::Glue, Wish::Control, Wish::TameTail}) {
        SCOPED_TRACE(wishWords(wish));
        const auto answers = searchWish(wish, {}, m);
        ASSERT_FALSE(answers.empty());
        EXPECT_TRUE(answers.front().measured.isReached) << answers.front().measured.reachedDb;
        for (std::size_t i = 1; i < answers.size(); ++i) {
            EXPECT_GE(answers[i - 1].measured.isReached, answers[i].measured.isReached);
            if (answers[i].measured.isReached) {
                EXPECT_LE(costDb(answers[i - 1]), costDb(answers[i]));
            }
        }
        // What is told is what that way's sound has.
        const auto sound = soundsBehind(m, {answers.front().way}).front();
        EXPECT_NEAR(WishJudge(wish, {}, m).measure(sound).reachedDb, answers.front().measured.reachedDb,
                    1e-3);
    }
}

TEST(WishSearch, NoMoreIsTakenThanIsWishedFor) {
    const auto m = strokesOfADrum();
    for (const double goalDb : {2.2, 4.3}) {
        WishGoals goals;
        goals.controlDb = goals.snapDb = goalDb;
        for (const Wish wish : {Wish::Control, Wish::Snap}) {
            const auto best = searchWish(wish, goals, m).front().measured;
            EXPECT_TRUE(best.isReached) << wishWords(wish) << " " << goalDb << " " << best.reachedDb;
            EXPECT_LE(best.reachedDb, goalDb + 0.4) << wishWords(wish);
        }
    }
}

TEST(WishSearch, TryingFarMoreWaysFindsNoGentlerOne) {
    const auto m = strokesOfADrum();
    std::vector<WishWay> ways;
    for (double threshold = -30; threshold <= -6; threshold += 3)
        for (const double ratio : {2.0, 4.0, 8.0, 20.0})
            for (const double attack : {0.05, 0.3})
                for (const double release : {10.0, 20.0, 40.0, 80.0}) {
                    dsp::CompressorSettings s;
                    s.thresholdDb = threshold;
                    s.ratio = ratio;
                    s.attackMs = attack;
                    s.releaseMs = release;
                    s.lookAheadMs = 2;
                    s.kneeDb = 2;
                    ways.push_back({"fast", "", {s}});
                }
    const WishJudge judge(Wish::Control, {}, m);
    double gentlestDb = 100;
    const auto sounds = soundsBehind(m, ways);
    for (std::size_t i = 0; i < ways.size(); ++i)
        if (const WishAnswer tried{ways[i], judge.measure(sounds[i])}; tried.measured.isReached)
            gentlestDb = std::min(gentlestDb, costDb(tried));
    ASSERT_LT(gentlestDb, 100);
    EXPECT_LE(costDb(searchWish(Wish::Control, {}, m).front()), gentlestDb + 0.1);
}

TEST(WishSearch, NearIsOneValueMoreOrLess) {
    dsp::CompressorSettings s;
    s.rangeDb = 10;
    const WishWay two{"two", "", {s, s}};
    const auto near = waysNear(two, 0.5);
    ASSERT_EQ(near.size(), 10U);
    for (const auto& way : near) {
        EXPECT_EQ(way.modules[0], way.modules[1]);
        const auto& n = std::get<dsp::CompressorSettings>(way.modules[0]);
        const int others = (n.thresholdDb != s.thresholdDb) + (n.ratio != s.ratio) +
                           (n.attackMs != s.attackMs) + (n.releaseMs != s.releaseMs) +
                           (n.rangeDb != s.rangeDb);
        EXPECT_EQ(others, 1);
    }
    dsp::TransientSettings shape;
    shape.sustainPercent = -95;
    for (const auto& way : waysNear({"shaper", "", {shape}}, 1)) {
        const auto& n = std::get<dsp::TransientSettings>(way.modules[0]);
        EXPECT_EQ(n.attackPercent, 0) << "what a way leaves alone stays so";
        EXPECT_GE(n.sustainPercent, -100);
    }
    // Nothing lies near a shaper that does nothing, and none is tried.
    EXPECT_TRUE(waysNear({"shaper", "", {dsp::TransientSettings()}}, 1).empty());
    for (const auto& way : wishWays(Wish::Thick, strokesOfADrum())) {
        EXPECT_FALSE(waysNear(way, 1).empty());
    }
}

TEST(WishSearch, DuckingListensToTheKey) {
    auto m = strokesOfADrum();
    m.key = m.sound;
    m.sound = {test::sine(55, 0.3, kSeconds)};
    const auto answers = searchWish(Wish::Duck, {}, m);
    ASSERT_FALSE(answers.empty());
    EXPECT_TRUE(answers.front().measured.isReached)
        << answers.front().measured.reachedDb << " " << answers.front().measured.recoveredPercent;
}

TEST(WishSearch, APumpIsAWayWhereTheKeyPlaysOnTheBeat) {
    auto m = strokesOfADrum();
    m.key = m.sound;
    m.sound = {test::sine(55, 0.3, kSeconds)};
    const auto has = [](const std::vector<WishAnswer>& answers) {
        return std::find_if(answers.begin(), answers.end(), [](const auto& a) { return a.way.id == "pump"; });
    };
    auto answers = searchWish(Wish::Duck, {}, m);
    EXPECT_EQ(has(answers), answers.end()) << "no beats are known";
    // Strokes on quarters that drift.
    for (double at = 0.25; at < kSeconds + 1; at += kStrokeEveryS)
        m.beatsS.push_back(at + 0.01 * std::sin(at));
    answers = searchWish(Wish::Duck, {}, m);
    auto pump = has(answers);
    ASSERT_NE(pump, answers.end());
    EXPECT_TRUE(pump->measured.isReached)
        << pump->measured.reachedDb << " " << pump->measured.recoveredPercent;
    EXPECT_EQ(pump->way.beatsS.size(), m.beatsS.size());
    // Beside the beat it is none.
    for (double& at : m.beatsS)
        at += 0.1;
    answers = searchWish(Wish::Duck, {}, m);
    EXPECT_EQ(has(answers), answers.end());
}

TEST(WishSearch, WithoutHitsOrCancelledThereIsNothing) {
    auto m = strokesOfADrum();
    CancelToken cancel;
    cancel.cancel();
    EXPECT_TRUE(searchWish(Wish::Snap, {}, m, cancel).empty());
    m.hits.clear();
    EXPECT_TRUE(searchWish(Wish::Snap, {}, m).empty());
    EXPECT_TRUE(searchWish(Wish::Snap, {}, HitMaterial()).empty());
}

TEST(Wishes, HaveNamesThatAreFoundAgain) {
    for (std::size_t i = 0; i < kWishIds.size(); ++i)
        EXPECT_EQ(wishNamed(kWishIds[i]), static_cast<Wish>(i));
    EXPECT_FALSE(wishNamed("louder"));
}

} // namespace
} // namespace cask::measure
