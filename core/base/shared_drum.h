// Roles whose microphones hear one drum.
#pragma once

#include <core/base/role.h>

namespace cask {

/// The first role of the drum that a microphone hears; others stand for themselves.
[[nodiscard]] constexpr Role sharedDrum(Role role) {
    switch (role) {
    case Role::KickOut:
    case Role::SubKick:
        return Role::KickIn;
    case Role::SnareBottom:
        return Role::SnareTop;
    default:
        return role;
    }
}

[[nodiscard]] constexpr bool isTom(Role role) {
    return role == Role::RackTom || role == Role::FloorTom;
}

} // namespace cask
