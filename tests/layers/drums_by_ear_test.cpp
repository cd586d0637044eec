// Drums that no name tells of: strokes told apart by their sound, and instruments put on notes.
#include "core/base/shared_drum.h"
#include "core/layers/drums_by_ear.h"
#include "core/layers/folder_kit.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <random>

namespace cask::layers {
namespace {

constexpr double kStrokeHz = 48000;

/// A stroke on a skin of so many Hz: five modes of a circular membrane (zeros of Bessel functions over the
/// first), the higher ones softer the softer it is struck, and a little noise.
measure::SoundLook skin(double hz, double strength, unsigned seed) {
    std::mt19937 random(seed);
    std::normal_distribution<float> noise(0, 1);
    std::uniform_real_distribution<double> some(0.8, 1.25);
    std::vector<float> x(static_cast<std::size_t>(kStrokeHz), 0);
    const double modes[] = {1, 1.594, 2.136, 2.296, 2.653};
    for (int m = 0; m < 5; ++m) {
        const double gain = some(random) * std::pow(0.35 * strength + 0.2, m);
        for (std::size_t n = 480; n < x.size(); ++n) {
            const double t = static_cast<double>(n - 480) / kStrokeHz;
            x[n] += static_cast<float>(strength * gain * std::exp(-t * (6 + 5 * m)) *
                                       std::sin(2 * std::numbers::pi * hz * modes[m] * t));
        }
    }
    for (std::size_t n = 480; n < x.size(); ++n)
        x[n] += static_cast<float>(0.02 * strength *
                                   std::exp(-static_cast<double>(n - 480) / (0.02 * kStrokeHz))) *
                noise(random);
    return measure::lookOf({x}, kStrokeHz).value();
}

/// Drums one after the other, so many strokes of each, from soft to hard.
std::vector<measure::SoundLook> strokesOf(const std::vector<double>& drumsHz, int strokes) {
    std::vector<measure::SoundLook> looks;
    unsigned seed = 1;
    for (const double hz : drumsHz)
        for (int i = 0; i < strokes; ++i)
            looks.push_back(skin(hz, std::pow(2.0, i - strokes), ++seed));
    return looks;
}

/// A long, bright noise.
measure::SoundLook metal() {
    std::mt19937 random(3);
    std::normal_distribution<float> noise(0, 1);
    std::vector<float> x(static_cast<std::size_t>(2 * kStrokeHz));
    float before = 0;
    for (std::size_t n = 480; n < x.size(); ++n) {
        const float now = noise(random);
        x[n] = 0.2F * static_cast<float>(std::exp(-static_cast<double>(n - 480) / (0.5 * kStrokeHz))) *
               (now - before);
        before = now;
    }
    return measure::lookOf({x}, kStrokeHz).value();
}

/// Looks whose cells lie on a line: so far from `base`, in dB of unlikeness.
std::vector<measure::SoundLook> onALine(const measure::SoundLook& base, const std::vector<double>& places) {
    const auto moved = [&](double steps) {
        auto look = base;
        for (std::size_t i = 0; i < measure::LookShape::kCells; ++i)
            look.shape.values[i] =
                static_cast<std::uint8_t>(128 + std::lround(i % 4 == 0 || i % 4 == 3 ? steps : -steps));
        return look;
    };
    const double step = measure::unlikeness(moved(0).shape, moved(100).shape) / 100;
    std::vector<measure::SoundLook> looks;
    for (const double place : places) {
        looks.push_back(moved(place / step));
        EXPECT_NEAR(measure::unlikeness(looks.front().shape, looks.back().shape), place - places.front(),
                    0.2);
    }
    return looks;
}

FolderDrum heardAs(int note, double lengthTimes, double brightnessTimes) {
    const auto* mapped = findNote(generalMidiMap(), note);
    FolderDrum drum;
    drum.role = mapped->role;
    drum.typical = mapped->typical;
    drum.typical->lengthMs *= lengthTimes;
    drum.typical->brightnessHz *= brightnessTimes;
    return drum;
}

TEST(DrumsByEar, StrokesOfEachDrumStayTogether) {
    const auto looks = strokesOf({82, 110, 147, 196}, 4);
    std::vector<std::size_t> order(looks.size());
    for (std::size_t i = 0; i < order.size(); ++i)
        order[i] = i * 7 % order.size(); // 7 and 16 have no common part: all, mixed
    std::vector<measure::SoundLook> mixed;
    for (const std::size_t i : order)
        mixed.push_back(looks[i]);
    const auto drums = toldApart(mixed);
    ASSERT_EQ(drums.size(), 4U);
    for (const auto& drum : drums) {
        ASSERT_EQ(drum.size(), 4U);
        EXPECT_TRUE(std::is_sorted(drum.begin(), drum.end()));
        for (const std::size_t i : drum)
            EXPECT_EQ(order[i] / 4, order[drum[0]] / 4);
    }
}

TEST(DrumsByEar, OneDrumIsOneAndNothingIsNone) {
    EXPECT_EQ(toldApart(strokesOf({120}, 6)).size(), 1U);
    EXPECT_EQ(toldApart(strokesOf({120}, 1)).size(), 1U);
    EXPECT_TRUE(toldApart({}).empty());
}

TEST(DrumsByEar, OneStrokeOfEachIsEnough) {
    EXPECT_EQ(toldApart(strokesOf({82, 147, 250}, 1)).size(), 3U);
}

TEST(DrumsByEar, DrumsPartWhereTheWayIsFarOrFarForThem) {
    const auto drums = [](const measure::SoundLook& base, const std::vector<double>& places) {
        return toldApart(onALine(base, places)).size();
    };
    const auto tom = skin(120, 1, 2);
    ASSERT_NE(roleInfo(guessRoleOfLooks(onALine(tom, {0})).role).group, RoleGroup::Cymbals);
    EXPECT_EQ(drums(tom, {0, 1, 7}), 2U) << "six times as far as within one";
    EXPECT_EQ(drums(tom, {0, 1, 5.5}), 1U) << "too near for all that";
    EXPECT_EQ(drums(tom, {0, 3.5, 10}), 1U) << "less than twice as far";
    EXPECT_EQ(drums(tom, {0, 3, 9.5}), 2U);
    EXPECT_EQ(drums(tom, {0, 3.5, 10, 11}), 1U) << "on either side";
    EXPECT_EQ(drums(tom, {0, 1, 7.5, 11}), 1U);
    EXPECT_EQ(drums(tom, {0, 0, 8}), 2U) << "one sound, softer and louder";
    EXPECT_EQ(drums(tom, {0, 8}), 1U) << "one stroke each says nothing of how far strokes lie";
    EXPECT_EQ(drums(tom, {0, 9}), 2U) << "no stroke sounds so unlike another";
    EXPECT_EQ(drums(tom, {0, 6, 15}), 2U);
}

TEST(DrumsByEar, MetalPartsFartherAway) {
    auto one = metal();
    ASSERT_EQ(roleInfo(guessRoleOfLooks(std::vector{one}).role).group, RoleGroup::Cymbals);
    // Partials where the other has none, which the ear does not hear, and cells a little off.
    const auto other = [&](int steps) {
        auto look = one;
        auto& values = look.shape.values;
        for (std::size_t i = measure::LookShape::kCells + measure::LookShape::kLow; i < values.size(); ++i)
            values[i] = static_cast<std::uint8_t>(255 - values[i]);
        for (std::size_t i = 0; i < measure::LookShape::kCells; ++i)
            values[i] =
                static_cast<std::uint8_t>(std::clamp(values[i] + (i % 2 == 0 ? steps : -steps), 0, 255));
        return look;
    };
    std::vector<measure::SoundLook> looks = {one, one};
    int steps = 0;
    const auto partsAt = [&](double distance) {
        for (; measure::unlikeness(one.shape, looks[1].shape) < distance && steps < 250; ++steps)
            looks[1] = other(steps);
        EXPECT_LT(measure::unlikeness(one.shape, looks[1].shape), distance + 0.3);
        EXPECT_EQ(roleInfo(guessRoleOfLooks(looks).role).group, RoleGroup::Cymbals);
        return toldApart(looks).size();
    };
    EXPECT_EQ(partsAt(9), 1U);
    EXPECT_EQ(partsAt(10.1), 2U);
}

TEST(DrumsByEar, MediansAreOfTheStrokes) {
    std::vector<measure::SoundLook> looks(3);
    for (std::size_t i = 0; i < 3; ++i) {
        looks[i].lengthMs = 100 * static_cast<double>(i + 1);
        looks[i].brightnessHz = 1000 * static_cast<double>(3 - i);
        looks[i].noisiness = 0.1 * static_cast<double>(i);
        looks[i].attackMs = static_cast<double>(i);
    }
    const auto typical = typicalOf(looks);
    EXPECT_EQ(typical.lengthMs, 200);
    EXPECT_EQ(typical.brightnessHz, 2000);
    EXPECT_EQ(typical.noisiness, 0.1);
    EXPECT_EQ(typical.attackMs, 1);
    EXPECT_EQ(apart(typical, typical), 0);
    // 0.7 octaves of length, half an octave of brightness, 0.2 of noise, 1.5 octaves of attack: 1 each.
    EXPECT_NEAR(apart({100, 1000, 0.3, 2}, {100 * std::exp2(0.7), 1000, 0.3, 2}), 1, 1e-12);
    EXPECT_NEAR(apart({100, 1000, 0.3, 2}, {100, 1000 / std::exp2(0.5), 0.5, 2 * std::exp2(1.5)}),
                std::sqrt(3.0), 1e-12);
}

TEST(DrumsByEar, NotesStrikeWhatSoundsAsTheirInstrumentsDo) {
    // All longer and darker than usual, in an order that is none.
    std::vector<FolderDrum> drums;
    for (const int note : {64, 55, 56, 49, 53, 54, 52, 63, 44, 51, 42})
        drums.push_back(heardAs(note, 1.3, 0.8));
    const auto struck = struckDrums(drums, {42, 44, 49, 51, 52, 53, 54, 55, 56, 63, 64});
    const std::map<int, std::size_t> expected = {{64, 0}, {55, 1}, {56, 2}, {49, 3}, {53, 4}, {54, 5},
                                                 {52, 6}, {63, 7}, {44, 8}, {51, 9}, {42, 10}};
    EXPECT_EQ(struck, expected);
}

TEST(DrumsByEar, NotesShareWhereThereAreTooFewAndNothingIsStruckByAnotherRole) {
    const std::vector<FolderDrum> drums = {heardAs(49, 1, 1), heardAs(55, 1, 1)};
    const auto struck = struckDrums(drums, {38, 49, 52, 55, 57});
    EXPECT_EQ(struck.size(), 4U);
    EXPECT_EQ(struck.at(49), 0U);
    EXPECT_EQ(struck.at(55), 1U);
    EXPECT_EQ(struck.at(57), 0U) << "a second crash sounds more as a crash than as a splash";
    EXPECT_FALSE(struck.contains(38));
}

TEST(DrumsByEar, AHatThatIsHeardAsOpenIsStruckByItsOwnNote) {
    std::vector<FolderDrum> drums = {heardAs(46, 1, 1), heardAs(42, 1, 1), heardAs(44, 1.5, 1)};
    drums[2].role = Role::OpenHat;
    EXPECT_EQ(struckDrums(drums, {42, 44, 46}), (std::map<int, std::size_t>{{46, 0}, {42, 1}, {44, 2}}));
    // Where nothing else is there, each is struck by the nearest.
    drums.pop_back();
    EXPECT_EQ(struckDrums(drums, {42, 44, 46}), (std::map<int, std::size_t>{{46, 0}, {42, 1}, {44, 1}}));
    // Of two that sound alike, each by the note that it is heard as.
    drums = {heardAs(42, 1, 1), heardAs(42, 1, 1)};
    drums[0].role = Role::OpenHat;
    EXPECT_EQ(struckDrums(drums, {42, 46}), (std::map<int, std::size_t>{{46, 0}, {42, 1}}));
}

TEST(DrumsByEar, TheSecondOfAKindComesSecond) {
    EXPECT_EQ(struckDrums({heardAs(36, 1, 1), heardAs(36, 1, 1)}, {35, 36}),
              (std::map<int, std::size_t>{{36, 0}, {35, 1}}));
}

TEST(DrumsByEar, AllTogetherAreAsNearAsTheyCanBe) {
    // Both are nearest to the high conga; the darker one is the low one for all that.
    const std::vector<FolderDrum> drums = {heardAs(63, 1, 0.95), heardAs(63, 1, 1.2)};
    EXPECT_EQ(struckDrums(drums, {63, 64}), (std::map<int, std::size_t>{{63, 1}, {64, 0}}));
}

TEST(DrumsByEar, TomsWithoutNotesAreStruckByWhatIsStrongestInTheirLows) {
    std::vector<FoundShot> shots;
    for (const double hz : {130.0, 230.0, 172.0}) {
        shots.push_back({std::to_string(static_cast<int>(hz)) + ".wav", Role::Unknown, skin(hz, 1, 5)});
        EXPECT_NEAR(std::log2(measure::strongestLowHz(shots.back().look->shape) / hz), 0, 1.0 / 12);
        shots.back().look->fundamentalHz = 0; // none was found
        ASSERT_TRUE(isTom(guessRoleOfLooks(std::span(&*shots.back().look, 1)).role)) << hz;
    }
    const auto drums = drumsOfFolder(shots, "/kit");
    ASSERT_EQ(drums.size(), 3U);
    const auto struck = struckDrums(drums, {45, 47, 50});
    EXPECT_EQ(drums[struck.at(50)].name, "230");
    EXPECT_EQ(drums[struck.at(47)].name, "172");
    EXPECT_EQ(drums[struck.at(45)].name, "130");
}

TEST(DrumsByEar, TomsOfOneFileEachWhoseNumbersMightCountStrokesAreToldApart) {
    std::vector<FoundShot> shots;
    for (const auto& [file, hz] : {std::pair("Tom 1.wav", 300.0), std::pair("Tom 2.wav", 150.0)}) {
        shots.push_back({file, Role::RackTom, skin(hz, 1, 5)});
        shots.back().look->fundamentalHz = 0; // none was found
    }
    EXPECT_EQ(drumsOfFolder(shots, "/kit").size(), 2U);
    // One that is silent can't be told apart from any.
    shots.push_back({"Tom 3.wav", Role::RackTom});
    const auto all = drumsOfFolder(shots, "/kit");
    ASSERT_EQ(all.size(), 1U);
    EXPECT_EQ(all[0].sounds.size(), 3U);
    shots.pop_back();
    shots[1].look = skin(300, 0.5, 6);
    EXPECT_EQ(drumsOfFolder(shots, "/kit").size(), 1U);
}

TEST(DrumsByEar, WhatANameSaysIsNoDrumStaysNone) {
    for (const Role role : {Role::Loop, Role::Room, Role::Voice})
        EXPECT_TRUE(drumsOfFolder({{"x.wav", role, skin(60, 1, 2)}}, "/kit").empty());
}

TEST(DrumsByEar, WhatNoNameTellsOfJoinsADrumThatOneTellsOf) {
    const auto looks = strokesOf({60}, 2);
    const Role role = guessRoleOfLooks(looks).role;
    ASSERT_TRUE(isDrum(role));
    const auto named =
        drumsOfFolder({{"A.wav", role, looks[0]}, {"017.wav", Role::Unknown, looks[1]}}, "/kit");
    ASSERT_EQ(named.size(), 1U);
    EXPECT_EQ(named[0].sounds.size(), 2U);
    EXPECT_FALSE(named[0].typical);
    const auto heard =
        drumsOfFolder({{"016.wav", Role::Unknown, looks[0]}, {"017.wav", Role::Unknown, looks[1]}}, "/kit");
    ASSERT_EQ(heard.size(), 1U);
    EXPECT_EQ(heard[0].sounds.size(), 2U);
    EXPECT_EQ(heard[0].role, role);
    EXPECT_EQ(heard[0].name, "016");
    EXPECT_TRUE(heard[0].typical);
}

} // namespace
} // namespace cask::layers
