#include "core/kit_measures/same_audio.h"
#include "core/project/measured_files.h"
#include "core/session/edits.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace cask::kit {
namespace {

/// A drum with its own click at each hit, so that no two sounds of it are copies of each other.
std::vector<float> drum(double hz, unsigned seed, unsigned timing = 7) {
    std::vector<float> x(8 * 48000, 0.0F);
    const auto hiss = test::noise(0.0005, x.size(), seed);
    const auto clicks = test::noise(0.4, x.size(), seed + 100);
    std::mt19937 random(timing);
    for (double at = 0.2; at < 7.5; at += 0.25 + 0.01 * static_cast<double>(random() % 30))
        for (std::size_t n = 0; n < 12000; ++n) {
            const double t = static_cast<double>(n) / 48000;
            const auto i = static_cast<std::size_t>(at * 48000) + n;
            if (i < x.size())
                x[i] += static_cast<float>(0.5 * std::exp(-t / 0.06) * std::sin(2 * kPi * hz * t)) +
                        clicks[i] * static_cast<float>(std::exp(-t / 0.01));
        }
    for (std::size_t i = 0; i < x.size(); ++i)
        x[i] += hiss[i];
    return x;
}

std::vector<float> copyOf(const std::vector<float>& x, int laterFrames, float gain) {
    std::vector<float> y(x.size(), 0.0F);
    for (std::size_t i = 0; i < x.size(); ++i) {
        const auto from = static_cast<std::ptrdiff_t>(i) - laterFrames;
        if (from >= 0 && from < static_cast<std::ptrdiff_t>(x.size()))
            y[i] = gain * x[static_cast<std::size_t>(from)];
    }
    return y;
}

std::vector<advise::SameAudio> sames(const test::MemoryKit& kit,
                                     const std::vector<std::vector<std::vector<float>>>& sounds) {
    std::map<session::Id, std::shared_ptr<const measure::FileTrails>> trails;
    for (std::size_t i = 0; i < sounds.size(); ++i) {
        auto file = std::make_shared<measure::FileTrails>();
        for (const auto& channel : sounds[i]) {
            measure::BandTrailMeter meter(48000);
            meter.add(channel);
            file->channels.push_back(meter.take());
        }
        std::vector<const measure::BandTrail*> pointers;
        for (const auto& trail : file->channels)
            pointers.push_back(&trail);
        file->arrivals = measure::findArrivals(pointers);
        trails[kit.session.element(kit.elements[i])->channels.front().file] = file;
    }
    return findSameAudio(
        kit.session, [&](session::Id id) { return trails.contains(id) ? trails.at(id) : nullptr; },
        kit.lookup);
}

TEST(SameAudio, CopiesAreFoundWithLevelTimeAndPolarity) {
    const auto original = drum(110, 1);
    struct Case {
        int laterFrames;
        float gain;
    };
    for (const Case c : {Case{0, 1}, Case{0, 0.5F}, Case{37, -0.8F}, Case{-480, 1.3F}, Case{14400, 0.7F}}) {
        const std::vector<std::vector<std::vector<float>>> sounds = {
            {original}, {drum(60, 3)}, {copyOf(original, c.laterFrames, c.gain)}};
        const auto kit = test::memoryKit(sounds);
        const auto found = sames(kit, sounds);
        ASSERT_EQ(found.size(), 1U) << c.laterFrames;
        EXPECT_EQ(found[0].first, kit.elements[0]);
        EXPECT_EQ(found[0].second, kit.elements[2]);
        EXPECT_NEAR(found[0].laterMs, c.laterFrames / 48.0, 0.011) << c.laterFrames;
        EXPECT_NEAR(found[0].levelDb, 20 * std::log10(std::abs(c.gain)), 0.1) << c.laterFrames;
        EXPECT_EQ(found[0].isInverted, c.gain < 0) << c.laterFrames;
    }
}

TEST(SameAudio, TwoMicrophonesOfOneDrumAreNotCopies) {
    // The same hits and the same low note, each with its own click and noise.
    const std::vector<std::vector<std::vector<float>>> sounds = {{drum(90, 1)}, {drum(90, 2)}};
    EXPECT_TRUE(sames(test::memoryKit(sounds), sounds).empty());
    // Nearer than any two microphones stand: half of each sound is common to both.
    const auto common = drum(90, 3);
    auto nearby = sounds;
    for (auto& source : nearby)
        for (std::size_t n = 0; n < common.size(); ++n)
            source[0][n] = 0.5F * (source[0][n] + common[n]);
    EXPECT_TRUE(sames(test::memoryKit(nearby), nearby).empty());
}

TEST(SameAudio, BothSidesOfAStereoElement) {
    const auto x = drum(200, 4);
    std::vector<std::vector<std::vector<float>>> sounds = {{x, x}};
    auto kit = test::memoryKit(sounds);
    const auto found = sames(kit, sounds);
    ASSERT_EQ(found.size(), 1U);
    EXPECT_EQ(found[0].first, found[0].second);
    sounds = {{x, drum(200, 5)}};
    kit = test::memoryKit(sounds);
    EXPECT_TRUE(sames(kit, sounds).empty());
}

} // namespace
} // namespace cask::kit
