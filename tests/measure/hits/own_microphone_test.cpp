// What a drum's own microphone says of it: who is loudest there, and what is only a tail.
#include "core/measure/hits/kit_hits.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <deque>

namespace cask::measure {
namespace {

/// Microphones that are filled with sound and then analysed together.
class Microphones {
  public:
    explicit Microphones(double seconds) : m_frames(static_cast<std::size_t>(seconds * kRate)) {}

    std::vector<float>& add(const std::string& name, Role role) {
        m_sounds.push_back(
            {name, role, test::noise(1e-4, m_frames, static_cast<unsigned>(m_sounds.size() + 1))});
        return m_sounds.back().samples;
    }
    [[nodiscard]] KitHits analyse() const {
        std::deque<BandTrail> trails;
        std::vector<HitInput> inputs;
        for (const auto& sound : m_sounds) {
            BandTrailMeter meter(kRate);
            meter.add(sound.samples);
            trails.push_back(meter.take());
            inputs.push_back({sound.name, sound.role, {&trails.back()}, 0});
        }
        return findKitHits(inputs);
    }

  private:
    struct Sound {
        std::string name;
        Role role;
        std::vector<float> samples;
    };
    std::size_t m_frames;
    std::deque<Sound> m_sounds; // references stay
};

/// A decaying tone with a click of noise.
void strike(std::vector<float>& sound, double timeS, double level, double hz, double decayS, double click,
            unsigned seed) {
    const auto from = static_cast<std::size_t>(timeS * kRate);
    const auto noise = test::noise(1, static_cast<std::size_t>(0.5 * kRate), seed);
    for (std::size_t n = 0; n < noise.size() && from + n < sound.size(); ++n) {
        const double s = static_cast<double>(n) / kRate;
        sound[from + n] += static_cast<float>(level * (std::exp(-s / decayS) * std::sin(2 * kPi * hz * s) +
                                                       click * std::exp(-s / 0.004) * noise[n]));
    }
}

/// Noise that begins at once and falls.
void swell(std::vector<float>& sound, double timeS, double level, double decayS, unsigned seed) {
    const auto from = static_cast<std::size_t>(timeS * kRate);
    const auto noise = test::noise(level, static_cast<std::size_t>(0.5 * kRate), seed);
    for (std::size_t n = 0; n < noise.size() && from + n < sound.size(); ++n)
        sound[from + n] += static_cast<float>(std::exp(-static_cast<double>(n) / kRate / decayS)) * noise[n];
}

long strokesOf(const KitHits& hits, const std::string& name) {
    return std::count_if(hits.strokes.begin(), hits.strokes.end(), [&](const DrumHit& s) {
        return hits.kit.drums[static_cast<std::size_t>(s.drum)].name == name;
    });
}

/// Uneven gaps, so that nothing comes at one distance but what belongs to the stroke itself.
std::vector<double> strokeTimes(std::size_t count) {
    std::vector<double> times;
    double at = 0.3;
    for (std::size_t i = 0; i < count; ++i) {
        times.push_back(at);
        at += 0.6 + 0.013 * static_cast<double>(i * 7 % 11);
    }
    return times;
}

/// A drum that sounds like no other of its role is still the one that is loudest in its own microphone, and
/// the tom that is never struck has no stroke.
TEST(OwnMicrophone, ABrightKickIsNotGivenToATomThatHearsItFromAfar) {
    Microphones kit(30);
    auto& kick = kit.add("Kick", Role::KickIn);
    auto& tom = kit.add("Tom", Role::RackTom);
    const auto times = strokeTimes(40);
    for (std::size_t i = 0; i < times.size(); ++i) {
        const auto seed = static_cast<unsigned>(100 + i);
        strike(kick, times[i], 0.5, 2500, 0.03, 3, seed);
        strike(tom, times[i] + 0.0021, 0.5 * 0.15, 2500, 0.03, 3, seed);
    }
    const auto hits = kit.analyse();
    EXPECT_EQ(strokesOf(hits, "Kick"), 40);
    EXPECT_EQ(strokesOf(hits, "Tom"), 0);
}

/// A tail that swells again at the same distance behind every stroke.
TEST(OwnMicrophone, ATailThatSwellsAgainBehindEveryStrokeIsNoStroke) {
    Microphones kit(30);
    auto& snare = kit.add("Snare", Role::SnareTop);
    const auto times = strokeTimes(40);
    for (std::size_t i = 0; i < times.size(); ++i) {
        const auto seed = static_cast<unsigned>(200 + i);
        strike(snare, times[i], 0.5, 210, 0.05, 1.2, seed);
        swell(snare, times[i], 0.25, 0.06, seed + 1000);
        swell(snare, times[i] + 0.170, 0.08, 0.02, seed + 2000);
    }
    EXPECT_EQ(strokesOf(kit.analyse(), "Snare"), 40);
}

/// The same soft sound at distances that differ is played.
TEST(OwnMicrophone, SoftStrokesAtDistancesThatDifferAreStrokes) {
    Microphones kit(30);
    auto& snare = kit.add("Snare", Role::SnareTop);
    const auto times = strokeTimes(40);
    for (std::size_t i = 0; i < times.size(); ++i) {
        const auto seed = static_cast<unsigned>(300 + i);
        strike(snare, times[i], 0.5, 210, 0.05, 1.2, seed);
        if (i % 2 == 0)
            strike(snare, times[i] + 0.170 + 0.019 * static_cast<double>(i % 9), 0.06, 210, 0.05, 1.2,
                   seed + 1000);
    }
    EXPECT_GE(strokesOf(kit.analyse(), "Snare"), 58);
}

} // namespace
} // namespace cask::measure
