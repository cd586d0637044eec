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
    testing::Values(NameCase{"01_Kick In.wav", Role::KickIn}, NameCase{"KICK-OUT_02.WAV", Role::KickOut},
                    NameCase{"BD.wav", Role::KickIn}, NameCase{"KickOut.flac", Role::KickOut},
                    NameCase{"sub kick.wav", Role::SubKick}, NameCase{"02 Sn Top_03.wav", Role::SnareTop},
                    NameCase{"SnareBtm.aif", Role::SnareBottom},
                    NameCase{"snare_under.wav", Role::SnareBottom}, NameCase{"Hi-Hat.wav", Role::ClosedHat},
                    NameCase{"HH open.wav", Role::OpenHat}, NameCase{"Tom 1.wav", Role::RackTom},
                    NameCase{"FloorTom.wav", Role::FloorTom}, NameCase{"low tom.wav", Role::FloorTom},
                    NameCase{"OH L.wav", Role::Overhead}, NameCase{"Overheads.wav", Role::Overhead},
                    NameCase{"Room R.wav", Role::Room}, NameCase{"Bass DI.wav", Role::Bass},
                    NameCase{"bass drum.wav", Role::KickIn}, NameCase{"Ride.wav", Role::Ride},
                    NameCase{"crash 2.wav", Role::Crash}, NameCase{"lead vox.wav", Role::Voice},
                    NameCase{"cross stick.wav", Role::SideStick},
                    NameCase{"\xe5\xa4\xaa\xe9\xbc\x93.wav", Role::Unknown},
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
    EXPECT_EQ(pairMark("snare.wav").side, 0);
    EXPECT_EQ(pairMark("vocal.wav").side, 0);
}

} // namespace
} // namespace cask
