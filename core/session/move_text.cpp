#include "core/session/move_text.h"

#include "core/session/kinds.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <vector>

namespace cask::session {
namespace {

using dsp::EqBand;

std::string lower(std::string_view text) {
    std::string out(text);
    std::transform(out.begin(), out.end(), out.begin(), [](unsigned char c) { return std::tolower(c); });
    return out;
}

bool isNumber(const std::string& word) {
    return word.find_first_of("0123456789") != std::string::npos &&
           word.find_first_not_of("0123456789.+-") == std::string::npos;
}

/// Words, a number joined with the unit that follows it: "3 dB" is one, "q 1.2" too, "low shelf" as well.
std::vector<std::string> wordsOf(std::string_view text) {
    std::vector<std::string> words;
    std::string word;
    for (const char c : lower(text) + " ") {
        if (c != ' ' && c != ',' && c != ';' && c != '\t') {
            word += c;
            continue;
        }
        if (word.empty())
            continue;
        const bool isUnit = word == "db" || word == "hz" || word == "khz" || word == "db/oct";
        const bool endsKind = word == "shelf" || word == "pass";
        if (!words.empty() && ((isUnit && isNumber(words.back())) || (isNumber(word) && words.back() == "q")))
            words.back() += word;
        else if (!words.empty() && endsKind &&
                 (words.back() == "low" || words.back() == "high" || words.back() == "band"))
            words.back() += "-" + word;
        else
            words.push_back(word);
        word.clear();
    }
    return words;
}

bool takeKind(const std::string& word, EqBand& band) {
    const auto& info = field(eqBandFields(), "kind").info;
    for (std::size_t i = 0; i < info.choices.size(); ++i) {
        std::string name(info.choices[i]);
        std::replace(name.begin(), name.end(), '_', '-');
        if (name == word) {
            band.kind = static_cast<dsp::FilterKind>(i);
            return true;
        }
    }
    return false;
}

} // namespace

Result<EqBand> parseMove(std::string_view text, EqBand band) {
    const auto words = wordsOf(text);
    if (words.empty())
        return Error{ErrorCode::BadValue, "Type a move, for example: 350 Hz -4 dB q 1.2"};
    std::size_t bare = 0;
    bool hasFrequency = false;
    const auto set = [&](std::string_view id, std::string_view value) -> Status {
        const auto& f = field(eqBandFields(), id);
        const auto number = parseValue(f.info, value);
        if (!number)
            return number.error();
        f.set(band, *number);
        return Done{};
    };
    for (const auto& word : words) {
        if (takeKind(word, band))
            continue;
        std::string_view id = "frequency_hz";
        std::string_view value = word;
        if (word.ends_with("db/oct")) {
            id = "slope_db_per_oct";
        } else if (word.ends_with("db")) {
            id = "gain_db";
        } else if (word.size() > 1 && word[0] == 'q') {
            id = "q";
            value.remove_prefix(1);
        } else if (isNumber(word)) {
            constexpr std::array<std::string_view, 3> kOrder = {"frequency_hz", "gain_db", "q"};
            if (hasFrequency && bare == 0)
                bare = 1;
            if (bare == kOrder.size())
                return Error{ErrorCode::BadValue, fmt::format("\"{}\" is one number too many.", word)};
            id = kOrder[bare++];
        }
        hasFrequency = hasFrequency || id == "frequency_hz";
        if (const auto status = set(id, value); !status)
            return status.error();
    }
    return band;
}

} // namespace cask::session
