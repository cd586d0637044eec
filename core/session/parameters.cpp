#include "core/session/parameters.h"

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

std::string lowered(std::string_view text) {
    std::string out;
    for (const char c : text)
        if (!std::isspace(static_cast<unsigned char>(c)))
            out.push_back(static_cast<char>(std::tolower(static_cast<unsigned char>(c))));
    return out;
}

Error badValue(const ParameterInfo& info, std::string_view text) {
    return {ErrorCode::BadValue, fmt::format("\"{}\" is not a valid {}. Enter {} to {}.", text, info.words,
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
    case Unit::DecibelSpan:
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
    case Unit::Cents:
        return in({"cents", "cent", "ct"})           ? std::optional(1.0)
               : in({"st", "semitone", "semitones"}) ? std::optional(100.0)
                                                     : std::nullopt;
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

/// "a1", "f#2", "bb2" (already in small letters): equal temperament, A4 at 440 Hz, C-1 the lowest octave.
std::optional<double> parseNote(const std::string& text) {
    constexpr std::array<int, 7> kSteps = {9, 11, 0, 2, 4, 5, 7}; // of a, b, c ... above c
    if (text.size() < 2 || text[0] < 'a' || text[0] > 'g')
        return std::nullopt;
    int step = kSteps[static_cast<std::size_t>(text[0] - 'a')];
    std::size_t at = 1;
    if (text[at] == '#' || text[at] == 'b')
        step += text[at++] == '#' ? 1 : -1;
    int octave = 0;
    const auto [end, error] = std::from_chars(text.data() + at, text.data() + text.size(), octave);
    if (error != std::errc() || end != text.data() + text.size() || octave < -1 || octave > 10)
        return std::nullopt;
    return 440 * std::pow(2.0, octave - 4 + (step - 9) / 12.0);
}

} // namespace

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
    if (!info.mostWords.empty() && value >= info.most)
        return std::string(info.mostWords);
    switch (info.unit) {
    case Unit::Decibel:
        return fmt::format("{:+.1f} dB", std::abs(value) < 0.05 ? 0.0 : value)
            .substr(std::abs(value) < 0.05 ? 1 : 0);
    case Unit::DecibelSpan:
        return fmt::format("{:.1f} dB", value);
    case Unit::Hertz:
        return value >= 999.5 ? fmt::format("{:.2f} kHz", value / 1000)
                              : fmt::format("{:.{}f} Hz", value, value < 99.95 ? 1 : 0);
    case Unit::Milliseconds:
        return fmt::format("{:.{}f} ms", value, std::abs(value) < 10 ? 2 : 1);
    case Unit::Percent:
        return fmt::format("{:.0f} %", value);
    case Unit::Cents:
        return std::abs(value) < 0.5 ? "0 cents" : fmt::format("{:+.0f} cents", value);
    case Unit::DecibelPerOctave:
        return fmt::format("{:.0f} dB/oct", value);
    case Unit::Pan: {
        const auto share = std::lround(std::abs(value) * 100);
        return share == 0 ? "centre" : fmt::format("{} {}", value < 0 ? "L" : "R", share);
    }
    case Unit::Ratio:
        return fmt::format("{:.1f} : 1", value);
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
                     fmt::format("\"{}\" is not a valid setting of {}. Enter on or off.", typed, info.words)};
    }
    if (info.kind == Choice) {
        for (std::size_t i = 0; i < info.choices.size(); ++i) {
            std::string stored(info.choices[i]);
            std::string words = formatValue(info, static_cast<double>(i));
            const bool isOlder = i < info.olderWords.size() && text == lowered(info.olderWords[i]);
            if (text == stored || text == lowered(words) || isOlder)
                return static_cast<double>(i);
        }
        return Error{ErrorCode::BadValue, fmt::format("\"{}\" is not a valid {}. Enter one of {}.", typed,
                                                      info.words, fmt::join(info.choices, ", "))};
    }
    double value = 0;
    if (!info.mostWords.empty() &&
        (text == lowered(info.mostWords) || text == "inf" || text == "infinity" || text == "\u221e"))
        return info.most;
    if (const auto pan = info.unit == Unit::Pan ? parsePan(text) : std::nullopt) {
        value = *pan;
    } else if (const auto note = info.unit == Unit::Hertz ? parseNote(text) : std::nullopt) {
        value = *note;
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

} // namespace cask::session
