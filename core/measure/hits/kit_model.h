// Who is in a take: drums, the microphones that stand at them, and the microphones that hear all.
#pragma once

#include <core/base/role.h>
#include <core/measure/hits/arrivals.h>
#include <core/measure/hits/band_trail.h>
#include <core/measure/hits/hit_class.h>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace cask::measure {

/// A hit that need not be found: a pattern says it.
struct GivenHit {
    double timeS = 0;                 ///< in the file, of its sound
    std::optional<HitClass> hitClass; ///< where the pattern tells classes apart
    std::string drum{};               ///< in a loop: see loopDrumFromName()
    friend bool operator==(const GivenHit&, const GivenHit&) = default;
};

/// One element as the hit analysis sees it.
struct HitInput {
    std::string name;
    Role role = Role::Unknown;
    std::vector<const BandTrail*> channels; ///< one or two, of one length
    double offsetS = 0;                     ///< of the file's start from the session's, shifts counted
    const std::vector<Arrival>* arrivals = nullptr; ///< in these channels, where they are known already
    double rightLaterS = 0;                       ///< the second channel begins so much later than the first
    const std::vector<GivenHit>* given = nullptr; ///< of an element that is played, by time
    bool hasSpill = false; ///< of the others that are played, as if it were a microphone
};

/// What can be struck. Several microphones may stand at one drum; some drums have none.
struct Drum {
    std::string name; ///< of its first microphone, or what it is ("hat") when it has none
    Role role = Role::Unknown;
    std::vector<int> inputs; ///< its own microphones, first the one that hears it best
    int loop = -1;         ///< the input that holds it among others, a kit of its own; -1 for all other drums
    bool isPlayed = false; ///< its hits are given
    [[nodiscard]] bool isMiked() const { return !inputs.empty(); }
};

struct KitModel {
    std::vector<Drum> drums;
    std::vector<int> drumOf;  ///< by input: its drum, or -1 for overheads, rooms and context
    std::vector<int> ambient; ///< inputs that hear all drums: overheads, else rooms, loops, anything unknown
    std::vector<int> listening; ///< inputs whose levels count when hits are explained
    std::vector<int> loops;     ///< inputs that hold a kit of their own: told apart each by itself
};

/// Microphones of one drum are joined (kick in, kick out and sub kick; snare top and bottom); every tom,
/// cymbal and percussion microphone is a drum of its own. Kick, snare, hat and cymbals without a microphone
/// are drums too when some microphone hears all. A loop beside microphones is a kit of its own; where no drum
/// has a microphone, the first that hears all is one.
[[nodiscard]] KitModel makeKitModel(std::span<const HitInput> inputs);

/// Whether an input's hits are given: its role is that of a drum, or not known.
[[nodiscard]] bool isPlayedDrum(const HitInput& input);
/// Played drums are not in the kit that is made: nothing is explained by them. They are added to it here,
/// each a drum of its own.
void addPlayedDrums(KitModel& kit, std::span<const HitInput> inputs);

/// How a drum of this role spreads over the bands in a microphone near it, as powers that add up to one: a
/// first guess from which the take's own hits lead away.
[[nodiscard]] std::array<float, kTrailBands> typicalBands(Role role);

} // namespace cask::measure
