// A loop as material: cut at its hits, moved and stretched, put together anew as a stack of its pieces.
#pragma once

#include <core/base/result.h>
#include <core/base/units.h>
#include <core/layers/layer.h>
#include <core/measure/hits/tempo.h>
#include <string>
#include <vector>

namespace cask::layers {

/// A hit of a loop; seconds of its file.
struct CutHit {
    double timeS = 0;
    double levelDb = 0;
    std::string drum;     ///< kick, snare, hat ...
    std::string hitClass; ///< see Strike
};

/// From a little before one hit to the beginning of the next. Neighbours lie over each other by kCutFadeMs,
/// in which one fades out as the other fades in: together they are the loop.
struct LoopPiece {
    Frames hit = 0;                  ///< of the file
    Frames from = 0, to = 0;         ///< of the file; `from` may lie before its start, where it is silent
    std::vector<std::string> drums;  ///< that are struck together here; none before the first hit
    std::string hitClass = "normal"; ///< of the loudest
    /// "kick + hat"; "start" of none
    [[nodiscard]] std::string name() const;
};
inline constexpr double kCutLeadMs = 5;  ///< of a piece before its hit
inline constexpr double kCutFadeMs = 4;  ///< over by the time it is struck
inline constexpr double kOneHitS = 0.03; ///< hits so near are of one piece
inline constexpr std::size_t kMostPieces = 1000;

/// Pieces in time, without gaps from the first frame to the last. What stands before the first hit is a piece
/// of its own where it is longer than what leads to a hit.
[[nodiscard]] std::vector<LoopPiece> cutAtHits(std::vector<CutHit> hits, Frames frames, double rateHz);

/// How the pieces are put together.
struct LoopFit {
    double tightenPercent = 0; ///< of the way to the grid
    int stepsPerBeat = 4;
    double shufflePercent = 50;       ///< where every second step lies between its neighbours; 50 is straight
    double bpm = 0;                   ///< to which the loop is brought; 0: its own
    bool isStretched = true;          ///< pieces become longer or shorter with the tempo
    int repeats = 1;                  ///< so many times after each other, in whole beats
    std::vector<std::string> dropped; ///< drums
    double lowCutHz = 0;              ///< of all pieces
    /// Of pieces in which a kick that is dropped plays together with another drum.
    double besideKickHz = 180;
};

struct LoopMade {
    /// A layer for each of LoopPiece::name() (of more than a kit has notes, several), with a kit of its
    /// pieces.
    Stack stack;
    std::vector<int> notes;     ///< by piece: that of its strikes, of no other piece
    int dropped = 0;            ///< pieces that are silent
    int besides = 0;            ///< pieces that are kept because another drum plays in them too
    double lengthPercent = 100; ///< of the pieces
};

/// Kits in `folder`, to be written there, play each piece at its note, whole, as loud as it is. Times of the
/// tempo and of `startS`, where the file's first frame lies, are of the session; so are the strikes'. Errors:
/// a tempo or tighter hits asked of a loop whose tempo is not known.
[[nodiscard]] Result<LoopMade> loopStack(const std::vector<LoopPiece>& pieces, double startS, double rateHz,
                                         const measure::Tempo& tempo, const LoopFit& fit,
                                         const std::filesystem::path& folder);

/// The drums of a loop that are heard in a layer of its pieces; none of any other layer.
[[nodiscard]] std::vector<std::string> drumsOfLayer(const Layer& layer);

/// The text of a layer's kit; `files` by piece.
[[nodiscard]] std::string loopKit(const LoopMade& made, std::size_t layer,
                                  const std::vector<std::string>& files);

} // namespace cask::layers
