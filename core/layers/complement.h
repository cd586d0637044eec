// Which other sound makes the most of one: judged in their sum.
#pragma once

#include <core/layers/shelf.h>
#include <core/measure/sound.h>
#include <core/measure/stack/kick_on_bass.h>
#include <span>
#include <vector>

namespace cask::layers {

/// Two sounds as a stack, the second at the loudness of the first and in line with it.
struct PairScore {
    double score = 0;  ///< fillDb + attackDb - kLowClashDb lowClash; a copy is worth nothing
    double fillDb = 0; ///< mean rise of the thirds of an octave in which the first is weak, each up to 12 dB
    double attackDb = 0; ///< first 10 ms of the sum against the stronger one alone
    double lowClash = 0; ///< the lesser of both shares of the lows, 0 to 0.5
    double gainDb = 0;   ///< of the second
    double shiftMs = 0;
    bool isInverted = false;
    bool isCopy = false;

    static constexpr double kLowClashDb = 20;
    static constexpr double kCopyDb = -100;
    static constexpr double kWeakDb = 12; ///< under the first one's strongest third
};
/// Sounds of one rate.
[[nodiscard]] PairScore scorePair(const measure::Sound& first, const measure::Sound& second, double rateHz);

struct Partner {
    ShelfSound sound;
    PairScore score;
};
/// Best first. All of the shelf is ranked by its shapes, the best `measured` of that by their sum.
[[nodiscard]] Result<std::vector<Partner>> partnersOf(const Shelf& shelf, const std::filesystem::path& file,
                                                      int measured, const CancelToken& cancel = {},
                                                      const ProgressFn& progress = {});

/// A kick of the shelf on a bass, at the loudness of the kick that is there.
struct KickProposal {
    ShelfSound sound;
    measure::KickOnBass on;
    double gainDb = 0;
};
/// Best first, of all kicks on the shelf. `kickDb`: energy of one stroke of the kick that is there, as
/// loudness weighs it, dB (frames times full scale squared).
[[nodiscard]] Result<std::vector<KickProposal>> kicksOnBass(const Shelf& shelf, std::span<const float> bass,
                                                            std::span<const double> strikesS, double kickDb,
                                                            double rateHz, const CancelToken& cancel = {},
                                                            const ProgressFn& progress = {});

} // namespace cask::layers
