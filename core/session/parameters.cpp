#include "core/session/parameters.h"

#include "core/session/field_rows.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <charconv>
#include <cmath>
#include <utility>

namespace cask::session {
namespace {

using enum ParameterKind;
using dsp::CeilingSettings;
using dsp::EqBand;
using dsp::FilterKind;

// Stored names in the order of FilterKind: do not change.
constexpr std::array<std::string_view, 6> kFilterKinds = {"bell",      "low_shelf", "high_shelf",
                                                          "high_pass", "low_pass",  "notch"};
constexpr std::array<std::string_view, 6> kFilterWords = {"bell",      "low shelf", "high shelf",
                                                          "high-pass", "low-pass",  "notch"};

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
    row<&EqBand::kind>({"kind", "kind", Choice, Unit::None, 0, 5, 0, Scale::Linear, 1, kFilterKinds,
                        "Shape of the move.", kFilterWords}),
    onOff<&EqBand::isOn>("on", "on", "Off leaves the sound as it was.", 1),
    number<&EqBand::frequencyHz>("frequency_hz", "frequency", Unit::Hertz, {10, 20000, 1000}, 0.02,
                                 "Centre or corner.", Scale::Logarithmic),
    number<&EqBand::gainDb>("gain_db", "gain", Unit::Decibel, {-24, 24, 0}, 0.5, "Boost or cut."),
    number<&EqBand::q>("q", "Q", Unit::Q, {0.1, 40, 1}, 0.05,
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

template <auto Member, std::size_t N>
constexpr auto choice(std::string_view id, std::string_view words,
                      const std::array<std::string_view, N>& stored,
                      const std::array<std::string_view, N>& read, std::string_view help) {
    return row<Member>({id, words, Choice, Unit::None, 0, static_cast<double>(N - 1), 0, Scale::Linear, 1,
                        stored, help, read});
}

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

std::string lowered(std::string_view text) {
    std::string out;
    for (const char c : text)
        if (!std::isspace(static_cast<unsigned char>(c)))
            out.push_back(static_cast<char>(std::tolower(static_cast<unsigned char>(c))));
    return out;
}

Error badValue(const ParameterInfo& info, std::string_view text) {
    return {ErrorCode::BadValue,
            fmt::format("\"{}\" is no value for {}: {} to {} is wanted.", text, info.words,
                        formatValue(info, info.least), formatValue(info, info.most))};
}

/// Number and the rest of the text; a decimal comma is taken as a point, a typographic minus as a minus.
std::optional<std::pair<double, std::string>> splitNumber(std::string text) {
    for (auto at = text.find("\u2212"); at != std::string::npos; at = text.find("\u2212"))
        text.replace(at, std::string_view("\u2212").size(), "-");
    std::replace(text.begin(), text.end(), ',', '.');
    const char* begin = text.data() + (text.starts_with('+') ? 1 : 0);
    double value = 0;
    const auto [end, error] = std::from_chars(begin, text.data() + text.size(), value);
    if (error != std::errc() || !std::isfinite(value))
        return std::nullopt;
    return std::pair(value, std::string(end));
}

std::optional<double> unitFactor(Unit unit, const std::string& suffix) {
    if (suffix.empty())
        return 1.0;
    const auto in = [&](std::initializer_list<std::string_view> list) {
        return std::find(list.begin(), list.end(), suffix) != list.end();
    };
    switch (unit) {
    case Unit::Decibel:
        return in({"db", "dbfs", "dbtp", "d"}) ? std::optional(1.0) : std::nullopt;
    case Unit::Hertz:
        return in({"hz"}) ? std::optional(1.0) : in({"k", "khz"}) ? std::optional(1000.0) : std::nullopt;
    case Unit::Milliseconds:
        return in({"ms"})              ? std::optional(1.0)
               : in({"s"})             ? std::optional(1000.0)
               : in({"us", "\u00b5s"}) ? std::optional(0.001)
                                       : std::nullopt;
    case Unit::Percent:
        return in({"%"}) ? std::optional(1.0) : std::nullopt;
    case Unit::DecibelPerOctave:
        return in({"db", "db/oct", "db/octave"}) ? std::optional(1.0) : std::nullopt;
    case Unit::Pan:
        return in({"%"}) ? std::optional(0.01) : std::nullopt;
    case Unit::Ratio:
        return in({":1", "to1", ":1(hard)"}) ? std::optional(1.0) : std::nullopt;
    case Unit::None:
    case Unit::Q:
        return std::nullopt;
    }
    return std::nullopt;
}

/// "L 30", "r20", "c", "centre", "0.3".
std::optional<double> parsePan(const std::string& text) {
    if (text == "c" || text == "centre" || text == "center" || text == "mid")
        return 0.0;
    if (text.empty() || (text[0] != 'l' && text[0] != 'r'))
        return std::nullopt;
    const double side = text[0] == 'l' ? -1 : 1;
    std::string rest = text.substr(1);
    for (const std::string_view word : {"eft", "ight"})
        if (rest.starts_with(word))
            rest = rest.substr(word.size());
    if (rest.empty())
        return side;
    const auto number = splitNumber(rest);
    if (!number || (!number->second.empty() && number->second != "%"))
        return std::nullopt;
    return side * number->first / 100;
}

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

double clampValue(const ParameterInfo& info, double value) {
    if (!std::isfinite(value))
        return info.standard;
    if (info.kind != Number)
        value = std::round(value);
    return std::clamp(value, info.least, info.most);
}

std::string formatValue(const ParameterInfo& info, double value) {
    if (info.kind == Switch)
        return value > 0.5 ? "on" : "off";
    if (info.kind == Choice) {
        const auto index = static_cast<std::size_t>(clampValue(info, value));
        return std::string(info.choiceWords[index]);
    }
    switch (info.unit) {
    case Unit::Decibel:
        return fmt::format("{:+.1f} dB", std::abs(value) < 0.05 ? 0.0 : value)
            .substr(std::abs(value) < 0.05 ? 1 : 0);
    case Unit::Hertz:
        return value >= 999.5 ? fmt::format("{:.2f} kHz", value / 1000)
                              : fmt::format("{:.{}f} Hz", value, value < 99.95 ? 1 : 0);
    case Unit::Milliseconds:
        return fmt::format("{:.{}f} ms", value, std::abs(value) < 10 ? 2 : 1);
    case Unit::Percent:
        return fmt::format("{:.0f} %", value);
    case Unit::DecibelPerOctave:
        return fmt::format("{:.0f} dB/oct", value);
    case Unit::Pan: {
        const auto share = std::lround(std::abs(value) * 100);
        return share == 0 ? "centre" : fmt::format("{} {}", value < 0 ? "L" : "R", share);
    }
    case Unit::Ratio:
        return value >= info.most ? fmt::format("{:.0f} : 1 (hard)", value)
                                  : fmt::format("{:.1f} : 1", value);
    case Unit::Q:
    case Unit::None:
        return fmt::format("{:.2f}", value);
    }
    return {};
}

Result<double> parseValue(const ParameterInfo& info, std::string_view typed) {
    const std::string text = lowered(typed);
    if (info.kind == Switch) {
        if (text == "on" || text == "yes" || text == "true" || text == "1")
            return 1.0;
        if (text == "off" || text == "no" || text == "false" || text == "0")
            return 0.0;
        return Error{ErrorCode::BadValue,
                     fmt::format("\"{}\" is no value for {}: on or off is wanted.", typed, info.words)};
    }
    if (info.kind == Choice) {
        for (std::size_t i = 0; i < info.choices.size(); ++i) {
            std::string stored(info.choices[i]);
            std::string words = formatValue(info, static_cast<double>(i));
            if (text == stored || text == lowered(words))
                return static_cast<double>(i);
        }
        return Error{ErrorCode::BadValue, fmt::format("\"{}\" is no value for {}: one of {} is wanted.",
                                                      typed, info.words, fmt::join(info.choices, ", "))};
    }
    double value = 0;
    if (const auto pan = info.unit == Unit::Pan ? parsePan(text) : std::nullopt) {
        value = *pan;
    } else {
        const auto number = splitNumber(text);
        const auto factor = number ? unitFactor(info.unit, number->second) : std::nullopt;
        if (!factor)
            return badValue(info, typed);
        value = number->first * *factor;
    }
    if (value < info.least - 1e-9 || value > info.most + 1e-9)
        return badValue(info, typed);
    return clampValue(info, value);
}

double toShare(const ParameterInfo& info, double value) {
    value = clampValue(info, value);
    return info.scale == Scale::Logarithmic ? std::log(value / info.least) / std::log(info.most / info.least)
                                            : (value - info.least) / (info.most - info.least);
}

double fromShare(const ParameterInfo& info, double share) {
    share = std::clamp(share, 0.0, 1.0);
    return clampValue(info, info.scale == Scale::Logarithmic
                                ? info.least * std::pow(info.most / info.least, share)
                                : info.least + share * (info.most - info.least));
}

double nudged(const ParameterInfo& info, double value, double steps) {
    return clampValue(info, info.scale == Scale::Logarithmic ? value * std::pow(1 + info.step, steps)
                                                             : value + steps * info.step);
}

bool appliesTo(std::string_view id, FilterKind kind) {
    const bool isPass = dsp::isPass(kind);
    if (id == "gain_db")
        return !isPass && kind != FilterKind::Notch;
    if (id == "q")
        return !isPass;
    if (id == "slope_db_per_oct")
        return isPass;
    return true;
}

std::string_view filterKindWords(FilterKind kind) {
    return kFilterWords[static_cast<std::size_t>(kind)];
}

} // namespace cask::session
