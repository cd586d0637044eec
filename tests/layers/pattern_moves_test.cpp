// Moves on patterns: what they change, by how much, and what they leave.
#include "core/layers/layer.h"
#include "core/layers/midi_pattern.h"
#include "core/layers/midi_write.h"
#include "core/layers/pattern_judge.h"
#include "core/layers/pattern_moves.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace cask::layers {
namespace {

/// Bars of 4/4 at 120 bpm, as a machine plays them: hats on eighths, kick and snare by turns, ghosts.
Pattern stiff(int bars = 16, int ghost = 40) {
    Pattern pattern;
    pattern.tempi = {{0, 0, 120}};
    pattern.metres = {{0, 4, 4}};
    pattern.lengthBeats = 4.0 * bars;
    const auto hit = [&](double beat, int note, int velocity) {
        pattern.strokes.push_back({pattern.timeOf(beat), beat, note, velocity, 9});
    };
    for (int bar = 0; bar < bars; ++bar) {
        for (int eighth = 0; eighth < 8; ++eighth)
            hit(4 * bar + 0.5 * eighth, 42, 90);
        hit(4 * bar, 36, 110);
        hit(4 * bar + 1, 38, 112);
        hit(4 * bar + 1.75, 38, ghost);
        hit(4 * bar + 3, 38, 112);
    }
    std::stable_sort(pattern.strokes.begin(), pattern.strokes.end(),
                     [](const auto& a, const auto& b) { return a.beat < b.beat; });
    return pattern;
}

bool has(const Pattern& pattern, PatternFault fault) {
    const auto judged = judgePattern(pattern, generalMidiMap());
    return std::any_of(judged.findings.begin(), judged.findings.end(),
                       [&](const auto& f) { return f.fault == fault; });
}

std::vector<int> velocitiesOf(const Pattern& pattern, int note) {
    std::vector<int> velocities;
    for (const auto& s : pattern.strokes)
        if (s.note == note)
            velocities.push_back(s.velocity);
    return velocities;
}

TEST(PatternMoves, HumanisedStraysByItsSpreadAndNoFurther) {
    const auto before = stiff(64);
    ASSERT_TRUE(has(before, PatternFault::ExactTiming));
    ASSERT_TRUE(has(before, PatternFault::EvenVelocities));
    const auto after = humanised(before, {6, 1.5, {}, {}}, 3);
    ASSERT_EQ(after.strokes.size(), before.strokes.size());
    EXPECT_FALSE(has(after, PatternFault::ExactTiming));
    EXPECT_FALSE(has(after, PatternFault::EvenVelocities));
    EXPECT_FALSE(has(after, PatternFault::RepeatedBars));
    double squares = 0;
    double most = 0;
    for (const int note : {36, 38, 42}) {
        std::vector<double> was, is;
        for (const auto& s : before.strokes)
            if (s.note == note)
                was.push_back(s.timeS);
        for (const auto& s : after.strokes)
            if (s.note == note)
                is.push_back(s.timeS);
        for (std::size_t i = 1; i < was.size(); ++i) { // the very first can't come before the beginning
            squares += std::pow(1000 * (is[i] - was[i]), 2);
            most = std::max(most, std::abs(1000 * (is[i] - was[i])));
        }
        EXPECT_TRUE(std::is_sorted(is.begin(), is.end()));
    }
    EXPECT_NEAR(std::sqrt(squares / static_cast<double>(before.strokes.size())), 6, 0.6);
    EXPECT_LE(most, 12 + 1e-9);
    for (const auto& s : after.strokes)
        EXPECT_NEAR(s.timeS, after.timeOf(s.beat), 1e-9);
    EXPECT_EQ(humanised(before, {6, 1.5, {}, {}}, 3).strokes, after.strokes);
    EXPECT_NE(humanised(before, {6, 1.5, {}, {}}, 4).strokes, after.strokes);
    EXPECT_EQ(humanised(before, {0, 0, {}, {}}, 3).strokes, before.strokes);
}

TEST(PatternMoves, AFeelIsLearntAndTakenOver) {
    // Laid back by 9 ms and softer on every off-beat eighth.
    auto model = stiff();
    for (auto& s : model.strokes)
        if (s.note == 42 && std::lround(2 * s.beat) % 2 != 0) {
            s.timeS += 0.009;
            s.beat += 0.018;
            s.velocity = 60;
        }
    const auto feel = feelOf(model, 42);
    EXPECT_NEAR(feel.lateMs.at(12), 9, 0.01);
    EXPECT_NEAR(feel.lateMs.at(0), 0, 0.01);
    EXPECT_NEAR(feel.timingMs, 0, 0.01);
    EXPECT_NEAR(feel.louderDb.at(12) - feel.louderDb.at(0), levelDbOf(60) - levelDbOf(90), 0.01);
    const auto after = humanised(stiff(), feel, 1);
    for (const auto& s : after.strokes)
        if (s.note == 42) {
            const double eighth = std::round(2 * s.beat) / 2;
            const bool isOff = std::lround(2 * s.beat) % 2 != 0;
            EXPECT_NEAR(1000 * (s.timeS - after.timeOf(eighth)), isOff ? 9 : 0, 0.01);
        }
}

TEST(PatternMoves, HatsAlternateAndGhostsAreMadeSoft) {
    const auto hats = velocitiesOf(alternated(stiff(2), 42, 4), 42);
    for (std::size_t i = 0; i < hats.size(); ++i)
        EXPECT_NEAR(levelDbOf(hats[i]), levelDbOf(90) - (i % 2 != 0 ? 4 : 0), 0.15) << i;
    EXPECT_EQ(velocitiesOf(alternated(stiff(2), 42, 4), 38), velocitiesOf(stiff(2), 38));
    const auto loud = stiff(16, 80);
    EXPECT_TRUE(has(loud, PatternFault::LoudGhosts));
    EXPECT_FALSE(has(stiff(16, 40), PatternFault::LoudGhosts));
    EXPECT_EQ(ghostsOf(loud, 38).size(), 16U);
    EXPECT_TRUE(ghostsOf(loud, 36).empty());
    const auto soft = withGhostsAt(loud, 38, 18);
    EXPECT_FALSE(has(soft, PatternFault::LoudGhosts));
    for (const int velocity : velocitiesOf(soft, 38))
        EXPECT_TRUE(velocity == 112 || std::abs(levelDbOf(velocity) - (levelDbOf(112) - 18)) < 0.3)
            << velocity;
}

TEST(PatternMoves, TooManyGhostsAreTold) {
    auto pattern = stiff();
    for (int bar = 0; bar < 16; ++bar)
        for (int n = 0; n < 16; ++n)
            if (n % 4 != 0 && n != 7)
                pattern.strokes.push_back(
                    {pattern.timeOf(4 * bar + 0.25 * n), 4 * bar + 0.25 * n, 38, 38, 9});
    std::stable_sort(pattern.strokes.begin(), pattern.strokes.end(),
                     [](const auto& a, const auto& b) { return a.beat < b.beat; });
    // More than two of three strokes are soft now: they are how the drum is played, and no ghosts.
    EXPECT_FALSE(has(pattern, PatternFault::ManyGhosts));
    for (int bar = 0; bar < 16; ++bar)
        for (int n = 0; n < 16; n += 2)
            pattern.strokes.push_back(
                {pattern.timeOf(4 * bar + 0.25 * n + 0.125), 4 * bar + 0.25 * n + 0.125, 38, 110, 9});
    std::stable_sort(pattern.strokes.begin(), pattern.strokes.end(),
                     [](const auto& a, const auto& b) { return a.beat < b.beat; });
    EXPECT_TRUE(has(pattern, PatternFault::ManyGhosts));
}

TEST(PatternMoves, ClosedHatsUnderOpenOnesGo) {
    auto pattern = stiff(4);
    pattern.strokes.push_back({pattern.timeOf(1.5), 1.5, 46, 100, 9});
    std::stable_sort(pattern.strokes.begin(), pattern.strokes.end(),
                     [](const auto& a, const auto& b) { return a.beat < b.beat; });
    ASSERT_TRUE(has(pattern, PatternFault::OpenAndClosed));
    const auto after = withoutClosedUnderOpen(pattern, generalMidiMap());
    EXPECT_FALSE(has(after, PatternFault::OpenAndClosed));
    EXPECT_EQ(after.strokes.size(), pattern.strokes.size() - 1);
    EXPECT_EQ(velocitiesOf(after, 46).size(), 1U);
}

TEST(PatternMoves, ThePatternsOwnFillComesBack) {
    auto pattern = stiff(16);
    ASSERT_TRUE(has(pattern, PatternFault::RepeatedBars));
    EXPECT_EQ(withFillEvery(pattern, 4, generalMidiMap()).strokes, pattern.strokes) << "there is no fill";
    for (int n = 0; n < 8; ++n)
        pattern.strokes.push_back({pattern.timeOf(14 * 4 + 2 + 0.25 * n), 14 * 4 + 2 + 0.25 * n, 45, 90, 9});
    std::stable_sort(pattern.strokes.begin(), pattern.strokes.end(),
                     [](const auto& a, const auto& b) { return a.beat < b.beat; });
    const auto after = withFillEvery(pattern, 4, generalMidiMap());
    EXPECT_FALSE(has(after, PatternFault::RepeatedBars));
    for (int bar = 0; bar < 16; ++bar) {
        const auto toms = std::count_if(after.strokes.begin(), after.strokes.end(), [&](const auto& s) {
            return s.note == 45 && s.beat >= 4 * bar && s.beat < 4 * bar + 4;
        });
        EXPECT_EQ(toms, bar % 4 == 3 || bar == 14 ? 8 : 0) << bar;
    }
    EXPECT_TRUE(std::is_sorted(after.strokes.begin(), after.strokes.end(),
                               [](const auto& a, const auto& b) { return a.timeS < b.timeS; }));
}

TEST(PatternMoves, WrittenAndReadAgain) {
    const test::TempFolder folder;
    auto pattern = humanised(stiff(), {6, 2, {}, {}}, 9);
    pattern.metres = {{0, 6, 8}};
    pattern.tempi = {{0, 0, 120}, {8, 4, 90}};
    for (auto& s : pattern.strokes)
        s.timeS = pattern.timeOf(s.beat);
    ASSERT_TRUE(writeMidiPattern(pattern, folder / "a.mid"));
    EXPECT_FALSE(writeMidiPattern(pattern, folder / "a.mid")) << "never over another file unasked";
    const auto back = readMidiPattern(folder / "a.mid");
    ASSERT_TRUE(back);
    ASSERT_EQ(back->strokes.size(), pattern.strokes.size());
    for (std::size_t i = 0; i < pattern.strokes.size(); ++i) {
        EXPECT_NEAR(back->strokes[i].beat, pattern.strokes[i].beat, 0.5 / 480 + 1e-9);
        EXPECT_NEAR(back->strokes[i].timeS, back->timeOf(back->strokes[i].beat), 1e-9);
    }
    auto velocities = [](const Pattern& p) {
        std::vector<int> v;
        for (const auto& s : p.strokes)
            v.push_back(s.velocity);
        std::sort(v.begin(), v.end());
        return v;
    };
    EXPECT_EQ(velocities(*back), velocities(pattern));
    EXPECT_EQ(back->metres.front().beats, 6);
    EXPECT_EQ(back->metres.front().unit, 8);
    EXPECT_NEAR(back->tempi.back().bpm, 90, 0.001);
}

} // namespace
} // namespace cask::layers
