#include "core/session/edits.h"
#include "core/session/parallel_path.h"
#include "core/session/parameter_path.h"
#include "core/session/session_json.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::session {
namespace {

/// Kick, snare, hat and room on the buses of their roles.
struct Kit {
    Session s = emptySession();
    Id kick = add("Kick", Role::KickIn, "Shells");
    Id snare = add("Snare", Role::SnareTop, "Shells");
    Id hat = add("Hat", Role::ClosedHat, "Cymbals");
    Id room = add("Room", Role::Room, "Rooms");

    [[nodiscard]] Id bus(const std::string& name) const { return *findOwner(s, name); }
    Id add(const std::string& name, Role role, const std::string& bus) {
        SourceFile file;
        file.id = s.nextId++;
        file.path = name + ".wav";
        file.frames = 48000;
        file.channels = 1;
        file.sampleRateHz = 48000;
        Element e;
        e.id = s.nextId++;
        e.name = name;
        e.role = role;
        e.channels = {{file.id, 0, {}}};
        e.out.bus = *findOwner(s, bus);
        s.files.emplace_back(file);
        s.elements.emplace_back(e);
        return s.elements.back()->id;
    }
};

TEST(ParallelPath, OfABusIsFedByWhatReachesItSnareMostKickLeast) {
    Kit kit;
    const auto path = addPath(kit.s, "Crush", kit.bus("Kit"));
    ASSERT_TRUE(path);
    const auto* bus = kit.s.bus(*path);
    EXPECT_EQ(bus->path->of, kit.bus("Kit"));
    EXPECT_EQ(bus->out.bus, kit.s.master().id);
    const auto share = [&](Id element) -> std::optional<double> {
        for (const auto& send : kit.s.output(element)->sends)
            if (send.bus == *path)
                return send.levelDb;
        return std::nullopt;
    };
    EXPECT_EQ(share(kit.snare), 0);
    EXPECT_LT(*share(kit.room), *share(kit.snare));
    EXPECT_LT(*share(kit.kick), *share(kit.room));
    EXPECT_FALSE(share(kit.hat)) << "cymbals are spared";
    EXPECT_EQ(pathsOf(kit.s, kit.bus("Kit")), std::vector<Id>{*path});
}

TEST(ParallelPath, OfAnElementTakesThatElementAlone) {
    Kit kit;
    const auto path = addPath(kit.s, "Thick", kit.hat);
    ASSERT_TRUE(path);
    EXPECT_EQ(kit.s.bus(*path)->out.bus, kit.bus("Cymbals"));
    ASSERT_EQ(kit.s.output(kit.hat)->sends.size(), 1U);
    EXPECT_TRUE(kit.s.output(kit.kick)->sends.empty());
}

TEST(ParallelPath, RefusesTheMasterAPathAndATakenNameWithASentence) {
    Kit kit;
    EXPECT_FALSE(addPath(kit.s, "X", kit.s.master().id));
    EXPECT_FALSE(addPath(kit.s, "Kick", kit.bus("Kit")));
    EXPECT_FALSE(addPath(kit.s, "", kit.bus("Kit")));
    EXPECT_FALSE(addPath(kit.s, "X", 9999));
    const auto path = addPath(kit.s, "Crush", kit.bus("Kit"));
    const auto again = addPath(kit.s, "Y", *path);
    ASSERT_FALSE(again);
    EXPECT_EQ(again.error().message,
              "Crush is a parallel path itself. Make the new one of what it stands beside.");
}

TEST(ParallelPath, EqualGainKeepsThePowerOfTheSumForAnyBlendLikenessAndLevel) {
    ParallelPath path;
    path.isEqualGain = true;
    path.matchDb = -4;
    for (const double likeness : {-0.3, 0.0, 0.8, 1.0})
        for (const double percent : {0.0, 20.0, 50.0, 90.0, 100.0})
            for (const double level : {0.5, 1.0, 2.0}) {
                path.likeness = likeness;
                path.blendPercent = percent;
                const auto g = blendGains(path, level);
                // Dry of power 1, wet of the power that its match takes back to 1.
                const double wet = g.wet * level * std::pow(10, 4.0 / 20);
                const double power = g.dry * g.dry + wet * wet + 2 * g.dry * wet * likeness;
                EXPECT_NEAR(power, 1, 1e-9) << likeness << " " << percent << " " << level;
            }
    // Inverted it takes away what it shares with the dry sound, and the sum is made up for that.
    path.isInverted = true;
    path.likeness = 0.8;
    path.blendPercent = 50;
    const auto g = blendGains(path, 1);
    EXPECT_LT(g.wet, 0);
    const double wet = g.wet * std::pow(10, 4.0 / 20);
    EXPECT_NEAR(g.dry * g.dry + wet * wet + 2 * g.dry * wet * 0.8, 1, 1e-9);
    path.isEqualGain = false;
    EXPECT_EQ(blendGains(path, 1).dry, 1);
    EXPECT_EQ(blendGains(path, 1).wet, -1);
    path.isInverted = false;
    EXPECT_EQ(blendGains(path, 1).wet, 1);
}

TEST(ParallelPath, OneEqualGainPerSoundAndAMutedPathLeavesTheDrySound) {
    Kit kit;
    const auto first = addPath(kit.s, "A", kit.bus("Shells"));
    const auto second = addPath(kit.s, "B", kit.bus("Shells"));
    auto s = withEqualGain(kit.s, *first, -3, 0.5);
    ASSERT_TRUE(s);
    EXPECT_LT(blendGainOf(*s, kit.bus("Shells")), 1);
    const auto other = withEqualGain(*s, *second, 0, 0);
    ASSERT_FALSE(other);
    EXPECT_EQ(other.error().message, "Shells already has an equal-gain path, A. Switch that one off first.");
    const auto muted = withOutput(*s, *first, [](Output& out) { out.isMuted = true; });
    EXPECT_EQ(blendGainOf(muted, kit.bus("Shells")), 1);
}

TEST(ParallelPath, ComesBackFromDiskWithWhatANewerWriterAdded) {
    Kit kit;
    const auto path = addPath(kit.s, "Crush", kit.bus("Shells"));
    kit.s = withBus(kit.s, *path, [](Bus& b) {
        b.path->lowCutHz = 140;
        b.path->pitchCents = -7;
        b.path->isEqualGain = true;
        b.path->blendPercent = 45;
        b.path->matchDb = 2.5;
        b.path->likeness = 0.75;
        b.path->extra.json = R"({"shine":3})";
    });
    const auto read = fromJson(toJson(kit.s), "test");
    ASSERT_TRUE(read) << read.error().message;
    EXPECT_EQ(*read->bus(*path), *kit.s.bus(*path));
}

TEST(ParallelPath, AFileWhosePathStandsBesideNothingIsRefused) {
    Kit kit;
    const auto path = addPath(kit.s, "Crush", kit.bus("Shells"));
    kit.s = withBus(kit.s, *path, [](Bus& b) { b.path->of = 4711; });
    const auto read = fromJson(toJson(kit.s), "test.cask");
    ASSERT_FALSE(read);
    EXPECT_EQ(read.error().message,
              "test.cask is damaged: the parallel path Crush stands beside something that "
              "is not there.");
}

TEST(ParallelPath, IsSetByItsPathAndListedThere) {
    Kit kit;
    const auto path = addPath(kit.s, "Crush", kit.bus("Shells"));
    ASSERT_TRUE(path);
    auto s = withValueAt(kit.s, "path/Crush/low_cut_hz", "150 Hz");
    ASSERT_TRUE(s) << s.error().message;
    s = withValueAt(*s, "path/Crush/pitch_cents", "-2 st");
    ASSERT_TRUE(s) << s.error().message;
    s = withValueAt(*s, "path/Crush/compressor/ratio", "20");
    ASSERT_TRUE(s) << s.error().message;
    s = withValueAt(*s, "path/Crush/level_db", "-6");
    ASSERT_TRUE(s) << s.error().message;
    EXPECT_EQ(s->bus(*path)->path->lowCutHz, 150);
    EXPECT_EQ(s->bus(*path)->path->pitchCents, -200);
    EXPECT_EQ(s->bus(*path)->out.levelDb, -6);
    EXPECT_FALSE(withValueAt(kit.s, "path/Shells/low_cut_hz", "150")) << "no path";
    EXPECT_FALSE(withValueAt(kit.s, "path/Crush/pitch_cents", "1300"));
    // Every value that is listed can be typed back.
    Session copy = *s;
    int listed = 0;
    for (const auto& value : listValues(*s))
        if (value.path.starts_with("path/Crush/") && !value.path.ends_with("/of") &&
            !value.path.ends_with("/key")) {
            ++listed;
            auto set = withValueAt(copy, value.path, value.value);
            ASSERT_TRUE(set) << value.path << ": " << set.error().message;
            copy = *set;
        }
    EXPECT_GT(listed, 20);
    EXPECT_EQ(copy.bus(*path)->path, s->bus(*path)->path);
}

TEST(ParallelPath, GoesBackToABusWhereWhatItStoodBesideGoes) {
    Kit kit;
    const auto path = addPath(kit.s, "Crush", kit.bus("Shells"));
    const auto without = withoutBus(kit.s, kit.bus("Shells"));
    ASSERT_NE(without.bus(*path), nullptr);
    EXPECT_FALSE(without.bus(*path)->path);
    EXPECT_TRUE(fromJson(toJson(without), "test"));
    const auto gone = withoutBus(kit.s, *path);
    EXPECT_TRUE(gone.output(kit.snare)->sends.empty());
}

} // namespace
} // namespace cask::session
