// The order of a kit, and the kit turned round.
#include "core/session/edits.h"
#include "core/session/intake.h"
#include "core/session/kit_order.h"
#include "core/session/kit_turn.h"
#include "core/session/parameter_path.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::session {
namespace {

Session ofFiles(const std::vector<std::string>& names) {
    std::vector<IntakeFile> files;
    for (const auto& name : names)
        files.push_back({"/kit/" + name + ".wav", name + ".wav", 48000, 1, 48000, "WAV", std::nullopt});
    return withFiles(emptySession(), files);
}

std::vector<std::string> namesOf(const Session& s) {
    std::vector<std::string> names;
    for (const auto& e : s.elements)
        names.push_back(e->name);
    return names;
}

TEST(KitOrder, FilesStandAsAKitDoes) {
    const auto s = ofFiles({"Bass", "Crash", "Floor Tom", "Hi-Hat", "Kick In", "Overhead", "Room", "Shaker",
                            "Snare Bottom", "Snare Top", "Rack Tom"});
    EXPECT_EQ(namesOf(s),
              (std::vector<std::string>{"Kick In", "Snare Top", "Snare Bottom", "Hi-Hat", "Rack Tom",
                                        "Floor Tom", "Crash", "Overhead", "Room", "Shaker", "Bass"}));
    EXPECT_TRUE(isInKitOrder(s));
}

TEST(KitOrder, AnotherRoleIsAnotherPlaceUnlessAPersonMadeTheOrder) {
    auto s = ofFiles({"Kick In", "Snare Top", "Hi-Hat", "Audio 7"});
    const Id unknown = s.elements.back()->id;
    s = withRole(s, unknown, Role::SnareBottom);
    EXPECT_EQ(namesOf(s), (std::vector<std::string>{"Kick In", "Snare Top", "Audio 7", "Hi-Hat"}));
    s = withElementBefore(s, s.elements[3]->id, s.elements[0]->id);
    EXPECT_EQ(namesOf(s), (std::vector<std::string>{"Hi-Hat", "Kick In", "Snare Top", "Audio 7"}));
    EXPECT_FALSE(isInKitOrder(s));
    EXPECT_EQ(namesOf(withRole(s, unknown, Role::KickOut)), namesOf(s));
    EXPECT_EQ(namesOf(inKitOrder(s)),
              (std::vector<std::string>{"Kick In", "Snare Top", "Audio 7", "Hi-Hat"}));
    EXPECT_EQ(namesOf(withElementBefore(s, s.elements[0]->id, kNoId)).back(), "Hi-Hat");
}

TEST(KitTurn, SwapsTheSidesOfTheKitAndNothingElse) {
    constexpr std::size_t kFrames = 24000;
    const auto one = [](unsigned seed) { return test::noise(0.2, kFrames, seed); };
    auto kit = test::memoryKit({{one(1)}, {one(2), one(3)}, {one(4)}});
    auto s = withRole(kit.session, kit.elements[0], Role::RackTom);
    s = withRole(s, kit.elements[1], Role::Overhead);
    s = withRole(s, kit.elements[2], Role::FloorTom);
    const auto set = [&](Id id, const char* path, const char* text) {
        auto next = withValueAt(s, s.nameOf(id) + path, text);
        ASSERT_TRUE(next) << next.error().message;
        s = *std::move(next);
    };
    s.sections = {{"fill", 0.1, 0.3, {}}};
    set(kit.elements[0], "/pan", "L 35");
    set(kit.elements[0], "/section/fill/pan", "R 80");
    set(kit.elements[1], "/pan", "R 20");
    set(kit.elements[1], "/right_inverted", "on");
    set(kit.elements[1], "/shift_ms", "0.7");
    set(kit.elements[1], "/right_shift_ms", "-0.31");
    set(kit.elements[2], "/pan", "R 60");
    const auto before = test::render(s, kit.lookup, kFrames);
    const auto turned = withKitTurned(s);
    const auto after = test::render(turned, kit.lookup, kFrames);
    double most = 0;
    double apart = 0;
    for (std::size_t n = 0; n < before.size(); n += 2) {
        most = std::max({most, std::abs(static_cast<double>(before[n]) - after[n + 1]),
                         std::abs(static_cast<double>(before[n + 1]) - after[n])});
        apart = std::max(apart, std::abs(static_cast<double>(before[n]) - after[n]));
    }
    EXPECT_LT(most, dbToLinear(-120));
    EXPECT_GT(apart, 0.05);
    EXPECT_EQ(withKitTurned(turned), s) << "twice is as before";
}

TEST(KitTurn, LeavesBassMusicAndVoiceWhereTheyAre) {
    auto kit = test::memoryKit({{test::sine(60, 0.1, 0.5)}, {test::sine(80, 0.1, 0.5)}});
    auto s = withRole(kit.session, kit.elements[0], Role::Voice);
    s = withRole(s, kit.elements[1], Role::RackTom);
    for (const Id id : kit.elements)
        s = withOutput(std::move(s), id, [](Output& out) { out.pan = 0.4; });
    const auto turned = withKitTurned(s);
    EXPECT_EQ(turned.output(kit.elements[0])->pan, 0.4);
    EXPECT_EQ(turned.output(kit.elements[1])->pan, -0.4);
}

} // namespace
} // namespace cask::session
