// Every parameter with its name, unit, range and words.
#include "core/session/kinds.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace cask::session {
namespace {

using enum ParameterKind;
using dsp::EqBand;
using dsp::FilterKind;
using dsp::LimiterSettings;

constexpr std::array kInputFields = {
    number<&InputSettings::trimDb>("trim_db", "trim", Unit::Decibel, {-40, 40, 0}, 0.5,
                                   "Level of the file before anything else."),
    onOff<&InputSettings::isInverted>("inverted", "polarity inverted", "Inverts the waveform."),
    number<&InputSettings::shiftMs>("shift_ms", "shift", Unit::Milliseconds, {-500, 500, 0}, 0.05,
                                    "Moves the file in time; later is positive, parts of a sample count."),
    onOff<&InputSettings::removesDc>("removes_dc", "remove DC", "Removes a DC offset with a 5 Hz high-pass."),
    onOff<&InputSettings::isRightInverted>("right_inverted", "right inverted",
                                           "Inverts the right side of a stereo element against its left."),
    number<&InputSettings::rightShiftMs>(
        "right_shift_ms", "right shift", Unit::Milliseconds, {-100, 100, 0}, 0.05,
        "Moves the right side of a stereo element against its left; later is positive."),
};

constexpr std::array kOutputFields = {
    gliding(number<&Output::levelDb>("level_db", "level", Unit::Decibel, {-80, 24, 0}, 0.5,
                                     "Level at its output.")),
    gliding(number<&Output::pan>("pan", "pan", Unit::Pan, {-1, 1, 0}, 0.05,
                                 "Constant power for mono (-3 dB in the centre); balance for stereo.")),
    gliding(number<&Output::widthPercent>("width_percent", "width", Unit::Percent, {0, 200, 100}, 5,
                                          "Of a stereo element: 0 % is mono, 100 % as it is.")),
    onOff<&Output::isMuted>("muted", "mute", "Nothing reaches its output or sends."),
    onOff<&Output::isAlone>("alone", "solo", "Mutes the other elements; buses stay as they are."),
    onOff<&Output::isSoloSafe>("solo_safe", "solo-safe", "Stays heard while others are soloed."),
};

constexpr std::array kSendFields = {
    gliding(number<&Send::levelDb>("level_db", "send level", Unit::Decibel, {-80, 24, 0}, 0.5,
                                   "Level of the send.")),
    onOff<&Send::isBeforeLevel>("before_level", "pre-fader",
                                "The send is taken before the element's own level."),
};

constexpr std::array kPathFields = {
    number<&ParallelPath::lowCutHz>(
        "low_cut_hz", "low cut", Unit::Hertz, {ParallelPath::kLeastCutHz, 2000, ParallelPath::kLeastCutHz},
        0.02, "High-pass of 24 dB per octave before its chain; off at 20 Hz.", Scale::Logarithmic),
    number<&ParallelPath::pitchCents>("pitch_cents", "pitch", Unit::Cents, {-1200, 1200, 0}, 1,
                                      "Shifts the path in pitch, so that it no longer combs with the dry "
                                      "sound; semitones can be typed (\"-2 st\")."),
    onOff<&ParallelPath::isInverted>("inverted", "polarity inverted",
                                     "The path meets the dry sound with its polarity inverted."),
    onOff<&ParallelPath::isEqualGain>("equal_gain", "equal gain",
                                      "Dry and wet together stay as loud as the dry sound, so that the blend "
                                      "changes density alone."),
    number<&ParallelPath::blendPercent>("blend_percent", "blend", Unit::Percent, {0, 100, 30}, 1,
                                        "With equal gain: wet share of both."),
    number<&ParallelPath::matchDb>("match_db", "wet match", Unit::Decibel, {-60, 60, 0}, 0.5,
                                   "As measured: what makes the wet sound as loud as the dry one."),
    number<&ParallelPath::likeness>("likeness", "likeness", Unit::None, {-1, 1, 0}, 0.01,
                                    "As measured: correlation of dry and wet, weighted as loudness is."),
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
std::span<const Field<ParallelPath>> pathFields() {
    return kPathFields;
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
    return KindOf<dsp::EqSettings>::kFilterWords[static_cast<std::size_t>(kind)];
}

} // namespace cask::session
