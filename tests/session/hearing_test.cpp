// Solo, mute, and what is never mixed.
#include "core/session/edits.h"
#include "core/session/hearing.h"
#include "core/session/history.h"
#include "core/session/routing.h"

#include <gtest/gtest.h>

namespace cask::session {
namespace {

struct Band {
    Session s = emptySession();
    Id kick = add(Role::KickIn);
    Id hat = add(Role::ClosedHat);
    Id bass = add(Role::Bass);
    Id voice = add(Role::Voice);
    Id reference = add(Role::Reference);

    Id add(Role role) {
        Element e;
        e.id = s.nextId++;
        e.name = std::string(roleInfo(role).name);
        e.role = role;
        e.out.bus = startingBus(s, role);
        s.elements.emplace_back(std::move(e));
        return s.elements.back()->id;
    }
    [[nodiscard]] static std::vector<Id> heard(const Session& session) {
        std::vector<Id> ids;
        for (const auto& e : session.elements)
            if (isHeard(session, *e))
                ids.push_back(e->id);
        return ids;
    }
};

TEST(Hearing, ReferencesAndClicksAreNeverMixed) {
    const Band band;
    EXPECT_EQ(Band::heard(band.s), (std::vector<Id>{band.kick, band.hat, band.bass, band.voice}));
    EXPECT_TRUE(Band::heard(withSoloOnly(band.s, {band.reference})).empty()) << "not even soloed";
    for (const Role role : {Role::Click, Role::Talkback, Role::Guide, Role::Reference}) {
        EXPECT_FALSE(isMixed(role));
        EXPECT_FALSE(isOfKit(role));
        EXPECT_EQ(startingBus(band.s, role), band.s.master().id);
    }
    EXPECT_TRUE(isMixed(Role::Bass));
    EXPECT_FALSE(isOfKit(Role::Bass));
    EXPECT_TRUE(isOfKit(Role::Room));
}

TEST(Hearing, GroupsAreSoloedAndMutedWhole) {
    const Band band;
    EXPECT_EQ(elementsOf(band.s, HeardGroup::Drums), (std::vector<Id>{band.kick, band.hat}));
    const auto drums = withSolo(band.s, elementsOf(band.s, HeardGroup::Drums), true);
    EXPECT_EQ(Band::heard(drums), (std::vector<Id>{band.kick, band.hat}));
    EXPECT_TRUE(areSoloed(drums, {band.kick, band.hat}));
    EXPECT_FALSE(areSoloed(drums, {band.kick, band.bass}));
    EXPECT_FALSE(areSoloed(drums, {})) << "of nobody nothing is said";
    EXPECT_EQ(Band::heard(withSoloOnly(drums, {band.bass})), std::vector<Id>{band.bass});
    EXPECT_FALSE(hasSolo(withoutSolos(drums)));
    EXPECT_EQ(Band::heard(withMute(band.s, {band.voice, band.bass}, true)),
              (std::vector<Id>{band.kick, band.hat}));
    EXPECT_EQ(withMute(band.s, {band.s.master().id}, true), band.s) << "the master is never muted";
}

TEST(Hearing, WhatIsSoloSafeStaysHeard) {
    const Band band;
    auto s = withOutput(band.s, band.bass, [](Output& out) { out.isSoloSafe = true; });
    s = withSolo(s, {band.kick}, true);
    EXPECT_EQ(Band::heard(s), (std::vector<Id>{band.kick, band.bass}));
    EXPECT_EQ(Band::heard(withMute(s, {band.bass}, true)), std::vector<Id>{band.kick}) << "a mute is a mute";
    s = withOutput(withSolo(band.s, {band.bass}, true), startingBus(band.s, Role::ClosedHat),
                   [](Output& out) { out.isSoloSafe = true; });
    EXPECT_EQ(Band::heard(s), (std::vector<Id>{band.hat, band.bass})) << "through a bus that is safe";
}

TEST(Hearing, HoldsWhateverIsUndoneAndNeedsNoSaving) {
    const Band band;
    History history(band.s);
    history.markSaved();
    const auto solo = [&](const Session& s) { return withSolo(s, {band.kick}, true); };
    history.changeEverywhere(solo);
    EXPECT_TRUE(history.isSaved());
    EXPECT_FALSE(history.canUndo());
    history.apply(withOutput(history.current(), band.hat, [](Output& out) { out.levelDb = -6; }), "Level");
    EXPECT_FALSE(history.isSaved());
    history.changeEverywhere([&](const Session& s) { return withMute(s, {band.voice}, true); });
    history.undo();
    EXPECT_TRUE(history.isSaved());
    EXPECT_TRUE(history.current().output(band.kick)->isAlone);
    EXPECT_TRUE(history.current().output(band.voice)->isMuted);
    EXPECT_EQ(history.current().output(band.hat)->levelDb, 0);
    history.redo();
    EXPECT_EQ(history.current().output(band.hat)->levelDb, -6);
    EXPECT_TRUE(history.current().output(band.voice)->isMuted);
}

} // namespace
} // namespace cask::session
