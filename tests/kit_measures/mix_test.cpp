// Whole tracks over each other, hum in files, overheads, drums that hum along: from session to proposal.
#include "core/advise/advise.h"
#include "core/base/units.h"
#include "core/kit_measures/mix.h"
#include "core/kit_measures/tones.h"
#include "core/session/edits.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::kit {
namespace {

using session::Id;
using session::Session;

/// A kick twice a second, softer by `apartDb` than a bass that plays all the time at the same note.
test::MemoryKit kickAndBass(double apartDb) {
    auto kick = test::bursts(57, 0.5, 0.1, 1.2, 8);
    for (float& x : kick)
        x *= static_cast<float>(0.4 * dbToLinear(apartDb));
    auto bass = test::sine(57, 0.25, 8);
    const auto upper = test::sine(228, 0.1, 8);
    for (std::size_t n = 0; n < bass.size(); ++n)
        bass[n] += upper[n];
    auto kit = test::memoryKit({{kick}, {bass}});
    kit.session = session::withElement(kit.session, kit.elements[0], [](auto& e) { e.role = Role::KickIn; });
    kit.session = session::withElement(kit.session, kit.elements[1], [](auto& e) { e.role = Role::Bass; });
    return kit;
}

advise::KitMeasures measuresOf(const test::MemoryKit& kit, const Session& s) {
    advise::KitMeasures measures;
    const auto tracks = measureTracks(s, kit.lookup);
    measures.cells = tracks->cells;
    measures.hums = tracks->hums;
    measures.mix = measureMix(s, tracks->cells, nullptr);
    return measures;
}

TEST(Mix, KickAndBassThatMaskEachOtherAreParted) {
    const auto kit = kickAndBass(0);
    const auto measures = measuresOf(kit, kit.session);
    ASSERT_FALSE(measures.mix->conflicts.empty());
    const auto& conflict = measures.mix->conflicts.front();
    EXPECT_LT(conflict.fromHz, 60);
    EXPECT_GT(conflict.toHz, 60);
    EXPECT_LT(conflict.shareAfter, conflict.conflict.worstShare);
    advise::HouseStyle style;
    style.conflictPercent = 5;
    const auto findings = advise::mixFindings(kit.session, measures, style);
    ASSERT_EQ(findings.size(), 1U);
    EXPECT_TRUE(findings[0].id.starts_with("conflict-"));
    // What was expected is what is measured once it is made.
    const auto parted = findings[0].proposal->apply(kit.session);
    const auto after = measuresOf(kit, parted);
    std::vector<double> hz;
    for (int b = 0; b < measure::kErbBands; ++b)
        hz.push_back(measure::erbBandHz(b));
    std::vector<measure::MixTrack> tracks;
    for (const auto& cell : after.cells) {
        const auto way = wayResponseDb(parted, cell.element, hz);
        auto& track = tracks.emplace_back();
        track.cells = cell.cells.get();
        for (std::size_t b = 0; b < way.size(); ++b)
            track.gainDb[b] = static_cast<float>(way[b]);
    }
    EXPECT_NEAR(measure::conflictShare(tracks, conflict.conflict), conflict.shareAfter, 0.03);
    for (const auto& f : advise::mixFindings(parted, after, style))
        EXPECT_GT(f.numbers[2].value, 70) << "room was made where it was worst: " << f.sentence;
}

TEST(Mix, FarApartTheyDoNot) {
    for (const double apartDb : {-30.0, 25.0}) {
        auto kit = kickAndBass(0);
        kit.session =
            session::withOutput(kit.session, kit.elements[0], [&](auto& out) { out.levelDb = apartDb; });
        EXPECT_TRUE(advise::mixFindings(kit.session, measuresOf(kit, kit.session), {}).empty()) << apartDb;
    }
}

TEST(Mix, LevelsAndFiltersOnTheWayCount) {
    auto kit = kickAndBass(0);
    auto& s = kit.session;
    const Id bus = session::addBus(s, "Lows", s.master().id);
    s = *session::withOutputBus(s, kit.elements[0], bus);
    s = session::withOutput(s, bus, [](auto& out) { out.levelDb = -7; });
    s = session::withOutput(s, kit.elements[0], [](auto& out) { out.levelDb = -5; });
    dsp::EqBand band;
    band.frequencyHz = 60;
    band.gainDb = -9;
    session::addBand(s, bus, band);
    const auto way = wayResponseDb(s, kit.elements[0], {60, 5000});
    EXPECT_NEAR(way[0], -21, 0.05);
    EXPECT_NEAR(way[1], -12, 0.05);
    const auto mix = measuresOf(kit, s).mix;
    EXPECT_LT(mix->picture.share[0][static_cast<std::size_t>(std::lround(measure::erbPlace(60)))], 0.1);
    // What is silent is not there.
    s = session::withOutput(s, kit.elements[0], [](auto& out) { out.isMuted = true; });
    EXPECT_EQ(measuresOf(kit, s).mix->elements, std::vector<Id>{kit.elements[1]});
}

TEST(Mix, HumIsFoundAndNotchedOut) {
    auto x = test::bursts(180, 0.5, 0.2, 0.2, 8);
    x.resize(12 * 48000);
    const auto hiss = test::noise(0.0001, x.size(), 2);
    const auto hum = test::sine(50, dbToLinear(-55), 12);
    for (std::size_t n = 0; n < x.size(); ++n)
        x[n] += hiss[n] + hum[n];
    const auto kit = test::memoryKit({{x}});
    const auto findings = advise::mixFindings(kit.session, measuresOf(kit, kit.session), {});
    ASSERT_EQ(findings.size(), 1U);
    EXPECT_NE(findings[0].sentence.find("50 Hz"), std::string::npos) << findings[0].sentence;
    ASSERT_TRUE(findings[0].proposal);
    const auto mended = findings[0].proposal->apply(kit.session);
    auto out = test::render(mended, kit.lookup, static_cast<Frames>(x.size()));
    std::vector<float> end;
    for (std::size_t n = 2 * 10 * 48000; n < out.size(); n += 2)
        end.push_back(out[n]);
    EXPECT_LT(linearToDb(test::amplitudeAt(end, 50, kRate)), -90);
    const auto again = advise::mixFindings(mended, measuresOf(kit, mended), {});
    ASSERT_EQ(again.size(), 1U);
    EXPECT_FALSE(again[0].isOpen()) << "its notches are there";
    advise::HouseStyle deaf;
    deaf.humDb = -50;
    EXPECT_TRUE(advise::mixFindings(kit.session, measuresOf(kit, kit.session), deaf).empty());
}

} // namespace
} // namespace cask::kit
