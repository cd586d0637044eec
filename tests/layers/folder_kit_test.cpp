// Which drums a folder holds, and which note strikes which.
#include "core/layers/folder_kit.h"
#include "core/layers/name_words.h"

#include <gtest/gtest.h>

namespace cask::layers {
namespace {

using Names = std::vector<std::string>;

struct Named {
    std::string file;
    double noteHz = 0;
    double loudnessDb = -10;
};

/// Drums of files that are told apart by their names.
std::vector<FolderDrum> drumsOf(const std::vector<Named>& files) {
    std::vector<FoundShot> shots;
    for (const auto& [file, noteHz, loudnessDb] : files) {
        measure::SoundLook look;
        look.fundamentalHz = noteHz;
        look.loudnessDb = loudnessDb;
        shots.push_back({file, roleOfName(file), look});
    }
    return drumsOfFolder(shots, "/kit");
}

/// The names of the drums that notes strike, in the notes' order; "-" where none does.
Names struckBy(const std::vector<FolderDrum>& drums, const std::vector<int>& notes) {
    const auto struck = struckDrums(drums, {notes.begin(), notes.end()});
    Names names;
    for (const int note : notes)
        names.push_back(struck.contains(note) ? drums[struck.at(note)].name : "-");
    return names;
}

TEST(NameWords, LettersDigitsAndCapitalsPart) {
    EXPECT_EQ(nameWords("SnareTop_v3 rr12"), (Names{"snare", "top", "v", "3", "rr", "12"}));
    EXPECT_EQ(nameWords("BD-ff.1"), (Names{"bd", "ff", "1"}));
    EXPECT_EQ(nameWords("Trömmel"), Names{"trömmel"});
    EXPECT_TRUE(nameWords(" -_").empty());
}

TEST(FolderKit, AShotIsWhatItsNameSaysElseItsFolderNearestFirst) {
    EXPECT_EQ(roleOfName("Snare/hard/01.wav"), Role::SnareTop);
    EXPECT_EQ(roleOfName("Snare/Kick 1.wav"), Role::KickIn);
    EXPECT_EQ(roleOfName("Kick/Clap/x.wav"), Role::Clap);
    EXPECT_EQ(roleOfName("Hats/Open/01.wav"), Role::OpenHat);
    EXPECT_EQ(roleOfName("Hats/Open 1.wav"), Role::OpenHat);
    EXPECT_EQ(roleOfName("Snare/Room/01.wav"), Role::Room);
    EXPECT_EQ(roleOfName("Loops/01.wav"), Role::Loop);
    EXPECT_EQ(roleOfName("Oak Room Kick 2.wav"), Role::KickIn) << "the kit is called so";
    EXPECT_EQ(roleOfName("Kick/Kick Room 2.wav"), Role::Room) << "a microphone that stands apart";
    EXPECT_EQ(roleOfName("OHH_03.wav"), Role::OpenHat);
    EXPECT_EQ(roleOfName("CHH_03.wav"), Role::ClosedHat);
    EXPECT_EQ(roleOfName("01.wav"), Role::Unknown);
}

TEST(FolderKit, StrokesOfOneDrumStayTogether) {
    const auto drums = drumsOf({{"Snare/f/SD f rr1.wav"},
                                {"Snare/f/SD f rr2.wav"},
                                {"Snare/p/SD p rr1.wav"},
                                {"Clap_V1_RR1.wav"},
                                {"Clap_V1_RR2.wav"},
                                {"Clap_V2_RR1.wav"},
                                {"Clap_V2_RR2.wav"},
                                {"Kick 01 v20.wav"},
                                {"Kick 02 v90.wav"},
                                {"Rack Tom 1.wav", 150},
                                {"Rack Tom 2.wav", 155}});
    ASSERT_EQ(drums.size(), 4U);
    EXPECT_EQ(drums[0].sounds.size(), 2U) << "a number that no two share counts strokes";
    EXPECT_EQ(drums[0].name, "Kick");
    EXPECT_EQ(drums[1].sounds.size(), 3U);
    EXPECT_EQ(drums[1].name, "SD");
    EXPECT_EQ(drums[1].sounds[0].file, "/kit/Snare/p/SD p rr1.wav");
    EXPECT_EQ(drums[2].sounds.size(), 4U);
    EXPECT_EQ(drums[2].name, "Clap");
    EXPECT_EQ(drums[3].sounds.size(), 2U) << "half a semitone is no other drum";
}

TEST(FolderKit, NumbersAndFoldersTellDrumsApart) {
    const auto byName =
        drumsOf({{"Crash 1 v1.wav"}, {"Crash 1 v2.wav"}, {"Crash 2 v1.wav"}, {"Crash 2 v2.wav"}});
    EXPECT_EQ(struckBy(byName, {49, 57}), (Names{"Crash 1", "Crash 2"}));
    const auto byFolder = drumsOf({{"Snare 1/hit.wav"}, {"Snare 2/hit.wav"}});
    ASSERT_EQ(byFolder.size(), 2U);
    EXPECT_EQ(struckDrums(byFolder, {38, 40}), (std::map<int, std::size_t>{{38, 0}, {40, 1}}));
    const auto within = drumsOf({{"Oak/Percussion/Conga/High/01.wav"}, {"Oak/Percussion/Conga/Low/01.wav"}});
    ASSERT_EQ(within.size(), 2U) << "a word of a folder below the drum's";
    EXPECT_NE(struckDrums(within, {63, 64}).at(63), struckDrums(within, {63, 64}).at(64));
    EXPECT_EQ(struckBy(drumsOf({{"Crash.wav"}}), {49, 57}), (Names{"Crash", "Crash"})) << "there is but one";
}

TEST(FolderKit, WordsTellDrumsOfOneRoleApart) {
    const auto drums = drumsOf({{"Crash.wav"},
                                {"China.wav"},
                                {"Splash.wav"},
                                {"Ride.wav"},
                                {"Ride bell.wav"},
                                {"HH closed.wav"},
                                {"HH pedal.wav"},
                                {"HH open.wav"},
                                {"HH half open.wav"},
                                {"Snare.wav"},
                                {"Snare flam.wav"},
                                {"Snare rimshot.wav"}});
    EXPECT_EQ(struckBy(drums, {49, 52, 55, 57}), (Names{"Crash", "China", "Splash", "Crash"}));
    EXPECT_EQ(struckBy(drums, {51, 53, 59}), (Names{"Ride", "Ride bell", "Ride"}));
    EXPECT_EQ(struckBy(drums, {42, 44, 46}), (Names{"HH closed", "HH pedal", "HH open"}));
    EXPECT_EQ(struckBy(drums, {38, 40}), (Names{"Snare", "Snare"}));
    EXPECT_EQ(struckBy(drumsOf({{"China.wav"}, {"HH closed.wav"}}), {49, 44, 46}),
              (Names{"China", "HH closed", "-"}))
        << "what there is, but no closed stroke for an open one";
}

TEST(FolderKit, PercussionIsStruckByItsOwnNotes) {
    const auto drums = drumsOf(
        {{"Cowbell.wav"}, {"Tambourine.wav"}, {"Conga hi.wav"}, {"Conga lo.wav"}, {"Woodblock hi.wav"}});
    EXPECT_EQ(struckBy(drums, {56, 54, 63, 64, 76, 75}),
              (Names{"Cowbell", "Tambourine", "Conga hi", "Conga lo", "Woodblock hi", "-"}));
    EXPECT_EQ(struckBy(drumsOf({{"Perc 1.wav"}}), {56}), Names{"Perc 1"}) << "it may be anything";
}

TEST(FolderKit, TomsArePlayedInOrderOfTheirNotes) {
    const auto two = drumsOf({{"Tom hi.wav", 180}, {"Tom lo.wav", 90}});
    EXPECT_EQ(struckBy(two, {50, 45}), (Names{"Tom hi", "Tom lo"}));
    EXPECT_EQ(struckBy(two, {48, 43}), (Names{"Tom hi", "Tom lo"}));
    EXPECT_EQ(struckBy(two, {45}), Names{"Tom hi"}) << "a rack tom";
    const auto three = drumsOf({{"Tom 3.wav", 80}, {"Tom 1.wav", 200}, {"Tom 2.wav", 130}});
    ASSERT_EQ(three.size(), 3U) << "told apart by their notes";
    EXPECT_EQ(struckBy(three, {50, 47, 43}), (Names{"Tom 1", "Tom 2", "Tom 3"}));
    EXPECT_EQ(struckBy(three, {48, 45, 41}), (Names{"Tom 1", "Tom 2", "Tom 3"}));
    EXPECT_EQ(struckBy(three, {50, 48}), (Names{"Tom 1", "Tom 2"})) << "each its own";
    const auto all = struckBy(three, {50, 48, 47, 45, 43, 41});
    EXPECT_EQ(all.front(), "Tom 1");
    EXPECT_EQ(all.back(), "Tom 3");
    EXPECT_TRUE(std::is_sorted(all.begin(), all.end()));
    const auto upward = drumsOf({{"Tom 1/a.wav", 80}, {"Tom 2/a.wav", 200}});
    EXPECT_EQ(struckBy(upward, {50, 43}), (Names{upward[1].name, upward[0].name}));
    EXPECT_EQ(upward[struckDrums(upward, {50}).at(50)].number, 2) << "numbered from the lowest";
    const auto shortly = drumsOf({{"HT f.wav"}, {"HT p.wav"}, {"MT f.wav"}, {"LT f.wav"}});
    EXPECT_EQ(struckBy(shortly, {50, 47, 43}), (Names{"HT", "MT f", "LT f"}));
    // No notes were measured: by what they are called.
    EXPECT_EQ(struckBy(drumsOf({{"Floor Tom.wav"}, {"Rack Tom.wav"}}), {48, 45, 41}),
              (Names{"Rack Tom", "Rack Tom", "Floor Tom"}));
}

TEST(FolderKit, ANoteThatWasReadWronglyMakesNoSecondTom) {
    const auto drums = drumsOf({{"Tom a.wav", 120, -10}, {"Tom b.wav", 121, -14}, {"Tom c.wav", 241, -18}});
    ASSERT_EQ(drums.size(), 1U);
    EXPECT_EQ(drums[0].sounds.size(), 3U);
}

TEST(FolderKit, ADateIsNoNumberOfADrum) {
    const auto drums = drumsOf({{"Snare 202611301547 v1.wav"}, {"Snare 202611301548 v2.wav"}});
    ASSERT_EQ(drums.size(), 1U);
    EXPECT_EQ(drums[0].number, 0);
}

TEST(FolderKit, WhatIsNoDrumIsLeftOut) {
    for (const Role role : {Role::Unknown, Role::Loop, Role::Room, Role::Overhead, Role::Voice})
        EXPECT_TRUE(drumsOfFolder({{"x.wav", role}}, "/kit").empty());
}

} // namespace
} // namespace cask::layers
