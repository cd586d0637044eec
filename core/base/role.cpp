#include "core/base/role.h"

#include <algorithm>
#include <array>

namespace cask {
namespace {

constexpr std::array kRoles = {
    RoleInfo{Role::KickIn, "kick_in", "kick in", 'k', RoleGroup::Shells},
    RoleInfo{Role::KickOut, "kick_out", "kick out", 'j', RoleGroup::Shells},
    RoleInfo{Role::SubKick, "sub_kick", "sub kick", 'u', RoleGroup::Shells},
    RoleInfo{Role::SnareTop, "snare_top", "snare top", 's', RoleGroup::Shells},
    RoleInfo{Role::SnareBottom, "snare_bottom", "snare bottom", 'd', RoleGroup::Shells},
    RoleInfo{Role::SideStick, "side_stick", "side-stick", 'i', RoleGroup::Shells},
    RoleInfo{Role::Clap, "clap", "clap", 'a', RoleGroup::Shells},
    RoleInfo{Role::ClosedHat, "closed_hat", "hat", 'h', RoleGroup::Cymbals},
    RoleInfo{Role::OpenHat, "open_hat", "open hat", 'n', RoleGroup::Cymbals},
    RoleInfo{Role::RackTom, "rack_tom", "rack tom", 't', RoleGroup::Shells},
    RoleInfo{Role::FloorTom, "floor_tom", "floor tom", 'f', RoleGroup::Shells},
    RoleInfo{Role::Ride, "ride", "ride", 'e', RoleGroup::Cymbals},
    RoleInfo{Role::Crash, "crash", "crash", 'c', RoleGroup::Cymbals},
    RoleInfo{Role::Overhead, "overhead", "overhead", 'o', RoleGroup::Cymbals},
    RoleInfo{Role::Room, "room", "room", 'r', RoleGroup::Rooms},
    RoleInfo{Role::Percussion, "percussion", "percussion", 'p', RoleGroup::Shells},
    RoleInfo{Role::Loop, "loop", "loop", 'l', RoleGroup::Shells},
    RoleInfo{Role::Effect, "effect", "effect", 'x', RoleGroup::Rooms},
    RoleInfo{Role::Bass, "bass", "bass", 'b', RoleGroup::Context},
    RoleInfo{Role::Music, "music", "music", 'm', RoleGroup::Context},
    RoleInfo{Role::Voice, "voice", "voice", 'v', RoleGroup::Context},
    RoleInfo{Role::Guide, "guide", "guide", 'g', RoleGroup::Aside},
    RoleInfo{Role::Click, "click", "click", 'q', RoleGroup::Aside},
    RoleInfo{Role::Talkback, "talkback", "talkback", 'w', RoleGroup::Aside},
    RoleInfo{Role::Reference, "reference", "reference", 'y', RoleGroup::Aside},
    RoleInfo{Role::Unknown, "unknown", "not known", 'z', RoleGroup::Shells},
};

} // namespace

std::span<const RoleInfo> allRoles() {
    return kRoles;
}

const RoleInfo& roleInfo(Role role) {
    return *std::find_if(kRoles.begin(), kRoles.end(), [&](const RoleInfo& i) { return i.role == role; });
}

std::optional<Role> roleFromId(std::string_view id) {
    const auto it = std::find_if(kRoles.begin(), kRoles.end(), [&](const RoleInfo& i) { return i.id == id; });
    return it == kRoles.end() ? std::nullopt : std::optional(it->role);
}

} // namespace cask
