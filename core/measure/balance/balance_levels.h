// Levels at which each drum of a kit is as loud as wished for, all microphones that hear it counted.
#pragma once

#include <core/measure/balance/kit_powers.h>
#include <vector>

namespace cask::measure {

/// A channel of an element: how much of it reaches both sides while the element stands at 0 dB.
struct BalanceChannel {
    int element = 0;
    double left = 0;
    double right = 0;
};

/// What is wished of a drum.
struct BalanceWish {
    double lufs = -20; ///< of its own strokes, in the sum
    /// Microphones that stand at it, the leading one first; none where only others hear it.
    std::vector<int> elements;
    double secondDb = -6; ///< of every further one against the leading one, by this drum's loudness in them
};

struct BalanceAsked {
    std::vector<BalanceChannel> channels; ///< in the order of the powers
    std::vector<BalanceWish> drums;       ///< by drum
    std::vector<int> overheads;           ///< elements; their relations stay
    std::vector<int> rooms;
    /// Of a drum with microphones in the overheads, against what is wished of it: at most, and where no
    /// cymbal without a microphone says how loud they should be.
    double overheadsMostDb = -6;
    double overheadsDb = -10;
    double roomsDb = -14; ///< of the same in the rooms
    /// Of other drums in a drum's own microphones, against what is wished of them: at most.
    double spillMostDb = -2;
    /// What a drum's own microphones give of it at least where others carry it, against what is wished.
    double ownLeastDb = -12;
};

/// How loud a drum becomes.
struct BalancedDrum {
    double lufs = kSilenceDb;
    double ownLufs = kSilenceDb; ///< in its own microphones alone
    bool isKnown = false;        ///< enough strokes of it were heard, and something of it
    bool isHeld = false;         ///< its own microphones would bring too much of other drums
    /// Its own microphones are louder than all others together: they decide how loud it is.
    bool isLed = false;
};

struct BalanceLevels {
    std::vector<double> levelDb; ///< by element; of those that nothing tells of kSilenceDb
    std::vector<bool> isSet;     ///< by element: something told how loud it should be
    std::vector<BalancedDrum> drums;
    bool areOverheadsHeld =
        false; ///< cymbals stay softer than wished, for other drums to be led by their own
};

/// Strokes from which on a drum's loudness is known.
inline constexpr int kFewestBalanceStrokes = 3;

[[nodiscard]] BalanceLevels findLevels(const KitPowers& powers, const BalanceAsked& asked);
/// How loud drums are at such levels (dB, by element).
[[nodiscard]] std::vector<BalancedDrum> drumsAt(const KitPowers& powers, const BalanceAsked& asked,
                                                std::span<const double> levelDb);

} // namespace cask::measure
