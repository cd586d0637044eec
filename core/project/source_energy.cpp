#include "core/project/source_energy.h"

#include "core/measure/stack/stack_judge.h"

#include <algorithm>
#include <cmath>

namespace cask::project {

measure::Sound onBothSides(measure::Sound sound) {
    if (sound.size() == 1) {
        for (float& x : sound.front())
            x *= static_cast<float>(std::sqrt(0.5));
        sound.push_back(sound.front());
    }
    return sound;
}

measure::Sound beginningOf(AudioSource& source, double rateHz, Frames from) {
    const Frames most = secondsToFrames(kTrialMeasuredS, rateHz);
    const auto frames = static_cast<std::size_t>(std::clamp<Frames>(source.frames() - from, 0, most));
    measure::Sound sound(static_cast<std::size_t>(std::min(2, source.channels())),
                         std::vector<float>(frames));
    for (std::size_t c = 0; c < sound.size(); ++c)
        (void)source.read(static_cast<int>(c), from, sound[c]);
    return onBothSides(std::move(sound));
}

double soundEnergyDb(const measure::Sound& sound, double rateHz) {
    return linearToDb(std::sqrt(std::max(1e-30, measure::weightedEnergy(sound, rateHz))));
}

double sourceEnergyDb(AudioSource& source, double rateHz) {
    return soundEnergyDb(beginningOf(source, rateHz), rateHz);
}

} // namespace cask::project
