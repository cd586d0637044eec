// Every parameter with its name, unit, range and words.
#include "core/session/field_rows.h"
#include "core/session/parameters.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace cask::session {
namespace {

using enum ParameterKind;
using dsp::CeilingSettings;
using dsp::EqBand;
using dsp::FilterKind;

// Stored names in the order of FilterKind: do not change.
constexpr std::array<std::string_view, 8> kFilterKinds = {"bell",     "low_shelf", "high_shelf", "high_pass",
                                                          "low_pass", "notch",     "band_pass",  "tilt"};
constexpr std::array<std::string_view, 8> kFilterWords = {"bell",     "low shelf", "high shelf", "high-pass",
                                                          "low-pass", "notch",     "band-pass",  "tilt"};
// In the order of StereoPart: do not change.
constexpr std::array<std::string_view, 3> kParts = {"both", "middle", "side"};
constexpr std::array<std::string_view, 3> kPartWords = {"both sides", "the middle", "the sides"};

// In the order of Dynamics: do not change.
constexpr std::array<std::string_view, 3> kDynamics = {"none", "above", "below"};
constexpr std::array<std::string_view, 3> kDynamicsWords = {"steady", "when loud", "when soft"};

template <auto Member, std::size_t N>
constexpr auto choice(std::string_view id, std::string_view words,
                      const std::array<std::string_view, N>& stored,
                      const std::array<std::string_view, N>& read, std::string_view help) {
    return row<Member>({id, words, Choice, Unit::None, 0, static_cast<double>(N - 1), 0, Scale::Linear, 1,
                        stored, help, read});
}

constexpr std::array kInputFields = {
    number<&InputSettings::trimDb>("trim_db", "trim", Unit::Decibel, {-40, 40, 0}, 0.5,
                                   "Level of the file before anything else."),
    onOff<&InputSettings::isInverted>("inverted", "polarity inverted", "Turns the waveform upside down."),
    number<&InputSettings::shiftMs>("shift_ms", "shift", Unit::Milliseconds, {-500, 500, 0}, 0.05,
                                    "Moves the file in time; later is positive, parts of a sample count."),
    onOff<&InputSettings::removesDc>("removes_dc", "remove DC",
                                     "Takes out a constant offset with a 5 Hz high-pass."),
};

constexpr std::array kOutputFields = {
    number<&Output::levelDb>("level_db", "level", Unit::Decibel, {-80, 24, 0}, 0.5,
                             "Strength with which it reaches its bus."),
    number<&Output::pan>("pan", "position", Unit::Pan, {-1, 1, 0}, 0.05,
                         "Constant power for mono (-3 dB in the centre); balance for stereo."),
    number<&Output::widthPercent>("width_percent", "width", Unit::Percent, {0, 200, 100}, 5,
                                  "Of a stereo element: 0 % is mono, 100 % as it is."),
    onOff<&Output::isMuted>("muted", "silent", "Sends nothing anywhere."),
    onOff<&Output::isAlone>("alone", "heard alone",
                            "The other elements fall silent; buses stay as they are."),
};

constexpr std::array kSendFields = {
    number<&Send::levelDb>("level_db", "send level", Unit::Decibel, {-80, 24, 0}, 0.5,
                           "Strength of the copy."),
    onOff<&Send::isBeforeLevel>("before_level", "before level",
                                "The copy is taken before the element's own level."),
};

constexpr std::array kEqBandFields = {
    choice<&EqBand::kind>("kind", "kind", kFilterKinds, kFilterWords, "Shape of the move."),
    onOff<&EqBand::isOn>("on", "on", "Off leaves the sound as it was.", 1),
    number<&EqBand::frequencyHz>("frequency_hz", "frequency", Unit::Hertz, {10, 20000, 1000}, 0.02,
                                 "Centre or corner.", Scale::Logarithmic),
    number<&EqBand::gainDb>("gain_db", "gain", Unit::Decibel, {-24, 24, 0}, 0.5, "Boost or cut."),
    number<&EqBand::q>("q", "Q", Unit::Q, {0.1, 200, 1}, 0.05,
                       "Centre frequency over bandwidth: higher is narrower.", Scale::Logarithmic),
    Field<EqBand>{{"slope_db_per_oct",
                   "slope",
                   Number,
                   Unit::DecibelPerOctave,
                   6,
                   48,
                   24,
                   Scale::Linear,
                   6,
                   {},
                   "Steepness of a high- or low-pass, in steps of 6."},
                  [](const EqBand& b) { return b.slopeDbPerOct; },
                  [](EqBand& b, double v) { b.slopeDbPerOct = 6 * std::round(v / 6); }},
    choice<&EqBand::part>(
        "part", "acts on", kParts, kPartWords,
        "Of a stereo sound: both sides alike, what they have in common, or what parts them."),
    choice<&EqBand::dynamics>("dynamics", "gain moves", kDynamics, kDynamicsWords,
                              "Whether the gain follows the level of the band."),
    number<&EqBand::thresholdDb>("threshold_db", "threshold", Unit::Decibel, {-90, 0, -30}, 0.5,
                                 "Level of the band from which the gain moves, dBFS of a sine."),
    number<&EqBand::rangeDb>("range_db", "range", Unit::Decibel, {-24, 24, -6}, 0.5,
                             "Most that is added to the gain, a dB for each dB past the threshold."),
    number<&EqBand::attackMs>("attack_ms", "attack", Unit::Milliseconds, {0.1, 200, 5}, 0.05,
                              "Time to 63 % of the way as the level rises.", Scale::Logarithmic),
    number<&EqBand::releaseMs>("release_ms", "release", Unit::Milliseconds, {5, 4000, 120}, 0.05,
                               "Time to 63 % of the way as the level falls.", Scale::Logarithmic),
    onOff<&EqBand::isKeyed>("keyed", "listens to the key",
                            "The level is that of the equaliser's key instead of the sound's own."),
};

constexpr std::array kEqFields = {
    number<&dsp::EqSettings::amountPercent>("amount_percent", "amount", Unit::Percent, {-100, 200, 100}, 5,
                                            "Scales the gain of every move; -100 % turns them over."),
};

using dsp::LowEndSettings;
constexpr std::array kLowEndFields = {
    number<&LowEndSettings::frequencyHz>("frequency_hz", "corner", Unit::Hertz, {20, 200, 60}, 0.02,
                                         "Where the boost turns; the cut turns at three times as much.",
                                         Scale::Logarithmic),
    number<&LowEndSettings::boostDb>("boost_db", "boost", Unit::Decibel, {0, 18, 0}, 0.5,
                                     "Of what lies under the corner."),
    number<&LowEndSettings::cutDb>("cut_db", "cut", Unit::Decibel, {0, 18, 0}, 0.5,
                                   "Of what lies under three times the corner: dips just above the boost."),
};

using dsp::BodySettings;
constexpr std::array kBodyFields = {
    number<&BodySettings::frequencyHz>("frequency_hz", "note", Unit::Hertz, {20, 1000, 55}, 0.02,
                                       "Of the resonance; may be typed as a note.", Scale::Logarithmic),
    number<&BodySettings::decayMs>("decay_ms", "decay", Unit::Milliseconds, {20, 3000, 300}, 0.05,
                                   "Until the resonance has fallen by 60 dB.", Scale::Logarithmic),
    number<&BodySettings::levelDb>("level_db", "level", Unit::Decibel, {-40, 18, -12}, 0.5,
                                   "Of the resonance, for a steady tone at its note."),
};

constexpr std::array kCeilingFields = {
    number<&CeilingSettings::ceilingDb>("ceiling_db", "ceiling", Unit::Decibel, {-24, 0, -1}, 0.5,
                                        "True peak that is never passed, dBTP."),
    number<&CeilingSettings::releaseMs>("release_ms", "release", Unit::Milliseconds, {5, 1000, 80}, 0.05,
                                        "Time to 63 % of the way back.", Scale::Logarithmic),
};

using dsp::GateSettings;
// Stored names in the order of the enumerations: do not change.
constexpr std::array<std::string_view, 2> kDetectors = {"peak", "rms"};
constexpr std::array<std::string_view, 2> kDetectorWords = {"peak", "RMS"};
constexpr std::array<std::string_view, 3> kCurves = {"even", "straight", "quick"};
constexpr std::array<std::string_view, 3> kCurveWords = {"even in dB", "straight line", "quick at first"};
constexpr std::array<std::string_view, 4> kReaches = {"all", "above", "below", "between"};
constexpr std::array<std::string_view, 4> kReachWords = {"everything", "above a corner", "below a corner",
                                                         "between two"};

constexpr std::array kGateFields = {
    number<&GateSettings::openDb>("open_db", "opens at", Unit::Decibel, {-90, 0, -40}, 0.5,
                                  "Level of the detector from which the gate opens, dBFS."),
    number<&GateSettings::closeDb>("close_db", "closes at", Unit::Decibel, {-96, 0, -46}, 0.5,
                                   "Level under which it begins to close; the gap keeps the natural decay."),
    number<&GateSettings::ratio>("ratio", "ratio", Unit::Ratio, {1, dsp::kHardRatio, dsp::kHardRatio}, 0.1,
                                 "Closed, the sound falls by so many dB for each dB under the threshold; "
                                 "20 is a gate that is open or closed.",
                                 Scale::Logarithmic),
    number<&GateSettings::floorDb>("floor_db", "floor", Unit::Decibel, {dsp::kSilentFloorDb, 0, -24}, 1,
                                   "Gain while closed; -90 dB is silence."),
    number<&GateSettings::liftDb>("lift_db", "lift", Unit::Decibel, {0, 18, 0}, 0.5,
                                  "Gain while open: with a floor of 0 dB the hits are brought up."),
    number<&GateSettings::attackMs>("attack_ms", "attack", Unit::Milliseconds, {0, 50, 1}, 0.1,
                                    "From closed to open, along an S."),
    number<&GateSettings::holdMs>("hold_ms", "hold", Unit::Milliseconds, {0, 2000, 30}, 5,
                                  "Time under the closing level before the gain falls."),
    number<&GateSettings::releaseMs>("release_ms", "release", Unit::Milliseconds, {1, 4000, 90}, 0.05,
                                     "From open to closed.", Scale::Logarithmic),
    choice<&GateSettings::releaseCurve>("release_curve", "release curve", kCurves, kCurveWords,
                                        "How the gain falls."),
    number<&GateSettings::lookAheadMs>("look_ahead_ms", "look-ahead", Unit::Milliseconds, {0, 20, 2}, 0.1,
                                       "The sound waits so long for the gain; everything else waits along."),
    onOff<&GateSettings::isInverted>("inverted", "inverted", "Lets through what lies between the hits."),
    choice<&GateSettings::detector>("detector", "detector", kDetectors, kDetectorWords,
                                    "What the level is: the peak or the RMS of a short piece."),
    number<&GateSettings::windowMs>("window_ms", "detector length", Unit::Milliseconds, {0.5, 50, 8}, 0.5,
                                    "Length of the piece; as long as half a wave of the lowest tone."),
    number<&GateSettings::lowCutHz>("low_cut_hz", "detector low cut", Unit::Hertz, {10, 10000, 10}, 0.02,
                                    "The detector does not hear what is lower; off at 10 Hz.",
                                    Scale::Logarithmic),
    number<&GateSettings::highCutHz>("high_cut_hz", "detector high cut", Unit::Hertz, {40, 20000, 20000},
                                     0.02, "The detector does not hear what is higher; off at 20 kHz.",
                                     Scale::Logarithmic),
    Field<GateSettings>{{"cut_slope_db_per_oct",
                         "slope of the cuts",
                         Number,
                         Unit::DecibelPerOctave,
                         6,
                         48,
                         24,
                         Scale::Linear,
                         6,
                         {},
                         "Steepness of both detector cuts, in steps of 6."},
                        [](const GateSettings& g) { return g.cutSlopeDbPerOct; },
                        [](GateSettings& g, double v) { g.cutSlopeDbPerOct = 6 * std::round(v / 6); }},
    choice<&GateSettings::reach>("reach", "acts on", kReaches, kReachWords,
                                 "What of the sound the gain acts on; the rest passes."),
    number<&GateSettings::fromHz>("from_hz", "from", Unit::Hertz, {30, 16000, 3000}, 0.02,
                                  "Corner above which it acts.", Scale::Logarithmic),
    number<&GateSettings::toHz>("to_hz", "to", Unit::Hertz, {30, 18000, 8000}, 0.02,
                                "Corner below which it acts.", Scale::Logarithmic),
};

} // namespace

