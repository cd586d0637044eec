#include "core/advise/role_guess.h"

#include "core/session/edits.h"

namespace cask::advise {
namespace {

constexpr double kClearly = 0.55;

/// Roles that sound alike: one microphone of a drum is not told from another.
int family(Role role) {
    switch (role) {
    case Role::KickIn:
    case Role::KickOut:
    case Role::SubKick:
        return 1;
    case Role::SnareTop:
    case Role::SnareBottom:
    case Role::SideStick:
    case Role::Clap:
        return 2;
    case Role::RackTom:
    case Role::FloorTom:
        return 3;
    case Role::ClosedHat:
    case Role::OpenHat:
    case Role::Ride:
    case Role::Crash:
        return 4;
    case Role::Overhead:
    case Role::Room:
        return 5;
    case Role::Bass:
        return 6;
    default:
        return 0; // may sound like anything
    }
}

/// A name is seldom wrong, and a microphone that hears its neighbours, or a deep snare, sounds like another
/// drum: only low drums and metal are never taken for each other.
bool areFarApart(Role a, Role b) {
    const auto isLow = [](Role role) { return family(role) == 1 || family(role) == 3 || family(role) == 6; };
    const auto isMetal = [](Role role) { return family(role) == 4; };
    return (isLow(a) && isMetal(b)) || (isMetal(a) && isLow(b));
}

} // namespace

RoleGuess guessRole(const session::SourceFile& file, const measure::FileFacts& facts) {
    return file.channels > 2 ? RoleGuess{} : measure::guessRoleFromSound(facts.strike, file.channels);
}

session::Session withRoleFromSound(session::Session s, session::Id file, const measure::FileFacts& facts) {
    const auto* source = s.file(file);
    if (source == nullptr)
        return s;
    const RoleGuess guess = guessRole(*source, facts);
    for (const auto& e : std::vector(s.elements))
        if (e->channels.front().file == file)
            s = session::withGuessedRole(std::move(s), e->id, guess);
    return s;
}

std::optional<RoleGuess> roleDoubt(const session::Element& element, const session::SourceFile& file,
                                   const measure::FileFacts& facts) {
    const RoleGuess heard = guessRole(file, facts);
    if (element.roleConfidence >= 1 || heard.confidence < kClearly || !areFarApart(element.role, heard.role))
        return std::nullopt;
    return heard;
}

} // namespace cask::advise
