#include "core/session/edits.h"
#include "core/session/sections.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

namespace cask::session {
namespace {

/// A session of 60 s.
Session minute() {
    auto s = test::memoryKit({{std::vector<float>(10)}}).session;
    s.files[0].edit([](SourceFile& f) { f.frames = 60 * 48000; });
    return s;
}

std::string listed(const Session& s) {
    std::string out;
    for (const auto& section : s.sections)
        out += section.name + " " + std::to_string(static_cast<int>(section.startS)) + "-" +
               std::to_string(static_cast<int>(section.endS)) + "; ";
    return out;
}

TEST(Sections, TheFirstReachesToTheEndAndLaterOnesCutIt) {
    Session s = withSectionFrom(minute(), 10, "verse");
    EXPECT_EQ(listed(s), "verse 10-60; ");
    s = withSectionFrom(s, 30, "chorus");
    EXPECT_EQ(listed(s), "verse 10-30; chorus 30-60; ");
    s = withSectionFrom(s, 2, "intro");
    EXPECT_EQ(listed(s), "intro 2-10; verse 10-30; chorus 30-60; ");
    s = withSectionFrom(s, 20, "fill");
    EXPECT_EQ(listed(s), "intro 2-10; verse 10-20; fill 20-30; chorus 30-60; ");
}

TEST(Sections, OneThatBeginsThereGetsTheNewName) {
    Session s = withSectionFrom(minute(), 10, "verse");
    s = withSectionFrom(s, 10.004, "bridge");
    EXPECT_EQ(listed(s), "bridge 10-60; ");
}

TEST(Sections, NothingBeginsAtTheEnd) {
    EXPECT_EQ(listed(withSectionFrom(minute(), 60, "late")), "");
    EXPECT_EQ(listed(withSectionFrom(minute(), 75, "later")), "");
    EXPECT_EQ(listed(withSectionFrom(minute(), -5, "early")), "early 0-60; ");
}

TEST(Sections, AreFoundRenamedAndRemoved) {
    Session s = withSectionFrom(withSectionFrom(minute(), 10, "a"), 30, "b");
    EXPECT_EQ(sectionAt(s, 5), nullptr);
    EXPECT_EQ(sectionAt(s, 10)->name, "a");
    EXPECT_EQ(sectionAt(s, 30)->name, "b");
    EXPECT_EQ(listed(withSectionNamed(s, 31, "c")), "a 10-30; c 30-60; ");
    EXPECT_EQ(listed(withSectionNamed(s, 31, "")), "a 10-30; b 30-60; ");
    EXPECT_EQ(listed(withSectionNamed(s, 3, "x")), "a 10-30; b 30-60; ");
    EXPECT_EQ(listed(withoutSectionAt(s, 40)), "a 10-60; ");
    EXPECT_EQ(listed(withoutSectionAt(s, 12)), "b 30-60; ");
    EXPECT_EQ(listed(withoutSectionAt(s, 3)), "a 10-30; b 30-60; ");
}

TEST(Edits, RemovingABusSendsWhatWentThereWhereItWent) {
    auto kit = test::memoryKit({{std::vector<float>(10)}});
    Session s = withRole(kit.session, kit.elements[0], Role::KickIn);
    const auto named = [&](const std::string& name) {
        for (const auto& b : s.buses)
            if (b->name == name)
                return b->id;
        return kNoId;
    };
    const Id shells = named("Shells");
    const Id kitBus = named("Kit");
    const Id extra = addBus(s, "Crush", kitBus);
    s = *withSend(s, kit.elements[0], {extra, -6, false, {}});
    ASSERT_EQ(s.output(kit.elements[0])->bus, shells);
    s = withoutBus(s, extra);
    EXPECT_TRUE(s.output(kit.elements[0])->sends.empty());
    s = withoutBus(s, shells);
    EXPECT_EQ(s.output(kit.elements[0])->bus, kitBus);
    s = withoutBus(s, kitBus);
    EXPECT_EQ(s.output(kit.elements[0])->bus, s.master().id);
    EXPECT_EQ(s.output(named("Rooms"))->bus, s.master().id);
    const auto before = s.buses.size();
    s = withoutBus(s, s.master().id);
    EXPECT_EQ(s.buses.size(), before);
    EXPECT_TRUE(graph::compile(s, kit.lookup)) << "what is left must still make a plan";
}

TEST(Edits, NamesAndSendsAreChangedAndTakenBack) {
    auto kit = test::memoryKit({{std::vector<float>(10)}});
    Session s = withName(kit.session, kit.elements[0], "Big snare");
    EXPECT_EQ(s.nameOf(kit.elements[0]), "Big snare");
    EXPECT_EQ(withName(s, kit.elements[0], "").nameOf(kit.elements[0]), "Big snare");
    EXPECT_EQ(withName(s, s.buses[0]->id, "Drums").buses[0]->name, "Drums");
    EXPECT_EQ(withName(s, 9999, "nobody"), s);
    const Id rooms = s.buses[2]->id;
    const auto sent = *withSend(s, kit.elements[0], {rooms, -6, true, {}});
    EXPECT_EQ(sent.output(kit.elements[0])->sends.size(), 1U);
    EXPECT_EQ(withoutSend(sent, kit.elements[0], rooms), s);
}

TEST(Edits, GuessedRolesOnlyFillWhatIsOpen) {
    auto kit = test::memoryKit({{std::vector<float>(10)}});
    const Id id = kit.elements[0];
    Session s = withElement(kit.session, id, [](Element& e) {
        e.role = Role::Unknown;
        e.roleConfidence = 0;
    });
    EXPECT_EQ(withGuessedRole(s, id, {Role::Room, 0}), s) << "no idea changes nothing";
    const Session guessed = withGuessedRole(s, id, {Role::Overhead, 0.6});
    EXPECT_EQ(guessed.element(id)->role, Role::Overhead);
    EXPECT_EQ(guessed.element(id)->roleConfidence, 0.6);
    EXPECT_EQ(guessed.nameOf(guessed.element(id)->out.bus), "Cymbals") << "it goes where its role starts";
    EXPECT_EQ(withGuessedRole(guessed, id, {Role::Room, 0.8}), guessed) << "a first guess stays";
    EXPECT_EQ(withGuessedRole(withRole(s, id, Role::Unknown), id, {Role::Room, 0.8}).element(id)->role,
              Role::Unknown)
        << "not known, said by a person, stays";
}

} // namespace
} // namespace cask::session
