// Kits from SFZ text whose meaning is known.
#include "core/layers/sfz.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <fstream>

namespace cask::layers {
namespace {

SfzKit kitOf(std::string_view text, const SfzReader& included = {}) {
    auto kit = sfzKit(text, "Kit.sfz", included);
    EXPECT_TRUE(kit) << (kit ? "" : kit.error().message);
    return kit ? *kit : SfzKit{};
}

TEST(Sfz, WiderHeadersHoldForWhatStandsBelowThem) {
    const auto kit = kitOf("<global> volume=-3 ampeg_release=0.2\n"
                           "<group> key=36 pan=50\n"
                           "<region> sample=a.wav\n"
                           "<region> sample=b.wav volume=2 lovel=64 hivel=100\n"
                           "<group> lokey=c2 hikey=f#2 pitch_keycenter=d2\n"
                           "<region> sample=c.wav // the last\n");
    ASSERT_EQ(kit.regions.size(), 3U);
    EXPECT_EQ(kit.regions[0].sample, "a.wav");
    EXPECT_EQ(kit.regions[0].gainDb, -3);
    EXPECT_EQ(kit.regions[0].lowNote, 36);
    EXPECT_EQ(kit.regions[0].highNote, 36);
    EXPECT_EQ(kit.regions[0].centreNote, 36);
    EXPECT_EQ(kit.regions[0].pan, 0.5);
    EXPECT_EQ(kit.regions[1].gainDb, 2);
    EXPECT_EQ(kit.regions[1].lowVelocity, 64);
    EXPECT_EQ(kit.regions[1].highVelocity, 100);
    EXPECT_EQ(kit.regions[2].gainDb, -3) << "of the global header";
    EXPECT_EQ(kit.regions[2].pan, 0) << "the group before has ended";
    EXPECT_EQ(kit.regions[2].lowNote, 36) << "c4 is 60";
    EXPECT_EQ(kit.regions[2].highNote, 42);
    EXPECT_EQ(kit.regions[2].centreNote, 38);
    EXPECT_EQ(kit.regions[2].releaseS, 0.2);
    EXPECT_TRUE(kit.problems.empty());
    EXPECT_TRUE(kit.notUnderstood.empty());
}

TEST(Sfz, NamesOfSamplesHaveSpacesAndAPathBeforeThem) {
    const auto kit = kitOf(
        "<control> default_path=My Drums\\<region> key=38 sample=Snare 1 (hard).wav tune=-20 transpose=2\n"
        "<region>sample=other=odd name.wav\n");
    ASSERT_EQ(kit.regions.size(), 2U);
    EXPECT_EQ(kit.regions[0].sample, "My Drums/Snare 1 (hard).wav");
    EXPECT_EQ(kit.regions[0].tuneCents, 180);
    EXPECT_EQ(kit.regions[1].sample, "My Drums/other=odd name.wav");
}

TEST(Sfz, AlternatesChancesChokesAndEnvelopesAreRead) {
    const auto kit = kitOf("<group> seq_length=4 group=3 off_by=7\n"
                           "<region> sample=a.wav seq_position=2 lorand=0.25 hirand=0.5 offset=100 end=4000\n"
                           "ampeg_attack=0.01 ampeg_hold=0.1 ampeg_decay=0.3 ampeg_sustain=40 "
                           "amp_veltrack=50 loop_mode=loop_sustain\n");
    ASSERT_EQ(kit.regions.size(), 1U);
    const auto& r = kit.regions[0];
    EXPECT_EQ(r.turns, 4);
    EXPECT_EQ(r.turn, 2);
    EXPECT_EQ(r.lowChance, 0.25);
    EXPECT_EQ(r.highChance, 0.5);
    EXPECT_EQ(r.chokeGroup, 3);
    EXPECT_EQ(r.chokedBy, 7);
    EXPECT_EQ(r.fromFrame, 100);
    EXPECT_EQ(r.toFrame, 4000);
    EXPECT_EQ(r.attackS, 0.01);
    EXPECT_EQ(r.holdS, 0.1);
    EXPECT_EQ(r.decayS, 0.3);
    EXPECT_NEAR(r.sustain, 0.4, 1e-12);
    EXPECT_EQ(r.velocityTracking, 0.5);
    EXPECT_FALSE(r.isOneShot);
}

TEST(Sfz, DefinitionsAndIncludesStandInPlace) {
    const auto included = [](const std::filesystem::path& path) -> Result<std::string> {
        if (path == "more.sfz")
            return std::string("<region> sample=$NAME.wav key=$KEYS");
        return Error{ErrorCode::NotFound, ""};
    };
    const auto kit =
        kitOf("#define $KEY 36\n#define $KEYS 40\n#define $NAME tom\n"
              "<region> sample=kick.wav key=$KEY\n#include \"more.sfz\"\n#include \"none.sfz\"\n",
              included);
    ASSERT_EQ(kit.regions.size(), 2U);
    EXPECT_EQ(kit.regions[0].lowNote, 36);
    EXPECT_EQ(kit.regions[1].lowNote, 40);
    EXPECT_EQ(kit.regions[1].sample, "tom.wav");
    ASSERT_EQ(kit.problems.size(), 1U);
    EXPECT_EQ(kit.problems[0], "Kit.sfz includes none.sfz, which can't be read; it is left out.");
}

TEST(Sfz, AFileThatIncludesItselfEnds) {
    const std::string text = "<region> sample=a.wav\n#include \"self.sfz\"\n#include \"self.sfz\"\n";
    const auto kit = kitOf(text, [&](const std::filesystem::path&) { return Result<std::string>(text); });
    EXPECT_GT(kit.regions.size(), 1U);
    EXPECT_LE(kit.regions.size(), 257U);
}

TEST(Sfz, WhatIsNotUnderstoodOrOutsideIsTold) {
    const auto kit =
        kitOf("<region> sample=a.wav cutoff=2000 fil_type=lpf_2p cutoff=3000 key=h9 volume=loud\n"
              "<region> sample=../../secret.wav\n<region> key=3\n<region> sample=/etc/a.wav\n");
    ASSERT_EQ(kit.regions.size(), 1U);
    EXPECT_EQ(kit.notUnderstood, (std::vector<std::string>{"cutoff", "fil_type"}));
    ASSERT_EQ(kit.problems.size(), 5U);
    EXPECT_EQ(kit.problems[0], "Kit.sfz sets key to h9, which can't be read; it stays as it was.");
    EXPECT_EQ(kit.problems[1], "Kit.sfz sets volume to loud, which can't be read; it stays as it was.");
    EXPECT_EQ(kit.problems[2],
              "Kit.sfz names the sample ../../secret.wav, which lies outside of its folder; it is left out.");
    EXPECT_EQ(kit.problems[3], "Kit.sfz has a region without a sample; it is left out.");
    EXPECT_FALSE(sfzKit("nothing here", "Kit.sfz"));
    EXPECT_EQ(sfzKit("", "Kit.sfz").error().message,
              "Kit.sfz has no sample that can be played; nothing was read.");
}

TEST(Sfz, AKitOnTheDiskReadsItsIncludesFromItsFolder) {
    const test::TempFolder folder;
    std::ofstream(folder / "Kit.sfz") << "#include \"sub/part.sfz\"\n";
    std::filesystem::create_directories(folder / "sub");
    std::ofstream(folder / "sub/part.sfz") << "<region> sample=x.wav key=36\n";
    const auto kit = readSfzKit(folder / "Kit.sfz");
    ASSERT_TRUE(kit);
    EXPECT_EQ(kit->regions.size(), 1U);
    EXPECT_FALSE(readSfzKit(folder / "None.sfz"));
}

} // namespace
} // namespace cask::layers
