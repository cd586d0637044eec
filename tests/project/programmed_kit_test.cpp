// Patterns played by kits, and the built-in kit with its microphones.
#include "core/demo/built_in_kit.h"
#include "core/demo/placements.h"
#include "core/layers/stack_file.h"
#include "core/layers/stack_source.h"
#include "core/layers/strike_edits.h"
#include "core/project/programmed_kit.h"
#include "core/session/edits.h"
#include "core/session/session_store.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cmath>
#include <fstream>

namespace cask::project {
namespace {

namespace fs = std::filesystem;

layers::Pattern patternOf(const std::vector<std::pair<double, int>>& strokes, int channel = 9) {
    layers::Pattern pattern;
    pattern.tempi = {{0, 0, 120}};
    pattern.metres = {{0, 4, 4}};
    pattern.lengthBeats = 8;
    for (const auto& [timeS, note] : strokes)
        pattern.strokes.push_back({timeS, timeS * 2, note, 110, channel});
    return pattern;
}

TEST(DrumsOfAPattern, HatsAreOneAndOtherInstrumentsNone) {
    auto pattern = patternOf({{0, 36}, {0, 42}, {0.5, 38}, {0.75, 46}, {1, 35}, {1.5, 40}});
    pattern.strokes.push_back({2, 4, 60, 100, 0});
    const auto drums = drumsOf(pattern);
    ASSERT_EQ(drums.size(), 3U);
    EXPECT_EQ(drums[0].name, "Kick");
    EXPECT_EQ(drums[0].notes, (std::vector<int>{36, 35}));
    EXPECT_EQ(drums[1].name, "Hi-hat");
    EXPECT_EQ(drums[1].strokes, 2U);
    EXPECT_EQ(drums[2].role, Role::SnareTop);
    EXPECT_EQ(drumsOf(patternOf({{0, 50}})).front().name, "High tom");
    for (auto& stroke : pattern.strokes)
        stroke.channel = 0;
    EXPECT_EQ(drumsOf(pattern).size(), 4U) << "nothing is on the channel of drums: all are meant";
}

class ProgrammedKit : public testing::Test {
  protected:
    static void SetUpTestSuite() {
        s_kit = new test::TempFolder;
        ASSERT_TRUE(demo::writeBuiltInKit(s_kit->path()));
    }
    static void TearDownTestSuite() { delete s_kit; }

