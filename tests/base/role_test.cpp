#include "core/base/role.h"

#include <gtest/gtest.h>

#include <set>

namespace cask {
namespace {

struct NameCase {
    const char* name;
    Role role;
};

class RoleFromName : public testing::TestWithParam<NameCase> {};

TEST_P(RoleFromName, IsRead) {
    EXPECT_EQ(guessRoleFromName(GetParam().name).role, GetParam().role) << GetParam().name;
}

INSTANTIATE_TEST_SUITE_P(
    Names, RoleFromName,
    testing::Values(
        NameCase{"01_Kick In.wav", Role::KickIn}, NameCase{"KICK-OUT_02.WAV", Role::KickOut},
        NameCase{"BD.wav", Role::KickIn}, NameCase{"KickOut.flac", Role::KickOut},
        NameCase{"sub kick.wav", Role::SubKick}, NameCase{"02 Sn Top_03.wav", Role::SnareTop},
        NameCase{"SnareBtm.aif", Role::SnareBottom}, NameCase{"snare_under.wav", Role::SnareBottom},
        NameCase{"Hi-Hat.wav", Role::ClosedHat}, NameCase{"HH open.wav", Role::OpenHat},
        NameCase{"Tom 1.wav", Role::RackTom}, NameCase{"FloorTom.wav", Role::FloorTom},
        NameCase{"low tom.wav", Role::FloorTom}, NameCase{"OH L.wav", Role::Overhead},
        NameCase{"Overheads.wav", Role::Overhead}, NameCase{"Room R.wav", Role::Room},
        NameCase{"Bass DI.wav", Role::Bass}, NameCase{"bass drum.wav", Role::KickIn},
        NameCase{"Ride.wav", Role::Ride}, NameCase{"crash 2.wav", Role::Crash},
        NameCase{"lead vox.wav", Role::Voice}, NameCase{"cross stick.wav", Role::SideStick},
        NameCase{"rim click.wav", Role::SideStick}, NameCase{"rimshot.wav", Role::SnareTop},
        NameCase{"break 174.wav", Role::Loop}, NameCase{"Drum Loop 2.wav", Role::Loop},
        NameCase{"Lead Guitar.wav", Role::Music}, NameCase{"Track 07.wav", Role::Unknown},
        NameCase{"t2.wav", Role::RackTom}, NameCase{"Snare2.wav", Role::SnareTop},
        NameCase{"SD_b.wav", Role::SnareBottom}, NameCase{"Sub bass.wav", Role::Bass},
        NameCase{"KICKIN.wav", Role::KickIn}, NameCase{"overheads_R.wav", Role::Overhead},
        NameCase{"ridecym.wav", Role::Ride},
        // letters and numbers of a desk
        NameCase{"ch01 k in.wav", Role::KickIn}, NameCase{"ch02 k out.wav", Role::KickOut},
        NameCase{"ch04 s dn.wav", Role::SnareBottom}, NameCase{"ch05 h.wav", Role::ClosedHat},
        NameCase{"ch06 tr.wav", Role::RackTom}, NameCase{"ch07 tf.wav", Role::FloorTom},
        NameCase{"08 TT1.wav", Role::RackTom}, NameCase{"10 RD.wav", Role::Ride},
        NameCase{"Cr 1.wav", Role::Crash}, NameCase{"Ovr.wav", Role::Overhead},
        NameCase{"Kick reso.wav", Role::KickOut}, NameCase{"Snare Resonanzfell.wav", Role::SnareBottom},
        NameCase{"Tom base.wav", Role::FloorTom}, NameCase{"Tom de aire.wav", Role::RackTom},
        // where it stands, not what it stands beside
        NameCase{"ch08 oh hat side.wav", Role::Overhead}, NameCase{"OHride.wav", Role::Overhead},
        NameCase{"ch10 room hat side.wav", Role::Room}, NameCase{"far1.wav", Role::Room},
        NameCase{"Hat OH.wav", Role::OpenHat},
        // German, French, Spanish
        NameCase{"Bassdrum aussen.wav", Role::KickOut}, NameCase{"Große Trommel.wav", Role::KickIn},
        NameCase{"Kleine Trommel unten.wav", Role::SnareBottom}, NameCase{"Hängetom.wav", Role::RackTom},
        NameCase{"Ha\xcc\x88ngetom.wav", Role::RackTom}, NameCase{"Standtom.wav", Role::FloorTom},
        NameCase{"Raum li.wav", Role::Room}, NameCase{"grosse caisse.wav", Role::KickIn},
        NameCase{"Caisse claire dessous.wav", Role::SnareBottom}, NameCase{"charley.wav", Role::ClosedHat},
        NameCase{"tom basse.wav", Role::FloorTom}, NameCase{"aériens G.wav", Role::Overhead},
        NameCase{"Bombo dentro.wav", Role::KickIn}, NameCase{"caja abajo.wav", Role::SnareBottom},
        NameCase{"Tom de piso.wav", Role::FloorTom}, NameCase{"tom aéreo.wav", Role::RackTom},
        NameCase{"Click.wav", Role::Click}, NameCase{"metronome 120.wav", Role::Click},
        NameCase{"Kick click.wav", Role::KickIn}, NameCase{"talkback.wav", Role::Talkback},
        NameCase{"Guide Bass.wav", Role::Guide}, NameCase{"scratch vox 2.wav", Role::Guide},
        NameCase{"Ref mix.wav", Role::Reference}, NameCase{"reference_song.wav", Role::Reference},
        NameCase{"sala izq.wav", Role::Room}, NameCase{"\xe5\xa4\xaa\xe9\xbc\x93.wav", Role::Unknown},
        NameCase{"take 7.wav", Role::Unknown}));

TEST(Roles, KeysAndIdsAreUnique) {
    std::set<char> keys;
    std::set<std::string_view> ids;
    for (const auto& info : allRoles()) {
        EXPECT_TRUE(keys.insert(info.key).second) << info.name;
        EXPECT_TRUE(ids.insert(info.id).second) << info.id;
        EXPECT_EQ(roleFromId(info.id), info.role);
    }
}

TEST(PairMark, FindsTheSideAndTheRest) {
    EXPECT_EQ(pairMark("OH L.wav").side, 'L');
    EXPECT_EQ(pairMark("OH L.wav").stem, "OH");
    EXPECT_EQ(pairMark("room_right.wav").side, 'R');
    EXPECT_EQ(pairMark("room_right.wav").stem, "room");
    EXPECT_EQ(pairMark("OHR.wav").side, 'R');
    EXPECT_EQ(pairMark("Raum li.wav").side, 'L');
    EXPECT_EQ(pairMark("OH rechts.wav").stem, "OH");
    EXPECT_EQ(pairMark("sala der.wav").side, 'R');
    EXPECT_EQ(pairMark("snare.wav").side, 0);
    EXPECT_EQ(pairMark("vocal.wav").side, 0);
}

TEST(PairMark, TheNumberOfATakeStandsBehindTheSide) {
    const auto mark = pairMark("OVERHEADS.L_01");
    EXPECT_EQ(mark.side, 'L');
    EXPECT_EQ(mark.stem, "OVERHEADS");
    EXPECT_EQ(mark.take, "01");
    EXPECT_EQ(pairMark("OVERHEADS.R_02.wav").take, "02");
    EXPECT_EQ(pairMark("05_HatL2.wav").side, 0);
}

} // namespace
} // namespace cask
