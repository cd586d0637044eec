// What the values of a chain become when the drum is another one.
#pragma once

#include <core/session/parameters.h>
#include <core/session/session.h>
#include <optional>
#include <string>
#include <vector>

namespace cask::session {

/// What is known of the drum that a chain works on.
struct DrumFacts {
    std::optional<double> ownDb;  ///< median level of own hits as the chain gets them, dBFS
    std::optional<double> noteHz; ///< fundamental
    std::optional<double> bpm;
    friend bool operator==(const DrumFacts&, const DrumFacts&) = default;
};

/// What a value goes by.
enum class Follows { Nothing, Level, Note, Tempo };

/// Thresholds and ceilings go by the level of own hits; frequencies by the note; release, hold and decay by
/// the tempo. Attacks and look-aheads belong to the sound of a stroke and to the module, and stay.
[[nodiscard]] Follows followsOf(const ParameterInfo& info);
/// The same for the name of a stored value ("threshold_db", "17/threshold_db").
[[nodiscard]] bool isThreshold(std::string_view name);

/// One value that becomes another.
struct AdaptedValue {
    Id module = kNoId;
    std::string name; ///< "gate opens at", "repair band 2 frequency"
    const ParameterInfo* info = nullptr;
    double before = 0;
    double after = 0;
    Follows follows = Follows::Nothing;
};

struct AdaptedChain {
    std::vector<Module> chain;
    std::vector<AdaptedValue> values; ///< that change, in the order of the chain
    std::vector<std::string> notes;   ///< what could not be adapted, a sentence each
};

/// Partials above this many times the note belong to the stroke (stick, beater, air) and stay.
inline constexpr double kHighestPartial = 10;

/// A chain made for one drum, for another:
///   level L becomes L + (to.ownDb - from.ownDb),
///   frequency f becomes f * to.noteHz / from.noteHz, up to kHighestPartial times from.noteHz,
///   time t becomes t * from.bpm / to.bpm,
/// each within its range, also where a section has another value. Values that switch something off (a
/// detector cut at the end of its range) stay, and the level of what listens to a key. Where a fact is not
/// known on both sides its values stay, and a note says so.
[[nodiscard]] AdaptedChain adapted(std::vector<Module> chain, const DrumFacts& from, const DrumFacts& to);

} // namespace cask::session
