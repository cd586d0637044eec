// Parallel paths as they sound: aligned to the sample, as loud as dry, shifted in pitch.
#include "core/base/units.h"
#include "core/graph/offline_render.h"
#include "core/kit_measures/path_sound.h"
#include "core/measure/loudness.h"
#include "core/session/edits.h"
#include "core/session/parallel_path.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::graph {
namespace {

using session::Id;
using session::Session;

constexpr Frames kLength = 6 * 48000;

std::vector<float> strokes(double hz, double firstS, unsigned seed) {
    auto x = test::bursts(hz, 0.5, firstS, 0.08, 6);
    const auto hiss = test::noise(0.3, x.size(), seed);
    for (std::size_t n = 0; n < x.size(); ++n) {
        const double age = std::fmod(static_cast<double>(n) / 48000 - firstS + 0.5, 0.5);
        x[n] = 0.5F * x[n] + hiss[n] * static_cast<float>(std::exp(-age / 0.03));
    }
    return x;
}

/// Two drums on a bus, with a path beside it.
struct PathKit {
    test::MemoryKit kit = test::memoryKit({{strokes(80, 0.1, 1)}, {strokes(190, 0.35, 2)}});
    Session s = kit.session;
    Id drums = session::addBus(s, "Drums", s.master().id);
    Id path = session::kNoId;

