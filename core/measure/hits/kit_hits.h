// Every hit of a take: which drum, when, how strong, and where else it was heard.
#pragma once

#include <core/base/parallel.h>
#include <core/base/progress.h>
#include <core/measure/hits/hit_class.h>
#include <core/measure/hits/kit_model.h>
#include <core/measure/hits/own_looks.h>
#include <core/measure/hits/side_lags.h>
#include <vector>

namespace cask::measure {

/// A stroke as one microphone heard it.
struct HeardHit {
    int input = 0;
    int drum = -1;      ///< that made it; -1 when nothing explains it
    int stroke = -1;    ///< index into KitHits::strokes
    bool isOwn = false; ///< the microphone stands at that drum, or the drum has none and this one hears all
    double timeS = 0;   ///< onset in this microphone, session time
    double levelDb = 0; ///< peak of the 20 ms after the onset, dBFS
    double confidence = 0;
};

/// Of a stroke in a loop that was added by hand: it gets the level of the loop there.
inline constexpr double kUnmeasuredDb = -900;

/// One physical hit.
struct DrumHit {
    int drum = 0;
    /// Onset in the drum's first microphone that heard it, session time; a late file is put right.
    double timeS = 0;
    double levelDb = 0;
    double velocity = 0;
    HitClass hitClass = HitClass::Normal;
    double confidence = 0;
    bool isAlone = false;                 ///< no other within 60 ms that could be in its sound
    std::optional<HitClass> givenClass{}; ///< by a pattern: stands over what is measured
};

/// Where the classes of a drum part, dBFS; from its own hits.
struct ClassLimits {
    double accentDb = 200; ///< accents are at least so loud; above all hits when there is no such group
    double ghostDb = -200; ///< ghosts are softer; under all hits when there is no such group
    double fullDb = 0;     ///< velocity 1
};

struct KitHits {
    KitModel kit;
    std::vector<DrumHit> strokes;    ///< by time
    std::vector<HeardHit> heard;     ///< by time
    std::vector<ClassLimits> limits; ///< by drum
    /// Peak of the 20 ms in which each stroke was heard in each input, dBFS; [stroke * inputs + input]
    std::vector<float> levelsDb;
    int inputs = 0;
    [[nodiscard]] double levelDb(std::size_t stroke, int input) const {
        return levelsDb[stroke * static_cast<std::size_t>(inputs) + static_cast<std::size_t>(input)];
    }
    std::vector<double> lagS;      ///< by input: its file is late by this against the rest (see findFileLags)
    std::vector<SideLag> sideLags; ///< by input: one of its two channels is late against the other
};

/// Called with each part of a kit and what its drums' own strokes are told by, before they are: for teaching.
using OwnObserver = std::function<void(const KitModel&, const std::vector<Moment>&, const OwnLooks&)>;

/// Explains all microphones together (see Patterns): patterns and hits are estimated in turn, a few times.
/// All `inputs` are of one take; each may begin and end where it likes. The result is the same however the
/// work is shared out.
[[nodiscard]] KitHits findKitHits(std::span<const HitInput> inputs, const CancelToken& cancel = {},
                                  const ParallelFor& parallel = oneByOne, const OwnObserver& observe = {});

/// Levels, classes and order of all strokes anew, after some were changed.
void finishHits(KitHits& hits, std::span<const HitInput> inputs);

} // namespace cask::measure
