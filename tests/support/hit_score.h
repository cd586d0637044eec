// How well a hit analysis agrees with the truth of a made-up take.
#pragma once

#include <core/measure/hits/kit_hits.h>
#include <string>
#include <tests/support/random_take.h>
#include <vector>

namespace cask::test {

/// Trails of all microphones of a take, and the inputs that speak of them.
struct TakeTrails {
    std::vector<std::vector<measure::BandTrail>> trails;
    std::vector<measure::HitInput> inputs;
};
[[nodiscard]] TakeTrails trailsOf(const RandomTake& take);

/// Counts over own hits of the drums that have a close microphone (the first one of each), matched one to one
/// within 10 ms of the onset that the clean stroke has there.
struct Score {
    int right = 0;
    int extra = 0;
    int missed = 0;
    int ghostsRight = 0; ///< ghosts and drags
    int ghostsMissed = 0;
    int ownersRight = 0; ///< over every arrival that is reported in a close microphone
    int ownersWrong = 0;
    int openHatsRight = 0; ///< hats that have no microphone
    int openHatsMissed = 0;
    int openHatsExtra = 0;
    std::vector<double> errorsMs; ///< of those that are right, absolute
    std::string worst;            ///< microphone with the lowest F
    double worstF = 1;

    void add(const Score& other);
    [[nodiscard]] double f() const;
    [[nodiscard]] double ghostRecall() const;
    [[nodiscard]] double ownerShare() const;
    [[nodiscard]] double medianErrorMs() const;
    [[nodiscard]] std::string text() const;
};

[[nodiscard]] Score scoreTake(const RandomTake& take, const measure::KitHits& hits, bool prints = false);

} // namespace cask::test
