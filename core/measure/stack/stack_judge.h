// Several one-shots that act as one: who owns the lows, who makes the attack, who changes nothing.
#pragma once

#include <array>
#include <core/base/progress.h>
#include <core/base/units.h>
#include <core/measure/sound.h>
#include <core/measure/stack/one_shot_alignment.h>
#include <optional>
#include <vector>

namespace cask::measure {

/// Centres of the thirds of an octave in which layers have their shares, Hz.
[[nodiscard]] std::vector<double> stackThirdsHz();

/// A high-pass (24 dB per octave) that leaves the lows to their owner, and what it does to the sum in line,
/// dB: to its first 10 ms, and to what lies below kLowAttackHz of the first 50 ms.
struct LayerLowCut {
    double hz = 0;
    double attackDb = 0;
    double lowAttackDb = 0;
};

/// Of one layer. Shares are of the energies of all layers together, each by itself at its own level, 0-1.
struct LayerPart {
    OneShotAlignment alignment; ///< with the first; the first has a shift of 0
    double onsetMs = 0;         ///< in its file
    double lengthMs = 0;        ///< from the onset until it stays 40 dB under its peak
    double peakDb = kSilenceDb; ///< dBFS; kSilenceDb: there is nothing in it
    double gainDb = 0;          ///< that makes it as loud as the first (energy, K-weighted by BS.1770)
    double lowShare = 0;        ///< below StackJudgement::kLowHz
    std::vector<double> thirdShares;
    double attackShare = 0; ///< first 10 ms behind its onset
    double bodyShare = 0;   ///< 10 to 120 ms
    double tailShare = 0;   ///< later
    /// What the sum in line loses without it: of its loudness, and of the third of an octave that loses most,
    /// dB.
    double lostDb = 0;
    double mostLostDb = 0;
    double mostLostHz = 0;
    /// For a layer beside the owner of the lows that has more than kSparedShare of them: of the corners that
    /// leave it less, the one that costs least of the attack.
    std::optional<LayerLowCut> lowCut;
    static constexpr double kSparedShare = 0.05;
};

struct StackJudgement {
    static constexpr double kLowHz = 120;
    static constexpr double kAttackS = 0.010;
    static constexpr double kLowAttackHz = 200;

    std::vector<LayerPart> layers; ///< one for each sound; a silent one has no shares
    int lowEndOwner = -1;          ///< the layer with most of the lows; -1: there are none
    int strongest = -1;            ///< the layer with most energy in the first 10 ms
    /// Energy of the first 10 ms of the sum against the strongest layer alone, dB, and of what of the first
    /// 50 ms lies below kLowAttackHz: as the files start together, and put in line.
    double attackDb = 0, lowAttackDb = 0;
    double attackInLineDb = 0, lowAttackInLineDb = 0;
};

/// Energy of all channels as loudness weighs it (K-weighting of BS.1770), frames times full scale squared.
[[nodiscard]] double weightedEnergy(const Sound& sound, double rateHz);

/// Sounds of one rate that start together. Cancelled: what was found so far.
[[nodiscard]] StackJudgement judgeStack(const std::vector<Sound>& layers, double rateHz,
                                        const CancelToken& cancel = {});

} // namespace cask::measure
