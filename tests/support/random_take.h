// Made-up multi-microphone takes with their truth, far more varied than the demo kit.
#pragma once

#include <core/base/role.h>
#include <core/demo/drum_synth.h>
#include <core/demo/performance.h>
#include <string>
#include <vector>

namespace cask::test {

/// What a take is made of. Everything else comes from the seed.
struct TakeRecipe {
    unsigned long long seed = 1;
    double sampleRateHz = 48000;
    double seconds = 20;
    std::string groove = "rock"; ///< rock, sixteenths, shuffle, ghosts, train, toms, halftime, fast
    double spillDb = -18;        ///< hats under the snare in the snare's own microphone
    double ghostDb = -18;        ///< ghosts under accents
    double noiseDb = -75;        ///< of every microphone, against full scale
    double reverb = 1;           ///< late sound, times the usual
    bool hasHatMicrophone = true;
    bool hasTomMicrophones = true;
    bool hasRoomMicrophones = true;
    bool hasSecondMicrophones = true; ///< kick out, snare bottom
    bool isMinimal = false;           ///< kick, snare and overheads alone
    bool isWithoutSpill = false;      ///< programmed stems
    bool keepsOwn = false;            ///< fills TakeMicrophone::own
    double lateFileMs = 0;            ///< the first tom's file (or the hat's) is late by this
};

struct TakeMicrophone {
    std::string name;
    Role role = Role::Unknown;
    int drum = -1; ///< index into drums of the take; -1 for overheads and rooms
    std::vector<std::vector<float>> channels;
    double ownAccentDb = 0;                   ///< peak of the strongest own stroke
    std::vector<std::vector<float>> own = {}; ///< what its drum alone gives it; see TakeRecipe::keepsOwn
};

/// One stroke as it is heard in its own microphone.
struct TrueHit {
    int drum = 0;
    double timeS = 0; ///< of the stroke at the drum
    double velocity = 0;
    std::string kind; ///< accent, normal, ghost, flam, drag, roll
    double onsetS =
        0; ///< the definition of an onset applied to the clean stroke, without the way to a microphone
};

/// How a drum is tuned; 0 where there is nothing of the kind.
struct TrueTone {
    double fundamentalHz = 0; ///< of the struck side
    double ringHz = 0;        ///< planted: a partial that outlasts the rest
};

struct RandomTake {
    TakeRecipe recipe;
    std::string difficulty; ///< for reports
    double tempoBpm = 0;
    double swingPercent = 50; ///< place of the off-beat eighth in its beat
    double firstBarS = 0;
    std::vector<std::string> drums; ///< kick, snare, hat, rack tom 1 ...
    std::vector<TrueTone> tones;    ///< by drum
    std::vector<TakeMicrophone> microphones;
    std::vector<TrueHit> hits; ///< by time
    /// Time from drum to microphone through the air and, where planted, the file.
    std::vector<std::vector<double>> delayS; ///< [drum][microphone]
};

/// 48 recipes that differ in everything; the same each time. Another salt gives others, which nothing was
/// fitted to.
[[nodiscard]] std::vector<TakeRecipe> takeRecipes(unsigned long long salt = 77);
[[nodiscard]] RandomTake makeRandomTake(const TakeRecipe& recipe);
/// The demo kit's take with its truth in the same form; ways of sound are only near.
[[nodiscard]] RandomTake demoAsTake(unsigned long long seed);

} // namespace cask::test