    PlayedKit play(const KitSounds& kit, const std::vector<std::pair<double, int>>& strokes = {
                                             {0.5, 36}, {1, 38}, {1.5, 42}, {2, 36}, {2.5, 38}}) {
        auto played = playPattern(patternOf(strokes), "Beat", kit, 48000, folder.path());
        EXPECT_TRUE(played) << played.error().message;
        return *played;
    }
    layers::Stack stackOf(const PlayedKit& played, const std::string& name) const {
        for (const auto& drum : played.drums)
            if (drum.drum.name == name)
                return *layers::readStack(folder / fs::path(drum.written.file.path));
        ADD_FAILURE() << "no " << name;
        return {};
    }
    static std::vector<float> soundOf(const layers::Stack& stack) {
        const auto source = layers::StackSource::make(stack, 48000);
        std::vector<float> out(static_cast<std::size_t>((*source)->frames()));
        (void)(*source)->read(0, 0, out);
        return out;
    }
    static double peakDb(const std::vector<float>& x, double fromS, double toS) {
        float peak = 0;
        for (auto n = static_cast<std::size_t>(fromS * 48000); n < static_cast<std::size_t>(toS * 48000); ++n)
            peak = std::max(peak, std::fabs(x[n]));
        return linearToDb(std::max(1e-9, static_cast<double>(peak)));
    }
    /// The first frame from a time on that is not silent.
    static double firstS(const std::vector<float>& x, double fromS) {
        auto n = static_cast<std::size_t>(fromS * 48000);
        while (n < x.size() && std::fabs(x[n]) < 1e-4F)
            ++n;
        return static_cast<double>(n) / 48000;
    }
    static test::TempFolder* s_kit;
    test::TempFolder folder;
};
test::TempFolder* ProgrammedKit::s_kit = nullptr;

TEST_F(ProgrammedKit, EachDrumAndEachMicrophoneIsAnElement) {
    const auto played = play(builtInKit(s_kit->path(), {true, true, false}));
    std::vector<std::string> names;
    for (const auto& drum : played.drums)
        names.push_back(drum.drum.name);
    EXPECT_EQ(names, (std::vector<std::string>{"Kick", "Snare", "Hi-hat", "Overheads", "Room"}));
    EXPECT_EQ(stackOf(played, "Snare").strikes.size(), 2U);
    EXPECT_EQ(stackOf(played, "Room").strikes.size(), 5U);
    EXPECT_EQ(stackOf(played, "Room").layers.size(), 3U) << "one for each drum: its amount";
    std::vector<session::Id> ids;
    const auto s = withPlayedKit(session::emptySession(), played, &ids);
    ASSERT_EQ(ids.size(), 5U);
    EXPECT_EQ(s.element(ids[3])->role, Role::Overhead);
    EXPECT_TRUE(s.element(ids[4])->isStereo());
    EXPECT_EQ(s.nameOf(s.element(ids[4])->out.bus), "Rooms");
    // The overheads hear a snare as much later as they are away from it.
    const auto close = soundOf(stackOf(played, "Snare"));
    auto overheads = stackOf(played, "Overheads");
    for (auto& layer : overheads.layers)
        layer.isOn = layer.name == "Snare";
    const auto over = soundOf(overheads);
    demo::Point at;
    for (const auto& placement : demo::placements())
        if (placement.name == "Overheads")
            at = placement.microphones.front().at;
    const auto drum = demo::placeOf(demo::Drum::Snare);
    const double metres =
        std::sqrt(std::pow(at.x - drum.x, 2) + std::pow(at.y - drum.y, 2) + std::pow(at.z - drum.z, 2));
    EXPECT_NEAR(firstS(over, 0.99) - firstS(close, 0.99), metres / 343, 0.0008);
}

TEST_F(ProgrammedKit, ASnareAloneFillsTheRoom) {
    const auto played = play(builtInKit(s_kit->path(), {false, true, false}));
    auto room = stackOf(played, "Room");
    const auto before = soundOf(room);
    EXPECT_GT(peakDb(before, 0.5, 0.9), -50);
    for (auto& layer : room.layers)
        layer.isOn = layer.name == "Snare";
    const auto after = soundOf(room);
    EXPECT_LT(peakDb(after, 0.5, 0.9), -150) << "a dry kick";
    EXPECT_GT(peakDb(after, 1, 1.4), -50);
}

TEST_F(ProgrammedKit, SpillIsHeardAndIsNoHitOfItsOwn) {
    const auto dry = stackOf(play(builtInKit(s_kit->path(), {false, false, false})), "Snare");
    const auto wet = stackOf(play(builtInKit(s_kit->path(), {false, false, true})), "Snare");
    EXPECT_FALSE(layers::hasSpill(dry));
    EXPECT_TRUE(layers::hasSpill(wet));
    EXPECT_EQ(wet.strikes.size(), 5U);
    EXPECT_EQ(layers::ownStrikes(wet).size(), 2U);
    EXPECT_LT(peakDb(soundOf(dry), 0.5, 0.9), -150);
    EXPECT_GT(peakDb(soundOf(wet), 0.5, 0.9), -70) << "the kick in the snare's microphone";
    EXPECT_EQ(givenHits(wet).size(), 2U);
    // Edits mean its own strikes, however near another drum's lies.
    layers::StrikeEdit edit{layers::StrikeEdit::Kind::Remove, 1.001, 0, {}};
    EXPECT_EQ(layers::withStrikeEdits(wet, {edit}).strikes.size(), 4U);
    edit.timeS = 1.5;
    int applied = 0;
    (void)layers::withStrikeEdits(wet, {edit}, &applied);
    EXPECT_EQ(applied, 0) << "a hat's";
}

TEST_F(ProgrammedKit, NoSpillIsPlayedAsTheDrumItself) {
    // The floor tom's note lies between those of the hats.
    const auto hats = stackOf(
        play(builtInKit(s_kit->path(), {false, false, true}), {{0.5, 42}, {1, 46}, {1.5, 43}, {2.5, 38}}),
        "Hi-hat");
    EXPECT_EQ(layers::ownStrikes(hats).size(), 2U);
    EXPECT_EQ(givenHits(hats).size(), 2U);
    EXPECT_LT(peakDb(soundOf(hats), 1.5, 1.9), -15) << "as its microphone hears it";
    auto alone = hats;
    std::erase_if(alone.layers, [](const auto& layer) { return layer.isSpill; });
    EXPECT_LT(peakDb(soundOf(alone), 2.6, 2.9), -60);
}

TEST_F(ProgrammedKit, AStrokeThatMovesMovesInEveryMicrophone) {
    const auto played = play(builtInKit(s_kit->path(), {true, false, false}));
    std::vector<session::Id> ids;
    const auto s = withPlayedKit(session::emptySession(), played, &ids);
    const auto snare = stackOf(played, "Snare");
    layers::StrikeEdit edit{layers::StrikeEdit::Kind::Move, 1.0, 0.25, {}};
    const auto edited = layers::withStrikeEdits(snare, {edit});
    const auto changed = writeEdited(s, folder.path(), s.element(ids[1])->channels.front().file, edited);
    ASSERT_TRUE(changed);
    ASSERT_EQ(changed->size(), 2U) << "the snare and the overheads; kick and hats stay";
    const auto next = withChangedStacks(s, *changed);
    const auto over = layers::readStack(
        session::resolvePath(*next.file(next.element(ids[3])->channels.front().file), folder.path()));
    ASSERT_TRUE(over);
    std::vector<double> snares;
    for (const auto& strike : over->strikes)
        if (strike.note == 38)
            snares.push_back(strike.timeS);
    EXPECT_EQ(snares, (std::vector<double>{1.25, 2.5}));
    EXPECT_EQ(over->strikes.size(), 5U);
    // Another level of a layer is its own matter.
    auto louder = edited;
    louder.layers.front().gainDb = 3;
    EXPECT_EQ(writeEdited(next, folder.path(), next.element(ids[1])->channels.front().file, louder)->size(),
              1U);
}

TEST_F(ProgrammedKit, AFolderOfOneShotsByNameAndBySound) {
    const auto shots = folder / "shots";
    fs::create_directories(shots);
    test::writeWav(shots / "Snare hard.wav", test::bursts(190, 10, 0.001, 0.06, 0.4));
    auto soft = test::bursts(180, 10, 0.001, 0.05, 0.4);
    for (float& sample : soft)
        sample *= 0.3F;
    test::writeWav(shots / "Snare soft.wav", soft);
    test::writeWav(shots / "x17.wav", test::bursts(52, 10, 0.001, 0.12, 0.6)); // a kick by its sound
    test::writeWav(shots / "Loop 120.wav", test::bursts(90, 10, 0.001, 0.06, 0.4));
    std::ofstream(shots / "notes.txt") << "no sound";
    const auto kit = kitFrom(shots);
    ASSERT_TRUE(kit) << kit.error().message;
    ASSERT_EQ(kit->oneShots.size(), 2U);
    ASSERT_EQ(kit->notes.size(), 1U);
    EXPECT_TRUE(kit->notes[0].find("Loop 120.wav is no drum") != std::string::npos) << kit->notes[0];
    EXPECT_EQ(kit->oneShots[0].role, Role::KickIn);
    EXPECT_EQ(kit->oneShots[1].role, Role::SnareTop);
    EXPECT_EQ(kit->oneShots[1].sounds.size(), 2U);
    EXPECT_EQ(kit->oneShots[1].name, "Snare");
    const auto played = play(*kit);
    ASSERT_EQ(played.drums.size(), 2U);
    ASSERT_EQ(played.notes.size(), 2U);
    EXPECT_NE(played.notes[1].find("Hi-hat"), std::string::npos) << played.notes[1];
    const auto snares = stackOf(played, "Snare").layers.front().sounds;
    ASSERT_EQ(snares.size(), 2U);
    EXPECT_EQ(snares[0].file.stem(), "Snare soft") << "quieter, so it is for soft strokes";
    EXPECT_EQ(snares[1].file.stem(), "Snare hard");
    EXPECT_GT(snares[0].gainDb, 0);
    EXPECT_LT(snares[0].highVelocity, snares[1].lowVelocity);
    fs::create_directories(folder / "empty");
    EXPECT_FALSE(kitFrom(folder / "empty"));
    EXPECT_FALSE(kitFrom(shots / "notes.txt"));
    EXPECT_FALSE(kitFrom(folder / "none.sfz"));
}

TEST_F(ProgrammedKit, HatsOfAFolderChoke) {
    const auto shots = folder / "hats";
    fs::create_directories(shots);
    test::writeWav(shots / "Open Hat.wav", std::vector<float>(48000, 0.5F));
    test::writeWav(shots / "Closed Hat.wav", std::vector<float>(2400, 0.25F));
    const auto kit = kitFrom(shots);
    ASSERT_TRUE(kit) << kit.error().message;
    const auto x = soundOf(stackOf(play(*kit, {{0.5, 46}, {0.75, 44}}), "Hi-hat"));
    EXPECT_GT(peakDb(x, 0.7, 0.75), -12);
    EXPECT_LT(peakDb(x, 0.81, 1.4), -100) << "a foot ends what rings";
}

TEST_F(ProgrammedKit, StoppedNoKitIsCalledByItsName) {
    CancelToken cancel;
    cancel.cancel();
    EXPECT_FALSE(demo::writeBuiltInKit(folder / "kit", cancel));
    EXPECT_FALSE(fs::exists(folder / "kit" / "Kit.sfz"));
}

} // namespace
} // namespace cask::project
