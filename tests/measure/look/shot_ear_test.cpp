// The ear for one-shots, and what it is told.
#include "core/base/role.h"
#include "core/measure/look/shot_ear.h"
#include "tests/support/random_kit.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::measure {
namespace {

constexpr std::size_t kFirstNumber = LookShape::kCells + LookShape::kLow;

/// A net that says yes to one kind where one number is above a limit.
StrokeNet netOf(std::size_t number, float limit, ShotKind kind) {
    StrokeNet net;
    net.mean.assign(kShotNumbers, 0.0F);
    net.scale.assign(kShotNumbers, 1.0F);
    net.layers.push_back({kShotNumbers, kShotKinds, std::vector<float>(kShotNumbers * kShotKinds, 0.0F),
                          std::vector<float>(kShotKinds, -20.0F)});
    const auto to = static_cast<std::size_t>(kind);
    net.layers.back().weights[number * kShotKinds + to] = 10;
    net.layers.back().bias[to] = -10 * limit;
    return net;
}

TEST(ShotEar, HearsALookOnMusicalScales) {
    SoundLook look;
    look.shape.values.fill(10);
    look.lengthMs = 256;
    look.attackMs = 0;
    look.decayMs = 64;
    look.brightnessHz = 1024;
    look.noisiness = 0.25;
    look.lowShare = 0.75;
    auto numbers = shotNumbers(look);
    EXPECT_FLOAT_EQ(numbers[0], static_cast<float>(10 * LookShape::kStepDb));
    EXPECT_FLOAT_EQ(numbers[kFirstNumber - 1], static_cast<float>(10 * LookShape::kStepDb));
    const std::vector<float> rest(numbers.begin() + kFirstNumber, numbers.end());
    const float least = std::log2(0.1F);
    EXPECT_EQ(rest, (std::vector<float>{8, least, 6, 10, 0.25F, 0.75F, 0, 0, 0, 0})) << "it has no note";
    look.fundamentalHz = 64;
    look.fromHz = 256;
    look.fallMs = 32;
    numbers = shotNumbers(look);
    EXPECT_EQ((std::vector<float>(numbers.end() - 4, numbers.end())), (std::vector<float>{1, 6, 2, 5}));
}

TEST(ShotEar, SharesAreTheAverageOpinion) {
    SoundLook look;
    look.lengthMs = 256;
    const std::vector<StrokeNet> ear = {netOf(kFirstNumber, 7, ShotKind::Ride),
                                        netOf(kFirstNumber, 9, ShotKind::Ride)};
    const auto shares = shotShares(ear, look);
    EXPECT_NEAR(shares[static_cast<std::size_t>(ShotKind::Ride)], 0.5, 1e-3) << "one says yes, one no";
    EXPECT_NEAR(shares[static_cast<std::size_t>(ShotKind::Kick)], 0, 1e-3);
    EXPECT_EQ(shotShares({}, look), ShotShares{}) << "nobody has an opinion";
}

TEST(ShotEar, IsReadAsItWasWrittenAndRefusedWhereItHearsOtherNumbers) {
    const std::vector<StrokeNet> ear = {netOf(3, 2, ShotKind::Clap)};
    const auto again = parseShotEar(writeShotEar(ear));
    ASSERT_TRUE(again) << again.error().message;
    ASSERT_EQ(again->size(), 1U);
    EXPECT_EQ(again->front().layers.front().weights, ear.front().layers.front().weights);
    auto narrow = ear;
    narrow.front().mean.pop_back();
    narrow.front().scale.pop_back();
    narrow.front().layers.front().inputs -= 1;
    narrow.front().layers.front().weights.resize((kShotNumbers - 1) * kShotKinds);
    EXPECT_FALSE(parseShotEar(writeShotEar(narrow)));
    EXPECT_FALSE(parseShotEar("own-ear 1\n0\n"));
    EXPECT_EQ(shippedShotEar().size(), 2U);
}

/// Made-up kits that were no lessons.
TEST(ShotEar, TheOneThatShipsTellsDrumsApart) {
    constexpr double kRate = 48000;
    int count = 0;
    int right = 0;
    for (std::uint64_t seed = 400; seed < 406; ++seed) {
        demo::Random r(seed);
        const auto kit = test::makeKit(r);
        for (const auto& piece : kit.pieces) {
            const Role role = guessRoleFromName(piece.name).role;
            const test::StrokeStore store(piece, kit.tuning, kRate, r);
            double gain = 1;
            const auto look = lookOf({store.take(0.8, gain, r).top}, kRate);
            ASSERT_TRUE(look) << piece.name;
            const auto shares = shotShares(shippedShotEar(), *look);
            const auto kind =
                static_cast<ShotKind>(std::max_element(shares.begin(), shares.end()) - shares.begin());
            ++count;
            right += (kind == ShotKind::Kick && role == Role::KickIn) ||
                     (kind == ShotKind::Snare && role == Role::SnareTop) ||
                     (kind == ShotKind::ClosedHat && role == Role::ClosedHat) ||
                     (kind == ShotKind::OpenHat && role == Role::OpenHat) ||
                     (kind == ShotKind::Tom && (role == Role::RackTom || role == Role::FloorTom)) ||
                     (kind == ShotKind::Crash && role == Role::Crash) ||
                     (kind == ShotKind::Ride && role == Role::Ride);
        }
    }
    EXPECT_GE(count, 36);
    EXPECT_GE(right, count * 9 / 10) << right << " of " << count;
}

} // namespace
} // namespace cask::measure
