// Named states, A and B, differences in words, steps, markers.
#include "core/session/edits.h"
#include "core/session/hearing.h"
#include "core/session/history.h"
#include "core/session/markers.h"
#include "core/session/parameter_path.h"
#include "core/session/session_difference.h"
#include "core/session/session_json.h"
#include "core/session/states.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

namespace cask::session {
namespace {

class States : public testing::Test {
  protected:
    States() : m_kit(test::memoryKit({{std::vector<float>(480, 0.1F)}, {std::vector<float>(480, 0.1F)}})) {
        m_kit.session = withName(m_kit.session, kick(), "Kick");
        m_kit.session = withName(m_kit.session, snare(), "Snare");
    }
    [[nodiscard]] Id kick() const { return m_kit.elements[0]; }
    [[nodiscard]] Id snare() const { return m_kit.elements[1]; }
    static Session at(Session s, const std::string& path, const std::string& value) {
        auto next = withValueAt(std::move(s), path, value);
        EXPECT_TRUE(next) << path;
        return *next;
    }
    test::MemoryKit m_kit;
};

TEST_F(States, TheMixComesBackAndWhatWasFoundSinceStays) {
    auto s = withState(at(m_kit.session, "Kick/level_db", "-3"), "soft");
    s = at(std::move(s), "Kick/level_db", "2");
    s = at(std::move(s), "Kick/compressor/threshold_db", "-20");
    s = withRole(s, snare(), Role::SnareTop);
    s.sections = {{"verse", 0, 1, {}}};
    s.hitEdits.push_back({HitEdit::Kind::Add, kick(), 0.5, 0, {}, kNoId, {}, {}, {}});
    s = withSolo(std::move(s), {snare()}, true);
    Element later = *s.element(snare());
    later.id = s.nextId++;
    later.name = "Hat";
    s.elements.emplace_back(later);
    s = withName(s, kick(), "Kick in");
    const auto back = mixedAs(s, *stateOf(s, "soft"));
    EXPECT_EQ(back.output(kick())->levelDb, -3);
    EXPECT_TRUE(back.element(kick())->chain.empty());
    EXPECT_EQ(back.nameOf(kick()), "Kick in");
    EXPECT_EQ(back.element(snare())->role, Role::SnareTop);
    EXPECT_EQ(back.sections.size(), 1U);
    EXPECT_EQ(back.hitEdits.size(), 1U);
    EXPECT_TRUE(back.output(snare())->isAlone) << "what is listened to is no mix";
    EXPECT_NE(back.element(later.id), nullptr) << "imported since";
    EXPECT_NE(stateOf(back, "soft"), nullptr);
    EXPECT_TRUE(fromJson(toJson(back), "x"));
}

TEST_F(States, WhatWasTakenOutComesBackWithItsFileAndBus) {
    auto s = m_kit.session;
    const Id crush = addBus(s, "Crush", s.master().id);
    s = *withSend(s, snare(), {crush, -6, false, {}});
    s = withState(std::move(s), "with crush");
    const auto files = s.files.size();
    s = withoutBus(withoutElement(std::move(s), snare()), crush);
    ASSERT_EQ(s.element(snare()), nullptr);
    const auto back = mixedAs(s, *stateOf(s, "with crush"));
    ASSERT_NE(back.element(snare()), nullptr);
    EXPECT_EQ(back.files.size(), files);
    EXPECT_EQ(back.output(snare())->sends.size(), 1U);
    EXPECT_TRUE(back.buses.back()->isMaster);
    const auto stored = fromJson(toJson(back), "x");
    ASSERT_TRUE(stored) << stored.error().message;
    EXPECT_EQ(*stored, back);
}

TEST_F(States, AAndBAreTwoMixesOfOneSession) {
    auto s = m_kit.session;
    EXPECT_EQ(letterOf(s), "A");
    EXPECT_EQ(otherMix(s), nullptr);
    s = withLetterSwitched(std::move(s));
    EXPECT_EQ(letterOf(s), "B");
    ASSERT_NE(otherMix(s), nullptr);
    EXPECT_TRUE(differencesInWords(*otherMix(s), s).empty()) << "it begins as it was";
    s = at(std::move(s), "Kick/level_db", "-4");
    s = withLetterSwitched(std::move(s));
    EXPECT_EQ(letterOf(s), "A");
    EXPECT_EQ(s.output(kick())->levelDb, 0);
    s = at(std::move(s), "Kick/level_db", "3");
    const auto stored = *fromJson(toJson(s), "x");
    EXPECT_EQ(stored, s);
    s = withLetterSwitched(stored);
    EXPECT_EQ(s.output(kick())->levelDb, -4);
    EXPECT_EQ(withLetterSwitched(s).output(kick())->levelDb, 3);
    s = withLettersEqual(std::move(s));
    EXPECT_EQ(otherMix(s), nullptr);
    EXPECT_EQ(withLetterSwitched(s).output(kick())->levelDb, -4);
}

TEST_F(States, DifferencesAreToldOnceAndInWords) {
    const auto before = m_kit.session;
    auto now = at(before, "Kick/level_db", "-1.5");
    now = at(std::move(now), "Snare/compressor/threshold_db", "-20");
    now = at(std::move(now), "Kick/ride/level_db", "0:0 1:3");
    now = withName(now, snare(), "Snare top");
    using Lines = std::vector<std::string>;
    EXPECT_EQ(differencesInWords(before, now),
              (Lines{"Kick: level 0.0 dB, now -1.5 dB", "Kick: ride of level now 0.000:+0.00 1.000:+3.00",
                     "Snare top: compressor added"}));
    EXPECT_EQ(differencesInWords(now, before),
              (Lines{"Kick: level -1.5 dB, now 0.0 dB",
                     "Kick: ride of level 0.000:+0.00 1.000:+3.00, now none", "Snare: compressor removed"}));
    EXPECT_EQ(differencesInWords(before, withoutElement(before, snare())), Lines{"Snare: removed"});
    EXPECT_TRUE(differencesInWords(now, now).empty());
    EXPECT_TRUE(differencesInWords(now, withMute(withSolo(now, {kick()}, true), {snare()}, true)).empty());
}

TEST_F(States, AHistoryIsALadderThatIsClimbedBothWays) {
    History history(m_kit.session);
    for (int step = 1; step <= 4; ++step)
        history.apply(at(history.current(), "Kick/level_db", std::to_string(-step)),
                      "Level " + std::to_string(step));
    EXPECT_EQ(history.labels(), (std::vector<std::string>{"", "Level 1", "Level 2", "Level 3", "Level 4"}));
    history.goTo(1);
    EXPECT_EQ(history.at(), 1U);
    EXPECT_EQ(history.current().output(kick())->levelDb, -1);
    history.goTo(4);
    EXPECT_EQ(history.current().output(kick())->levelDb, -4);
    history.goTo(99);
    EXPECT_EQ(history.at(), 4U) << "there is none";
    history.goTo(2);
    history.apply(at(history.current(), "Kick/level_db", "9"), "Other");
    EXPECT_EQ(history.labels().size(), 4U) << "a new way from there";
}

TEST_F(States, MarkersStandInOrder) {
    auto s = withMarker(withMarker(m_kit.session, 3, "end"), 1, "here");
    ASSERT_EQ(s.markers.size(), 2U);
    EXPECT_EQ(s.markers[0].name, "here");
    s = withMarker(std::move(s), 1.005, "there");
    EXPECT_EQ(s.markers.size(), 2U) << "in its place";
    EXPECT_EQ(markerNear(s, 1.03)->name, "there");
    EXPECT_EQ(markerNear(s, 2), nullptr);
    s = withMarkerMoved(std::move(s), 1.005, 5);
    EXPECT_EQ(s.markers[1].name, "there");
    s = withMarkerNamed(std::move(s), 5, "last");
    EXPECT_EQ(*fromJson(toJson(s), "x"), s);
    EXPECT_EQ(withoutMarker(s, 5).markers.size(), 1U);
}

} // namespace
} // namespace cask::session
