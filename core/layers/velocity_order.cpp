#include "core/layers/velocity_order.h"

#include "core/layers/one_shot.h"
#include "core/measure/look/sound_look.h"

#include <algorithm>
#include <cmath>
#include <optional>
#include <regex>

namespace cask::layers {
namespace {

std::optional<int> velocityInName(const std::filesystem::path& file) {
    static const std::regex kEnding("(?:^|[^a-z])v(?:el(?:ocity)?)?[ _.-]?([0-9]{1,3})$",
                                    std::regex::icase | std::regex::optimize);
    const std::string name = file.stem().string();
    std::smatch found;
    if (!std::regex_search(name, found, kEnding))
        return {};
    return std::stoi(found[1]);
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

} // namespace

std::vector<LayerSound> byVelocity(std::vector<MeasuredSound> sounds) {
    const auto sortBy = [&](const auto& key) {
        std::stable_sort(sounds.begin(), sounds.end(),
                         [&](const auto& a, const auto& b) { return key(a) < key(b); });
    };
    sortBy([](const MeasuredSound& s) { return s.loudnessDb; });
    Groups groups = groupsByLoudness(sounds);
    const auto isNumbered = [](const MeasuredSound& s) { return velocityInName(s.file).has_value(); };
    if (!sounds.empty() && groups.back() == 0 && std::all_of(sounds.begin(), sounds.end(), isNumbered)) {
        sortBy([](const MeasuredSound& s) { return *velocityInName(s.file); });
        for (std::size_t i = 1; i < sounds.size(); ++i)
            groups[i] = groups[i - 1] +
                        (velocityInName(sounds[i].file) != velocityInName(sounds[i - 1].file) ? 1 : 0);
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
