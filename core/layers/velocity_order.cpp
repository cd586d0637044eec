#include "core/layers/velocity_order.h"

#include "core/layers/name_words.h"
#include "core/layers/one_shot.h"
#include "core/measure/look/sound_look.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <optional>
#include <regex>
#include <set>
#include <string_view>

namespace cask::layers {
namespace {

std::optional<int> velocityInName(const std::filesystem::path& file) {
    static const std::regex kVelocity("(?:^|[^a-z])v(?:el(?:ocity)?)?[ _.-]?([0-9]{1,3})(?![0-9])",
                                      std::regex::icase | std::regex::optimize);
    const std::string name = file.stem().string();
    std::smatch found;
    if (!std::regex_search(name, found, kVelocity))
        return {};
    return std::stoi(found[1]);
}

/// How hard a stroke was by the last word that says so, in the name or else in the folder's: 0 the softest.
std::optional<int> strengthInWords(const std::filesystem::path& file) {
    static const std::map<std::string_view, int> kStrengths = {
        {"ppp", 0},    {"ghost", 0},  {"pp", 1},      {"p", 2},      {"soft", 2},  {"softly", 2},
        {"quiet", 2},  {"light", 2},  {"leise", 2},   {"doux", 2},   {"suave", 2}, {"mp", 3},
        {"med", 4},    {"medium", 4}, {"normal", 4},  {"mittel", 4}, {"mf", 5},    {"f", 6},
        {"hard", 6},   {"loud", 6},   {"strong", 6},  {"laut", 6},   {"fort", 6},  {"fuerte", 6},
        {"accent", 7}, {"ff", 7},     {"hardest", 8}, {"fff", 8}};
    for (const auto& name : {file.stem(), file.parent_path().filename()}) {
        const auto words = nameWords(name.string());
        for (auto word = words.rbegin(); word != words.rend(); ++word)
            if (const auto known = kStrengths.find(*word); known != kStrengths.end())
                return known->second;
    }
    return {};
}

/// The number of the group of each sound, from 0; sounds are in order.
using Groups = std::vector<std::size_t>;

Groups groupsByLoudness(const std::vector<MeasuredSound>& sounds) {
    Groups groups;
    double softest = 0;
    for (const auto& sound : sounds) {
        const bool isNext = groups.empty() || sound.loudnessDb - softest > kAlternatesDb;
        if (isNext)
            softest = sound.loudnessDb;
        groups.push_back(groups.empty() ? 0 : groups.back() + (isNext ? 1 : 0));
    }
    return groups;
}

/// By what the names say; nothing unless all say it, and not all the same.
template <class Rank>
std::optional<Groups> groupsByName(const std::vector<MeasuredSound>& sounds, const Rank& rank) {
    std::set<int> ranks;
    for (const auto& sound : sounds)
        if (const auto known = rank(sound.file))
            ranks.insert(*known);
        else
            return {};
    if (ranks.size() < 2)
        return {};
    Groups groups;
    for (const auto& sound : sounds)
        groups.push_back(
            static_cast<std::size_t>(std::distance(ranks.begin(), ranks.find(*rank(sound.file)))));
    return groups;
}

/// Numbers may count anything: velocities are those by which the sounds grow louder, or all are as loud.
bool isAsLoudOrLouder(const std::vector<MeasuredSound>& sounds, const Groups& groups) {
    std::map<std::size_t, std::pair<double, int>> sums;
    for (std::size_t i = 0; i < sounds.size(); ++i) {
        sums[groups[i]].first += sounds[i].loudnessDb;
        ++sums[groups[i]].second;
    }
    double before = -1e9;
    for (const auto& [group, sum] : sums) {
        const double mean = sum.first / sum.second;
        if (mean < before - kAlternatesDb)
            return false;
        before = mean;
    }
    return true;
}

} // namespace

std::vector<LayerSound> byVelocity(std::vector<MeasuredSound> sounds) {
    std::stable_sort(sounds.begin(), sounds.end(),
                     [](const auto& a, const auto& b) { return a.loudnessDb < b.loudnessDb; });
    Groups groups = groupsByLoudness(sounds);
    const auto ranked = [&](const Groups& named) {
        std::vector<std::size_t> order(sounds.size());
        std::iota(order.begin(), order.end(), 0U);
        std::stable_sort(order.begin(), order.end(),
                         [&](std::size_t a, std::size_t b) { return named[a] < named[b]; });
        std::vector<MeasuredSound> moved;
        for (std::size_t i = 0; i < order.size(); ++i) {
            moved.push_back(sounds[order[i]]);
            groups[i] = named[order[i]];
        }
        sounds = std::move(moved);
    };
    if (const auto named = groupsByName(sounds, strengthInWords)) {
        ranked(*named);
    } else if (const auto numbered = groupsByName(sounds, velocityInName);
               numbered && isAsLoudOrLouder(sounds, *numbered)) {
        ranked(*numbered);
    }
    double loudest = -1e9;
    for (const auto& sound : sounds)
        loudest = std::max(loudest, sound.loudnessDb);
    std::vector<LayerSound> ordered;
    for (std::size_t i = 0; i < sounds.size(); ++i) {
        const double width = 127.0 / static_cast<double>(groups.back() + 1);
        LayerSound sound{sounds[i].file, 0, 127, 0};
        if (groups[i] > 0) // ranges share no velocity
            sound.lowVelocity = std::nextafter(width * static_cast<double>(groups[i]), 128.0);
        if (groups[i] < groups.back())
            sound.highVelocity = width * static_cast<double>(groups[i] + 1);
        if (groups.back() > 0)
            sound.gainDb = std::min(kMostSoundGainDb, loudest - sounds[i].loudnessDb);
        ordered.push_back(std::move(sound));
    }
    return ordered;
}

Result<std::vector<LayerSound>> byVelocity(const std::vector<std::filesystem::path>& files,
                                           const CancelToken& cancel) {
    std::vector<MeasuredSound> sounds;
    for (const auto& file : files) {
        if (cancel.isCancelled())
            return Error{ErrorCode::Cancelled, "Stopped; no sounds were measured."};
        const auto shot = readOneShot(file);
        if (!shot)
            return shot.error();
        const auto look = measure::lookOf(shot->sound, shot->rateHz);
        sounds.push_back({file, look ? look->loudnessDb : kSilenceDb});
    }
    return byVelocity(std::move(sounds));
}

} // namespace cask::layers
