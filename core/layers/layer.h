// What a stack is made of: strikes in time, and layers that say which sound plays for which of them. Plain
// values; how they are stored says stack_file.h, how they sound stack_source.h.
#pragma once

#include <core/base/units.h>
#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

namespace cask::layers {

/// More than MIDI has: pieces of a loop have a note each.
inline constexpr int kMostNote = 9999;

/// One hit that plays layers.
struct Strike {
    double timeS = 0;
    double velocity = 127;           ///< 1 to 127, parts count: a level of 40 log10(velocity / 127) dB
    std::string hitClass = "normal"; ///< accent, normal, ghost, flam, roll
    int note = -1;                   ///< of a kit, to kMostNote; -1: the layer's
    friend bool operator==(const Strike&, const Strike&) = default;
};

/// Velocity of a level in dB under the loudest, and back.
[[nodiscard]] double velocityOf(double levelDb);
[[nodiscard]] double levelDbOf(double velocity);

/// What a layer is there for: it is judged by that.
enum class LayerPurpose { Any, Impact, Lows, Body, Tail, Texture };

enum class StrikeKind { All, Accents, NoGhosts, Ghosts };

/// When a layer plays. All of it must be so.
struct LayerRule {
    StrikeKind kind = StrikeKind::All;
    double lowVelocity = 0, highVelocity = 127;
    double fromS = 0, toS = 0;  ///< to 0: to the end
    int every = 1, first = 1;   ///< of those that are left: every Nth, beginning with this one
    bool neverInRolls = false;  ///< see isInRoll()
    double chancePercent = 100; ///< of those that are left
    std::uint64_t seed = 1;
    int lowNote = -1, highNote = kMostNote; ///< of strikes; one without a note is -1
    std::vector<int> notes{};               ///< of these alone; none: all between
    friend bool operator==(const LayerRule&, const LayerRule&) = default;
};

/// Whether a rule means strikes of a note.
[[nodiscard]] bool meansNote(const LayerRule& rule, int note);

inline constexpr double kMostSoundGainDb = 60;

/// A one-shot and the velocities for which it plays; several for one velocity are alternates.
struct LayerSound {
    std::filesystem::path file;
    double lowVelocity = 0, highVelocity = 127;
    double gainDb = 0; ///< up to kMostSoundGainDb, up or down
    friend bool operator==(const LayerSound&, const LayerSound&) = default;
};

struct Layer {
    std::string name;
    LayerPurpose purpose = LayerPurpose::Any;
    std::vector<LayerSound> sounds;
    std::filesystem::path kit; ///< instead of sounds: an SFZ file
    int note = 38;             ///< of the kit, where a strike has none
    int noteShift = 0;         ///< of a strike's own note to that of the kit
    bool isOn = true;
    bool isSpill = false; ///< what a microphone hears of other drums: its strikes are not the element's own

    double gainDb = 0;
    double pan = 0; ///< -1 to 1; both sides keep a gain of 1 in the middle
    bool isInverted = false;
    double offsetMs = 0; ///< later is positive
    bool atTransient =
        true; ///< the sound's transient meets the strike, else what lies leadMs behind its start
    double leadMs = 0;
    double startMs = 0; ///< of the file
    double endMs = 0;   ///< 0: its end
    double fadeInMs = 0, fadeOutMs = 0;
    double pitchCents = 0;
    bool keepsLength = false;           ///< of a shift in pitch
    double lengthPercent = 100;         ///< stretched to, with kept pitch, behind its attack
    double holdMs = 0;                  ///< behind the transient, before the decay
    double decayMs = 0;                 ///< to fall by 60 dB; 0: as it is
    double lowCutHz = 0, highCutHz = 0; ///< 24 dB per octave; 0: none
    double resonanceDb = 0;             ///< of both
    double driveDb = 0;                 ///< before the cuts
    double followPercent =
        100;                  ///< of the strikes' levels, dB for dB; of a kit its own tracking, so much of it
    double levelSpreadDb = 0; ///< by chance, up to so much up or down
    bool alternatesByChance = false; ///< else in turn
    /// Of layers of sounds (a kit has its own): what it ends when it begins, and what ends it; 0: nothing.
    int chokeGroup = 0, chokedBy = 0;
    LayerRule rule;
    friend bool operator==(const Layer&, const Layer&) = default;
};

/// A layer of one kit (SFZ), or of sounds that are alternates; called like the first.
[[nodiscard]] Layer layerOf(const std::vector<std::filesystem::path>& files);

struct Stack {
    std::vector<Strike> strikes; ///< by time
    double lengthS = 0;          ///< 0: to the end of what sounds
    std::vector<Layer> layers;
    std::string pattern{}; ///< stacks of one pattern share their strikes, note by note; empty: alone
    friend bool operator==(const Stack&, const Stack&) = default;
};

/// Whether a layer that is on is spill.
[[nodiscard]] bool hasSpill(const Stack& stack);
/// The strikes that are the element's own, by number: those that a layer may play which is no spill.
[[nodiscard]] std::vector<std::size_t> ownStrikes(const Stack& stack);

/// Whether a strike is of a roll: it is called one, or both of its neighbours are within kRollGapS.
inline constexpr double kRollGapS = 0.11;
[[nodiscard]] bool isInRoll(const std::vector<Strike>& strikes, std::size_t i);

/// The strikes for which a layer of this rule plays, by number.
[[nodiscard]] std::vector<std::size_t> strikesOf(const LayerRule& rule, const std::vector<Strike>& strikes);

} // namespace cask::layers
