#include "core/advise/role_guess.h"
#include "core/demo/demo_kit.h"
#include "core/measure/strike.h"
#include "core/session/edits.h"
#include "core/session/intake.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace cask::measure {
namespace {

FileFacts factsOf(const std::filesystem::path& folder, const std::vector<std::vector<float>>& channels,
                  double rateHz) {
    std::vector<float> interleaved;
    for (std::size_t n = 0; n < channels[0].size(); ++n)
        for (const auto& channel : channels)
            interleaved.push_back(channel[n]);
    const auto path = folder / "x.wav";
    test::writeWav(path, interleaved, static_cast<int>(channels.size()), rateHz);
    return (*analyseFile(path, path, {}, {}))->facts;
}

/// A drum of one note: `ms` to fall 20 dB.
std::vector<float> drum(double hz, double ms, double noise, double everyS, double rateHz = 48000) {
    std::vector<float> x(static_cast<std::size_t>(6 * rateHz));
    const auto rustle = test::noise(1, x.size(), 3);
    for (std::size_t n = 0; n < x.size(); ++n) {
        const double t = std::fmod(static_cast<double>(n) / rateHz, everyS);
        const double fall = std::pow(10.0, -t * 1000 / ms);
        x[n] = static_cast<float>(fall * (0.5 * std::sin(2 * kPi * hz * t) + noise * rustle[n]));
    }
    return x;
}

TEST(Strike, ReadsNoteDecayAndGapOfAKnownDrum) {
    const test::TempFolder folder;
    for (const double rate : {44100.0, 48000.0, 96000.0}) {
        const auto facts = factsOf(folder.path(), {drum(150, 120, 0, 0.5, rate)}, rate);
        EXPECT_NEAR(facts.strike.decayMs, 120, 8) << rate;
        EXPECT_GT(facts.strike.bodyShare, 0.97) << rate;
        EXPECT_GT(facts.strike.peakShare, 0.8) << rate;
        EXPECT_NEAR(facts.strike.hitsPerS, 2, 0.2) << rate;
        EXPECT_LT(facts.strike.gapDb, -55) << rate; // 500 ms at 20 dB in 120 ms
    }
}

TEST(Strike, OfNothingIsNothing) {
    const test::TempFolder folder;
    const auto facts = factsOf(folder.path(), {std::vector<float>(48000, 0.0F)}, 48000);
    EXPECT_EQ(facts.strike.hits, 0);
    EXPECT_EQ(guessRoleFromSound(facts.strike, 1).role, Role::Unknown);
    EXPECT_EQ(guessRoleFromSound(facts.strike, 1).confidence, 0);
}

TEST(Strike, SurvivesTheCache) {
    const test::TempFolder folder;
    const auto facts = factsOf(folder.path(), {drum(90, 200, 0.01, 0.7)}, 48000);
    const auto back = factsFromJson(factsToJson(facts));
    ASSERT_TRUE(back);
    EXPECT_EQ(back->strike.decayMs, facts.strike.decayMs);
    EXPECT_EQ(back->strike.gapDb, facts.strike.gapDb);
    EXPECT_EQ(back->strike.peakShare, facts.strike.peakShare);
}

/// Takes that the portraits were not drawn from: other seeds, another rate.
TEST(RoleFromSound, KnowsTheTracksOfATakeAndIsNeverSureOfAWrongRole) {
    const std::map<std::string, std::vector<Role>> truth = {
        {"Kick In", {Role::KickIn}},     {"Kick Out", {Role::KickIn}},
        {"Snare Top", {Role::SnareTop}}, {"Snare Bottom", {Role::SnareBottom}},
        {"Hat", {Role::ClosedHat}},      {"Rack Tom", {Role::RackTom}},
        {"Floor Tom", {Role::FloorTom}}, {"Overheads", {Role::Overhead}},
        {"Room", {Role::Room}},          {"Bass", {Role::Bass}}};
    const test::TempFolder folder;
    for (const auto& [seed, rate] : {std::pair{31ULL, 48000.0}, {4711ULL, 44100.0}}) {
        const auto take = demo::makeDemoTake(seed, rate);
        int right = 0;
        for (const auto& track : take.tracks) {
            const auto facts = factsOf(folder.path(), track.channels, rate);
            const auto guess = guessRoleFromSound(facts.strike, static_cast<int>(track.channels.size()));
            const auto& wanted = truth.at(track.name);
            const bool isRight = std::find(wanted.begin(), wanted.end(), guess.role) != wanted.end();
            right += isRight ? 1 : 0;
            EXPECT_TRUE(isRight || guess.confidence < 0.5)
                << track.name << " taken for " << roleInfo(guess.role).name << ", " << guess.confidence;
        }
        EXPECT_GE(right, 8) << "of " << take.tracks.size() << ", seed " << seed;
    }
}

TEST(RoleFromSound, FillsOnlyWhatTheNameLeftOpenAndDoubtsWhatItGotWrong) {
    const test::TempFolder folder;
    const auto facts = factsOf(folder.path(), {drum(55, 110, 0.002, 0.5)}, 48000);
    ASSERT_EQ(guessRoleFromSound(facts.strike, 1).role, Role::KickIn);
    const auto file = [](const std::string& name, int channels = 1) {
        return session::IntakeFile{"/k/" + name, name, 48000, channels, 48000, "WAV", std::nullopt};
    };
    auto s = session::withFiles(session::emptySession(), {file("Audio 07.wav"), file("Hat.wav"),
                                                          file("all.wav", 4), file("Rack Tom.wav")});
    for (const auto& f : std::vector(s.files))
        s = advise::withRoleFromSound(std::move(s), f->id, facts);
    EXPECT_EQ(s.elements[0]->role, Role::KickIn);
    EXPECT_GT(s.elements[0]->roleConfidence, 0.2);
    EXPECT_LE(s.elements[0]->roleConfidence, 0.8);
    EXPECT_EQ(s.elements[1]->role, Role::ClosedHat);
    ASSERT_EQ(s.elements[2]->role, Role::RackTom);
    EXPECT_EQ(s.elements[3]->role, Role::Unknown) << "four channels are a whole kit";
    EXPECT_FALSE(advise::roleDoubt(*s.elements[0], *s.files[0], facts));
    const auto doubt = advise::roleDoubt(*s.elements[1], *s.files[1], facts);
    ASSERT_TRUE(doubt);
    EXPECT_EQ(doubt->role, Role::KickIn);
    EXPECT_FALSE(advise::roleDoubt(*s.elements[2], *s.files[3], facts)) << "a tom may sound so";
    s = session::withRole(s, s.elements[1]->id, Role::ClosedHat);
    EXPECT_FALSE(advise::roleDoubt(*s.elements[1], *s.files[1], facts)) << "a person has said so";
}

} // namespace
} // namespace cask::measure
