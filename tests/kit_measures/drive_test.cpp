// Driving and pushing a kit, against renders made without the measures.
#include "core/base/units.h"
#include "core/graph/offline_render.h"
#include "core/kit_measures/bus_parts.h"
#include "core/kit_measures/densify.h"
#include "core/kit_measures/drive.h"
#include "core/kit_measures/path_sound.h"
#include "core/kit_measures/push.h"
#include "core/kit_measures/send_mix.h"
#include "core/session/edits.h"
#include "core/session/parallel_path.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace cask::kit {
namespace {

using session::Id;
using session::Session;

constexpr Frames kLength = 20 * 48000;

/// Steady highs, as cymbals that spill: the difference of neighbours in noise.
std::vector<float> withHiss(std::vector<float> x, double gain) {
    const auto hiss = test::noise(gain, x.size(), 9);
    for (std::size_t n = 1; n < x.size(); ++n)
        x[n] += hiss[n] - hiss[n - 1];
    return x;
}

std::vector<float> drum(double hz, double firstS, double gain, double click, unsigned seed,
                        double ringS = 0.3) {
    std::vector<float> x(static_cast<std::size_t>(kLength), 0.0F);
    const auto hiss = test::noise(1, x.size(), seed);
    for (double at = firstS; at < 19.5; at += 1)
        for (std::size_t n = 0; n < 19200; ++n) {
            const double t = static_cast<double>(n) / 48000;
            const auto from = static_cast<std::size_t>(at * 48000);
            x[from + n] +=
                static_cast<float>(gain * (click * hiss[from + n] * std::exp(-t / 0.02) +
                                           0.6 * std::pow(10, -3 * t / ringS) * std::sin(2 * kPi * hz * t)));
        }
    return x;
}

/// Three drums, each by itself every second, with the analysis as it must be.
struct ThreeDrums {
    test::MemoryKit kit;
    Session s;
    HitAnalysis hits;

