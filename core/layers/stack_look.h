// A stack looked at around one of its strikes, and its layers placed over all of them.
#pragma once

#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/layers/layer.h>
#include <core/measure/stack/layer_place.h>
#include <core/measure/stack/stack_judge.h>
#include <optional>
#include <vector>

namespace cask::layers {

/// One strike through each layer alone, from kBeforeMs before it on.
struct StackLook {
    static constexpr double kBeforeMs = 50;
    static constexpr double kAfterMs = 600;

    /// Of a layer's sound as it is played, around the strike; both 0 where it is off.
    struct Extent {
        double fromMs = 0, toMs = 0;
    };
    double rateHz = 48000;
    std::size_t strike = 0;
    std::vector<measure::Sound> sounds; ///< by layer; empty where it is off
    std::vector<Extent> extents;
    std::vector<double> notesHz; ///< 0: it has none
    measure::StackJudgement judged;
    /// What the sum's attack gains if the sum is half as long and as loud, dB.
    double halfLengthDb = 0;
};

/// The strike at which most layers play, of these the loudest.
[[nodiscard]] StackLook lookAtStack(const Stack& stack, double rateHz);

/// What a layer has of what it is there for.
struct PurposeVerdict {
    double share = 0; ///< of the attack, the lows, the body or the tail of all layers, 0-1
    bool isMet =
        false; ///< no layer has more of it; texture: without it a third from kTextureHz on loses 1 dB
};
inline constexpr double kTextureHz = 1000;
/// Nothing of a layer that is there for nothing in particular, or that is silent.
[[nodiscard]] std::optional<PurposeVerdict>
purposeVerdict(LayerPurpose purpose, const measure::StackJudgement& judged, std::size_t layer);

/// How far a note lies from the nearest octave of another, cents, -600 to 600. REQUIRES: both over 0.
[[nodiscard]] double centsFromOctave(double hz, double ofHz);

/// Where a layer lies best under all the others, over the strikes that it plays. An error names the sound
/// that can't be read; nothing where it or all others are silent.
[[nodiscard]] Result<std::optional<measure::LayerPlace>>
bestPlaceOf(const Stack& stack, std::size_t layer, double rateHz, const CancelToken& cancel = {});

/// A layer moved there.
[[nodiscard]] Layer placed(Layer layer, const measure::LayerPlace& place);

} // namespace cask::layers