std::span<const Field<InputSettings>> inputFields() {
    return kInputFields;
}
std::span<const Field<Output>> outputFields() {
    return kOutputFields;
}
std::span<const Field<Send>> sendFields() {
    return kSendFields;
}
std::span<const Field<EqBand>> eqBandFields() {
    return kEqBandFields;
}
std::span<const Field<dsp::EqSettings>> eqFields() {
    return kEqFields;
}
std::span<const Field<LowEndSettings>> lowEndFields() {
    return kLowEndFields;
}
std::span<const Field<BodySettings>> bodyFields() {
    return kBodyFields;
}
std::span<const Field<CeilingSettings>> ceilingFields() {
    return kCeilingFields;
}

std::span<const Field<GateSettings>> gateFields() {
    return kGateFields;
}

bool canChangeBySection(std::string_view id) {
    constexpr std::array<std::string_view, 8> kGliding = {"open_db", "close_db",  "ratio",   "floor_db",
                                                          "lift_db", "attack_ms", "hold_ms", "release_ms"};
    return std::find(kGliding.begin(), kGliding.end(), id) != kGliding.end();
}

bool appliesTo(std::string_view id, FilterKind kind) {
    const bool isPass = dsp::isPass(kind);
    if (id == "gain_db")
        return dsp::hasGain(kind);
    if (id == "q")
        return !isPass && kind != FilterKind::Tilt;
    if (id == "slope_db_per_oct")
        return isPass;
    constexpr std::array<std::string_view, 6> kMoving = {"dynamics",  "threshold_db", "range_db",
                                                         "attack_ms", "release_ms",   "keyed"};
    if (std::find(kMoving.begin(), kMoving.end(), id) != kMoving.end())
        return dsp::canBeDynamic(kind);
    return true;
}

std::string_view filterKindWords(FilterKind kind) {
    return kFilterWords[static_cast<std::size_t>(kind)];
}

} // namespace cask::session
