// How loud each drum is in each microphone.
#pragma once

#include <core/measure/hits/kit_hits.h>

namespace cask::measure {

struct SpillCell {
    double levelDb = 0;     ///< median over hits: level in the microphone against the drum's own, dB
    double spreadDb = 0;    ///< half of what lies between the 16th and the 84th percentile
    int count = 0;          ///< hits looked at: those where the drum plays alone; 0 beside what is played
    bool isDrowned = false; ///< most were no louder than the noise there: it is at most this
};

/// What a gate in a microphone has to work with.
struct MicrophoneRoom {
    double floorDb = kSilenceDb;   ///< noise: 10th percentile of 50 ms stretches, dBFS
    double ownDb = kSilenceDb;     ///< median level of own accents (or of all own hits when there are none)
    double softestDb = kSilenceDb; ///< 10th percentile of own hits
    double spillDb = kSilenceDb;   ///< loudest other drum: its accents as heard here
    int spillDrum = -1;
    [[nodiscard]] double roomDb() const {
        return softestDb - spillDb;
    } ///< between softest own hits and spill
};

struct SpillTable {
    std::vector<std::vector<SpillCell>> cells; ///< [drum][input]
    std::vector<MicrophoneRoom> rooms;         ///< by input
};

[[nodiscard]] SpillTable makeSpillTable(const KitHits& hits, std::span<const HitInput> inputs);

} // namespace cask::measure
