// A pattern edited stroke by stroke, as hits of a recording are.
#pragma once

#include <core/layers/layer.h>
#include <string>
#include <vector>

namespace cask::layers {

/// One strike, named by its time: the nearest within kStrikeReachS.
struct StrikeEdit {
    enum class Kind { Add, Remove, Move, Class } kind = Kind::Add;
    double timeS = 0;
    double byS = 0;       ///< of a move
    std::string hitClass; ///< accent, normal, ghost, flam, roll
};
inline constexpr double kStrikeReachS = 0.03;

/// Which strike an edit means, of its own ones; -1: none is near. Of an Add always -1.
[[nodiscard]] int strikeMeant(const Stack& stack, const StrikeEdit& edit);

/// One that is added is as loud as others of its class are (median), of the note that most have; one whose
/// class changes becomes as loud as those of that class, in the lack of any an accent 120, a ghost 40, else
/// 96. Edits that mean no strike are left out; `applied` gets the number of the others.
[[nodiscard]] Stack withStrikeEdits(Stack stack, const std::vector<StrikeEdit>& edits,
                                    int* applied = nullptr);

/// Another stack of the same pattern with the strikes of one that was edited: of all notes that are that
/// one's own, and that this one has strikes of or a layer for.
[[nodiscard]] Stack withSharedStrikes(Stack other, const Stack& before, const Stack& edited);

} // namespace cask::layers
