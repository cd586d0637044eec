#include "core/measure/drive/between_drums.h"

#include "core/base/units.h"

#include <cmath>

namespace cask::measure {
namespace {

/// target += sign * sound
void addTo(Sound& target, const Sound& sound, float sign) {
    for (std::size_t c = 0; c < target.size() && c < sound.size(); ++c)
        for (std::size_t n = 0; n < target[c].size() && n < sound[c].size(); ++n)
            target[c][n] += sign * sound[c][n];
}

double powerOf(const Sound& sound) {
    double power = 0;
    for (const auto& channel : sound)
        for (const float x : channel)
            power += static_cast<double>(x) * static_cast<double>(x);
    return power;
}

} // namespace

double intermodulationDb(const std::vector<Sound>& parts, const DriveSettings& settings, double rateHz,
                         const CancelToken& cancel) {
    if (parts.size() < 2 || parts.front().empty())
        return kSilenceDb;
    const auto driven = [&](Sound sound) {
        HitMaterial material;
        material.rateHz = rateHz;
        material.sound = std::move(sound);
        return drivenSound(material, settings, cancel);
    };
    Sound whole = parts.front();
    for (std::size_t i = 1; i < parts.size(); ++i)
        addTo(whole, parts[i], 1);
    Sound rest = driven(std::move(whole));
    const double power = powerOf(rest);
    for (const auto& part : parts)
        addTo(rest, driven(part), -1);
    return power > 0 ? std::max(kSilenceDb, 10 * std::log10(std::max(powerOf(rest) / power, 1e-12)))
                     : kSilenceDb;
}

} // namespace cask::measure