    explicit ThreeDrums(std::array<double, 3> ringS = {0.3, 0.3, 0.3}, double hiss = 0)
        : kit(test::memoryKit({{withHiss(drum(60, 0.1, 1.0, 0.1, 1, ringS[0]), hiss)},
                               {drum(190, 0.4, 0.5, 0.4, 2, ringS[1])},
                               {drum(110, 0.7, 0.25, 0.1, 3, ringS[2])}})),
          s(kit.session) {
        const std::array roles{Role::KickIn, Role::SnareTop, Role::RackTom};
        for (std::size_t e = 0; e < 3; ++e) {
            s = session::withElement(s, kit.elements[e], [&](session::Element& x) { x.role = roles[e]; });
            hits.elements.push_back(kit.elements[e]);
            measure::Drum one;
            one.role = roles[e];
            one.inputs = {static_cast<int>(e)};
            one.name = "drum";
            hits.hits.kit.drums.push_back(one);
            hits.hits.kit.drumOf.push_back(static_cast<int>(e));
            for (double at = 0.1 + 0.3 * static_cast<double>(e); at < 19.5; at += 1) {
                measure::DrumHit stroke;
                stroke.drum = static_cast<int>(e);
                stroke.timeS = at;
                stroke.levelDb = -6;
                hits.hits.strokes.push_back(stroke);
                measure::HeardHit heard;
                heard.input = static_cast<int>(e);
                heard.drum = static_cast<int>(e);
                heard.timeS = at;
                heard.isOwn = true;
                hits.hits.heard.push_back(heard);
            }
        }
        hits.hits.inputs = 3;
        std::stable_sort(hits.hits.strokes.begin(), hits.hits.strokes.end(),
                         [](const auto& a, const auto& b) { return a.timeS < b.timeS; });
        std::stable_sort(hits.hits.heard.begin(), hits.hits.heard.end(),
                         [](const auto& a, const auto& b) { return a.timeS < b.timeS; });
    }
};

TEST(PushKit, BreaksInTheOrderOfAnExhaustiveRender) {
    ThreeDrums k;
    const Id bus = session::addBus(k.s, "Drums", k.s.master().id);
    for (const Id e : k.kit.elements)
        k.s = *session::withOutputBus(k.s, e, bus);
    dsp::SaturationSettings saturation;
    saturation.driveDb = 6;
    session::addModule(k.s, bus, saturation);
    const measure::PushLimits limits{-20, 99, 99};
    const auto push = pushKit(k.s, bus, k.hits, k.kit.lookup, limits);
    ASSERT_TRUE(push);
    ASSERT_EQ(push->drums.size(), 3U);
    // The whole session rendered with every trim up, drum by drum: where what is new passes the limit.
    const auto breaksAt = [&](std::size_t drum) {
        std::vector<float> first;
        for (double drive = -12; drive <= 18; drive += 1) {
            Session driven = k.s;
            for (const Id e : k.kit.elements)
                driven =
                    session::withElement(driven, e, [&](session::Element& x) { x.input.trimDb = drive; });
            const auto y = test::render(driven, k.kit.lookup, kLength);
            if (first.empty())
                first = y;
            double both = 0;
            double own = 0;
            double is = 0;
            for (double at = 0.1 + 0.3 * static_cast<double>(drum); at < 19; at += 1)
                for (auto n = static_cast<std::size_t>(2 * at * 48000);
                     n < static_cast<std::size_t>(2 * at * 48000) + 7680; ++n) {
                    both += static_cast<double>(first[n]) * y[n];
                    own += static_cast<double>(first[n]) * first[n];
                    is += static_cast<double>(y[n]) * y[n];
                }
            const double copied = both * both / own;
            if (is - copied > 0 && 10 * std::log10((is - copied) / copied) > limits.bentDb)
                return drive;
        }
        return 99.0;
    };
    std::vector<std::pair<double, int>> wanted;
    for (int d = 0; d < 3; ++d)
        wanted.emplace_back(breaksAt(static_cast<std::size_t>(d)), d);
    std::sort(wanted.begin(), wanted.end());
    for (std::size_t i = 0; i < 3; ++i) {
        EXPECT_EQ(push->drums[i].drum, wanted[i].second) << i;
        if (wanted[i].first < 18) {
            EXPECT_NEAR(push->drums[i].breaksAtDb, wanted[i].first, 1.2) << i;
        }
    }
    EXPECT_NEAR(push->lowerFirstDb, wanted[1].first - wanted[0].first, 2);
}

TEST(KitDrive, PathsAreMeasuredAsTheySound) {
    ThreeDrums k;
    const Id bus = session::addBus(k.s, "Drums", k.s.master().id);
    for (const Id e : k.kit.elements)
        k.s = *session::withOutputBus(k.s, e, bus);
    const Id path = *session::addPath(k.s, "Path", bus);
    // An idle path at its own level is only louder: by as much as its sends say.
    auto found = measurePaths(k.s, k.hits, k.kit.lookup, {});
    ASSERT_TRUE(found);
    ASSERT_EQ(found->size(), 1U);
    EXPECT_TRUE(found->front().comb.dips.empty());
    EXPECT_EQ(found->front().shares.size(), 3U);
    EXPECT_GT(found->front().blendErrorDb, 2);
    // Driven it makes denser, the more of it the denser.
    for (const Id e : k.kit.elements)
        k.s = *session::withSend(k.s, e, {path, -3, false, {}});
    dsp::SaturationSettings driven;
    driven.driveDb = 24;
    driven.outputDb = 12;
    session::addModule(k.s, path, driven);
    found = measurePaths(k.s, k.hits, k.kit.lookup, {});
    ASSERT_TRUE(found);
    const auto& p = found->front();
    EXPECT_GT(p.change.denserDb(), 0.5);
    EXPECT_GT(p.change.shapes.sustainDb, 1);
    EXPECT_EQ(p.blends.front().denserDb, 0);
    EXPECT_GT(p.blends.back().denserDb, p.blends[3].denserDb);
    double all = 0;
    for (const auto& share : p.shares)
        all += share.percent;
    EXPECT_NEAR(all, 100, 1e-6);
    EXPECT_EQ(p.shares.front().element, k.kit.elements[0]) << "the loudest";
}

TEST(KitDrive, ALowPassInThePathKeepsCymbalsDownAsForetold) {
    ThreeDrums k({0.3, 0.3, 0.3}, 0.003);
    const Id bus = session::addBus(k.s, "Drums", k.s.master().id);
    for (const Id e : k.kit.elements)
        k.s = *session::withOutputBus(k.s, e, bus);
    const Id path = *session::addPath(k.s, "Path", bus);
    for (const Id e : k.kit.elements)
        k.s = *session::withSend(k.s, e, {path, 0, false, {}});
    dsp::CompressorSettings crush;
    crush.thresholdDb = -45;
    crush.ratio = 10;
    crush.attackMs = 1;
    crush.releaseMs = 60;
    crush.makeupDb = 20;
    session::addModule(k.s, path, crush);
    const auto match = measurePathMatch(k.s, path, k.kit.lookup);
    ASSERT_TRUE(match);
    k.s = *session::withEqualGain(k.s, path, match->matchDb, match->likeness);
    k.s = session::withBus(k.s, path, [](session::Bus& b) { b.path->blendPercent = 60; });
    const advise::HouseStyle style;
    auto found = measurePaths(k.s, k.hits, k.kit.lookup, style);
    ASSERT_TRUE(found);
    const auto before = found->front();
    ASSERT_GT(before.change.cymbalsDb.value_or(0), style.cymbalsRaisedDb + 2);
    ASSERT_TRUE(before.lowPass);
    dsp::EqBand band;
    band.kind = dsp::FilterKind::LowPass;
    band.frequencyHz = before.lowPass->hz;
    session::addBand(k.s, path, band, session::EqPlace::Colour);
    k.s = *session::withEqualGain(k.s, path, before.lowPass->matchDb, before.lowPass->likeness);
    found = measurePaths(k.s, k.hits, k.kit.lookup, style);
    ASSERT_TRUE(found);
    const auto& after = found->front();
    EXPECT_NEAR(*after.change.cymbalsDb, before.lowPass->cymbalsDb, 0.2);
    EXPECT_NEAR(after.change.denserDb(), before.lowPass->denserDb, 0.2);
    EXPECT_NEAR(after.blendErrorDb, 0, 0.1) << "matched to the filtered path";
    EXPECT_LT(*after.change.cymbalsDb, *before.change.cymbalsDb - 2);
}

/// Energy of 120 to 400 ms against that of the first 120 of a drum's hits in a rendered mix, dB.
double tailOf(const std::vector<float>& mix, std::size_t drum) {
    double first = 0;
    double tail = 0;
    for (double at = 0.1 + 0.3 * static_cast<double>(drum); at < 19; at += 1) {
        const auto from = static_cast<std::size_t>(2 * at * 48000);
        for (std::size_t n = from; n < from + 2 * 19200; ++n)
            (n < from + 2 * 5760 ? first : tail) += static_cast<double>(mix[n]) * static_cast<double>(mix[n]);
    }
    return 10 * std::log10(tail / first);
}

TEST(KitDrive, SendsByWhoNeedsSustainBringTailsTogether) {
    // One drum is heard alone at a time: another that begins within 400 ms would be in its tail.
    ThreeDrums k({0.3, 0.15, 0.6});
    const Id bus = session::addBus(k.s, "Drums", k.s.master().id);
    for (const Id e : k.kit.elements)
        k.s = *session::withOutputBus(k.s, e, bus);
    const Id path = *session::addPath(k.s, "Path", bus);
    for (const Id e : k.kit.elements)
        k.s = *session::withSend(k.s, e, {path, -3, false, {}});
    dsp::CompressorSettings crush;
    crush.thresholdDb = -30;
    crush.ratio = 20;
    crush.attackMs = 1;
    crush.releaseMs = 90;
    crush.makeupDb = 12;
    session::addModule(k.s, path, crush);
    const auto found = measurePaths(k.s, k.hits, k.kit.lookup, {});
    ASSERT_TRUE(found);
    ASSERT_EQ(found->front().shares.size(), 3U);
    std::array<double, 3> sustain{};
    std::array<double, 3> wanted{};
    for (const auto& share : found->front().shares) {
        ASSERT_TRUE(share.wantedDb) << k.s.nameOf(share.element);
        const auto e = static_cast<std::size_t>(
            std::find(k.kit.elements.begin(), k.kit.elements.end(), share.element) - k.kit.elements.begin());
        sustain[e] = *share.sustainDb;
        wanted[e] = *share.wantedDb;
    }
    // A tail falls by 60 dB in its ring, so the energies of both windows are known.
    const auto formula = [](double ringS) {
        const auto until = [ringS](double t) { return 1 - std::pow(10, -6 * t / ringS); };
        return 10 * std::log10((until(0.4) - until(0.12)) / until(0.12));
    };
    EXPECT_NEAR(sustain[0], formula(0.3), 1.5) << "with a click";
    EXPECT_NEAR(sustain[2], formula(0.6), 1.5);
    EXPECT_GT(wanted[1], wanted[0]);
    EXPECT_GT(wanted[0], wanted[2]);
    EXPECT_EQ(wanted[1], -3) << "the loudest send stays where it is";
    // Drum by drum, so that no other lies in its tail: how far apart tails are, with alike sends and with
    // these.
    const auto spread = [&](const Session& s) {
        std::array<double, 3> tails{};
        for (std::size_t e = 0; e < 3; ++e) {
            Session alone = s;
            for (std::size_t other = 0; other < 3; ++other)
                alone = session::withElement(alone, k.kit.elements[other],
                                             [&](session::Element& x) { x.out.isMuted = other != e; });
            tails[e] = tailOf(test::render(alone, k.kit.lookup, kLength), e);
        }
        return *std::max_element(tails.begin(), tails.end()) - *std::min_element(tails.begin(), tails.end());
    };
    Session sent = k.s;
    for (std::size_t e = 0; e < 3; ++e)
        sent = *session::withSend(sent, k.kit.elements[e], {path, wanted[e], false, {}});
    const double alike = spread(k.s);
    EXPECT_LT(spread(sent), alike - 2) << alike;
}

TEST(KitDrive, SendsBySustainFollowTheirFormula) {
    EXPECT_TRUE(sendsBySustain({}, 0).empty());
    EXPECT_EQ(sendsBySustain({-10, -13, -8}, 0), (std::vector<double>{-3, 0, -5}));
    EXPECT_EQ(sendsBySustain({-10, -40, 20}, -2), (std::vector<double>{-8, -2, -20}))
        << "6 more, 12 less at most";
}

TEST(KitDrive, PartsOfABusAddUpToIt) {
    ThreeDrums k;
    const Id bus = session::addBus(k.s, "Drums", k.s.master().id);
    for (const Id e : k.kit.elements)
        k.s = *session::withOutputBus(k.s, e, bus);
    k.s = session::withOutput(std::move(k.s), k.kit.elements[0],
                              [](session::Output& out) { out.levelDb = -6; });
    dsp::SaturationSettings bent;
    bent.driveDb = 18;
    const Id module = session::addModule(k.s, bus, bent);
    const auto parts = busParts(k.s, bus, k.kit.lookup, 0, 96000);
    ASSERT_TRUE(parts);
    ASSERT_EQ(parts->size(), 3U);
    const auto open = test::render(session::withoutModule(k.s, module), k.kit.lookup, 96000);
    for (std::size_t n = 0; n < 96000; n += 7) {
        double sum = 0;
        for (const auto& part : *parts)
            sum += static_cast<double>(part.sound[1][n]);
        ASSERT_NEAR(sum, open[2 * n + 1], 1e-5) << n;
    }
    const auto drives = measureDrives(k.s, k.hits, k.kit.lookup, {});
    ASSERT_TRUE(drives);
    // Drums that follow each other meet in their tails alone.
    EXPECT_GT(drives->front().betweenDrumsDb, -70);
    EXPECT_LT(drives->front().betweenDrumsDb, -15);
}

TEST(KitDrive, WhatIsKnownIsNotMeasuredAgain) {
    ThreeDrums k;
    const Id module = session::addModule(k.s, k.kit.elements[1], dsp::SaturationSettings{});
    auto first = measureDrives(k.s, k.hits, k.kit.lookup, {});
    ASSERT_TRUE(first);
    ASSERT_EQ(first->size(), 1U);
    EXPECT_EQ(first->front().module, module);
    EXPECT_NEAR(first->front().noteHz, 190, 4);
    first->front().change.newDb = 123;
    const auto second = measureDrives(k.s, k.hits, k.kit.lookup, {}, {}, *first);
    ASSERT_TRUE(second);
    EXPECT_EQ(second->front().change.newDb, 123);
    CancelToken cancel;
    cancel.cancel();
    EXPECT_FALSE(measureDrives(k.s, k.hits, k.kit.lookup, {}, cancel));
}

TEST(Densify, EveryWayIsAsMuchDenserAsWantedByARenderOfItsOwn) {
    ThreeDrums k;
    const Id bus = session::addBus(k.s, "Drums", k.s.master().id);
    for (const Id e : k.kit.elements)
        k.s = *session::withOutputBus(k.s, e, bus);
    const auto ways = densify(k.s, bus, 2, k.hits, k.kit.lookup, {});
    ASSERT_TRUE(ways) << ways.error().message;
    ASSERT_EQ(ways->size(), 4U);
    EXPECT_EQ(ways->back().approach, DenseApproach::None);
    EXPECT_EQ(ways->back().session, k.s);
    EXPECT_EQ(ways->back().denserDb, 0);
    const auto densityOf = [&](const Session& s) {
        const auto mix = test::render(s, k.kit.lookup, kLength);
        measure::Sound sides(2);
        for (std::size_t n = 0; n < mix.size(); ++n)
            sides[n % 2].push_back(mix[n]);
        return measure::densityOf(sides, 48000).densityDb();
    };
    const double before = densityOf(k.s);
    for (const auto& way : *ways) {
        if (way.approach == DenseApproach::None)
            continue;
        EXPECT_TRUE(way.isReached) << denseApproachId(way.approach) << " " << way.denserDb;
        EXPECT_NEAR(densityOf(way.session) - before, 2, 0.35) << denseApproachId(way.approach);
        EXPECT_FALSE(inWords(way, k.s, bus).empty());
    }
    EXPECT_LE(ways->front().cost(), (*ways)[2].cost());
    EXPECT_FALSE(densify(k.s, k.s.master().id, 2, k.hits, k.kit.lookup, {}));
    CancelToken cancel;
    cancel.cancel();
    EXPECT_FALSE(densify(k.s, bus, 2, k.hits, k.kit.lookup, {}, cancel));
}

} // namespace
} // namespace cask::kit