    PathKit() {
        for (const Id e : kit.elements)
            s = *session::withOutputBus(s, e, drums);
        path = *session::addPath(s, "Path", drums);
        for (const Id e : kit.elements)
            s = *session::withSend(s, e, {path, 0, false, {}});
    }
    [[nodiscard]] kit::PathSound sound() const {
        auto found = kit::pathSound(s, path, kit.lookup, 0, kLength);
        EXPECT_TRUE(found);
        return std::move(*found);
    }
};

double differenceDb(const measure::Sound& a, const measure::Sound& b) {
    double most = 0;
    double peak = 0;
    for (std::size_t c = 0; c < a.size(); ++c)
        for (std::size_t n = 0; n < a[c].size(); ++n) {
            most = std::max(most, std::abs(static_cast<double>(a[c][n]) - b[c][n]));
            peak = std::max(peak, std::abs(static_cast<double>(a[c][n])));
        }
    return linearToDb(std::max(most, 1e-12) / peak);
}

TEST(PathGraph, APathOfIdleModulesNullsAgainstTheDrySound) {
    PathKit kit;
    dsp::CompressorSettings idle;
    idle.mixPercent = 0;
    idle.lookAheadMs = 3;
    dsp::SaturationSettings saturation;
    saturation.driveDb = 0;
    dsp::ClipperSettings clipper;
    clipper.ceilingDb = 0; // the drums stay under its knee
    clipper.kneeDb = 0;
    dsp::CrushSettings crush;
    crush.bits = dsp::CrushSettings::kMostBits;
    dsp::BodySettings body;
    session::addModule(kit.s, kit.path, idle);
    session::addModule(kit.s, kit.path, saturation);
    session::addModule(kit.s, kit.path, clipper);
    session::addModule(kit.s, kit.path, crush);
    const Id bypassed = session::addModule(kit.s, kit.path, body);
    kit.s = session::withModule(kit.s, bypassed, [](session::Module& m) { m.isOn = false; });
    const auto sound = kit.sound();
    EXPECT_GT(test::peakOf(sound.dry[0]), 0.1);
    EXPECT_LT(differenceDb(sound.dry, sound.wet), -120);
}

TEST(PathGraph, TheLowCutCutsAndGlides) {
    PathKit kit;
    kit.s = session::withBus(kit.s, kit.path, [](session::Bus& b) { b.path->lowCutHz = 400; });
    const auto sound = kit.sound();
    const auto level = [](const std::vector<float>& x) {
        return test::amplitudeAt(std::span(x).subspan(4800, 9600), 80, 48000);
    };
    // Four poles: 24 dB an octave, 2.32 octaves under the corner.
    EXPECT_NEAR(linearToDb(level(sound.wet[0]) / level(sound.dry[0])), -55.9, 2);
}

class EqualGain : public testing::TestWithParam<bool> {};
INSTANTIATE_TEST_SUITE_P(PathGraph, EqualGain, testing::Bool(), [](const auto& inverted) {
    return std::string(inverted.param ? "Inverted" : "AsItIs");
});

TEST_P(EqualGain, IsAsLoudAsDryAtAnyBlend) {
    PathKit kit;
    session::addModule(kit.s, kit.path, dsp::CompressorSettings{-40, 10, 0, 0.5, 60});
    dsp::SaturationSettings saturation;
    saturation.driveDb = 18;
    session::addModule(kit.s, kit.path, saturation);
    kit.s = session::withBus(kit.s, kit.path, [](session::Bus& b) { b.path->isInverted = GetParam(); });
    const auto match = kit::measurePathMatch(kit.s, kit.path, kit.kit.lookup);
    ASSERT_TRUE(match);
    const double dryLufs = measure::integratedLufs(kit.sound().dry, 48000);
    auto s = *session::withEqualGain(kit.s, kit.path, match->matchDb, match->likeness);
    for (const double percent : {0.0, 15.0, 40.0, 70.0, 100.0}) {
        s = session::withBus(s, kit.path, [&](session::Bus& b) { b.path->blendPercent = percent; });
        const auto mix = test::render(s, kit.kit.lookup, kLength);
        measure::Sound sides(2);
        for (std::size_t n = 0; n < mix.size(); ++n)
            sides[n % 2].push_back(mix[n]);
        EXPECT_NEAR(measure::integratedLufs(sides, 48000), dryLufs, 0.1) << percent << " %";
    }
}

TEST(PathGraph, PitchIsRightToACentAndInTime) {
    for (const double cents : {-300.0, 12.0, 700.0}) {
        auto kit = test::memoryKit({{test::sine(440, 0.4, 6)}});
        Session s = kit.session;
        const Id path = *session::addPath(s, "Path", kit.elements[0]);
        s = session::withBus(s, path, [&](session::Bus& b) { b.path->pitchCents = cents; });
        const auto sound = kit::pathSound(s, path, kit.lookup, 0, kLength);
        ASSERT_TRUE(sound);
        // The frequency by the phase of two long windows, half a second apart.
        const double wanted = 440 * std::exp2(cents / 1200);
        const auto phaseAt = [&](std::size_t from) {
            double sine = 0;
            double cosine = 0;
            for (std::size_t n = 0; n < 48000; ++n) {
                const double t = static_cast<double>(from + n) / 48000;
                const double window = 0.5 - 0.5 * std::cos(2 * kPi * static_cast<double>(n) / 48000);
                sine += window * sound->wet[0][from + n] * std::sin(2 * kPi * wanted * t);
                cosine += window * sound->wet[0][from + n] * std::cos(2 * kPi * wanted * t);
            }
            return std::atan2(cosine, sine);
        };
        // The mean over four seconds: the library moves its frames a little.
        double turned = 0;
        constexpr std::size_t kStep = 2400;
        for (std::size_t from = 24000; from + kStep <= 216000; from += kStep) {
            const double step = phaseAt(from + kStep) - phaseAt(from);
            turned += step - 2 * kPi * std::round(step / (2 * kPi));
        }
        const double hz = wanted + turned / (2 * kPi * 192000 / 48000);
        EXPECT_NEAR(1200 * std::log2(hz / wanted), 0, 1) << cents;
    }
    // Bursts come where they came.
    PathKit kit;
    kit.s = session::withBus(kit.s, kit.path, [](session::Bus& b) { b.path->pitchCents = 12; });
    const auto sound = kit.sound();
    const auto onset = [](const std::vector<float>& x, double aroundS) {
        const auto from = static_cast<std::size_t>((aroundS - 0.03) * 48000);
        double most = 0;
        for (std::size_t n = from; n < from + 4800; ++n)
            most = std::max(most, std::abs(static_cast<double>(x[n])));
        for (std::size_t n = from; n < from + 4800; ++n)
            if (std::abs(static_cast<double>(x[n])) > 0.3 * most)
                return static_cast<double>(n) / 48000;
        return 0.0;
    };
    for (double t = 0.6; t < 5; t += 0.5)
        EXPECT_NEAR(onset(sound.wet[0], t), onset(sound.dry[0], t), 0.004) << t;
}

} // namespace
} // namespace cask::graph
