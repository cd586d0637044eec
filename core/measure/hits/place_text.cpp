#include "core/measure/hits/place_text.h"

#include <fmt/format.h>

#include <cmath>
#include <cstdlib>

namespace cask::measure {
namespace {

constexpr double kSecondsPerMinute = 60;
constexpr double kLongestS = 24 * 3600;

/// The whole text as a number from 0 on; negative when it is none.
double numberOf(const std::string& text) {
    if (text.empty() || text.find_first_not_of("0123456789.") != std::string::npos)
        return -1;
    char* end = nullptr;
    const double value = std::strtod(text.c_str(), &end);
    return *end == '\0' ? value : -1;
}

} // namespace

Result<double> parsePlace(std::string_view typed, const Tempo& tempo) {
    std::string text;
    for (const char c : typed)
        if (c != ' ')
            text += c == ',' ? '.' : c;
    const Error bad{
        ErrorCode::BadValue,
        fmt::format("\"{}\" is no place. Enter a bar (17), a beat of it (17.3), or a time (1:23.5, "
                    "83.5 s).",
                    typed)};
    const auto colon = text.find(':');
    if (colon != std::string::npos) {
        const double minutes = numberOf(text.substr(0, colon));
        const double seconds = numberOf(text.substr(colon + 1));
        if (minutes < 0 || seconds < 0 || seconds >= kSecondsPerMinute || minutes != std::floor(minutes) ||
            minutes * kSecondsPerMinute > kLongestS)
            return bad;
        return minutes * kSecondsPerMinute + seconds;
    }
    if (!text.empty() && text.back() == 's') {
        const double seconds = numberOf(text.substr(0, text.size() - 1));
        return seconds < 0 || seconds > kLongestS ? Result<double>(bad) : Result<double>(seconds);
    }
    const auto point = text.find('.');
    const double bar = numberOf(text.substr(0, point));
    const double beat = point == std::string::npos ? 1 : numberOf(text.substr(point + 1));
    if (bar < 1 || beat < 1 || beat != std::floor(beat) || bar > kLongestS)
        return bad;
    if (!tempo.isKnown || tempo.beatsPerBar < 1)
        return Error{ErrorCode::BadValue,
                     "The tempo is not known, so bars can't be counted. Enter a time, as 1:23.5 or 83.5 s."};
    if (beat >= tempo.beatsPerBar + 1)
        return Error{ErrorCode::BadValue, fmt::format("A bar has {} beats here; there is no beat {:.0f}.",
                                                      tempo.beatsPerBar, beat)};
    return std::max(0.0, tempo.timeOf((bar - 1) * tempo.beatsPerBar + beat - 1));
}

std::string placeText(double timeS, const Tempo& tempo) {
    constexpr double kOnTheBeat = 0.02; // beats
    if (!tempo.isKnown || tempo.beatsPerBar < 1 || tempo.beatAt(timeS) < -kOnTheBeat) {
        const auto minutes = static_cast<int>(timeS / kSecondsPerMinute);
        return fmt::format("{}:{:04.1f}", minutes, timeS - kSecondsPerMinute * minutes);
    }
    const auto beat = static_cast<long>(std::floor(tempo.beatAt(timeS) + kOnTheBeat));
    return fmt::format("bar {}, beat {}", beat / tempo.beatsPerBar + 1, beat % tempo.beatsPerBar + 1);
}

} // namespace cask::measure
