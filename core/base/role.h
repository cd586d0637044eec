// What an element is: the roles of a kit.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>

namespace cask {

enum class Role {
    Unknown,
    KickIn,
    KickOut,
    SubKick,
    SnareTop,
    SnareBottom,
    SideStick,
    Clap,
    ClosedHat,
    OpenHat,
    RackTom,
    FloorTom,
    Ride,
    Crash,
    Overhead,
    Room,
    Percussion,
    Loop,
    Effect,
    Bass,
    Music,
    Voice,
    // Never mixed.
    Guide,
    Click,
    Talkback,
    Reference,
};

/// Where an element of a role goes when a kit is taken in.
enum class RoleGroup {
    Shells,
    Cymbals,
    Rooms,
    Context,
    Aside, ///< stays out of the mix and of every measure of it
};

struct RoleInfo {
    Role role;
    std::string_view id;   ///< stored: do not change
    std::string_view name; ///< as people read it
    char key;              ///< the key that sets it on the Intake bench
    RoleGroup group;
};

/// A microphone of the kick.
[[nodiscard]] constexpr bool isKick(Role role) {
    return role == Role::KickIn || role == Role::KickOut;
}

/// All roles in the order of a kit.
[[nodiscard]] std::span<const RoleInfo> allRoles();
[[nodiscard]] const RoleInfo& roleInfo(Role role);
/// Whether it is part of the mix: not a click, talkback, guide or reference.
[[nodiscard]] inline bool isMixed(Role role) {
    return roleInfo(role).group != RoleGroup::Aside;
}
/// Whether it is part of the kit: mixed, and not bass, music or voice.
[[nodiscard]] inline bool isOfKit(Role role) {
    return isMixed(role) && roleInfo(role).group != RoleGroup::Context;
}
[[nodiscard]] std::optional<Role> roleFromId(std::string_view id);

struct RoleGuess {
    Role role = Role::Unknown;
    double confidence = 0; ///< 0 = no idea, 1 = the name says so in full
};

/// Reads a role from a file's name ("02 Sn Top_03.wav" is the top of a snare), whatever its case and
/// separators.
[[nodiscard]] RoleGuess guessRoleFromName(std::string_view fileName);

/// Which side of a left/right pair a name speaks of, and the name without that mark.
struct PairMark {
    char side = 0; ///< 'L', 'R' or 0
    std::string stem;
    std::string take; ///< digits that stand behind the side
};
[[nodiscard]] PairMark pairMark(std::string_view fileName);

} // namespace cask
