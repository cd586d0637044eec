// Patterns from MIDI files written here, and faults that were planted in them.
#include "core/layers/midi_pattern.h"
#include "core/layers/pattern_judge.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <random>

namespace cask::layers {
namespace {

constexpr int kTicks = 480; // of a quarter note

/// Events of one track by their ticks, as a Standard MIDI File has them.
class Track {
  public:
    void add(long tick, std::vector<unsigned char> bytes) { m_events.emplace_back(tick, std::move(bytes)); }
    void note(long tick, int note, int velocity, int channel = 9) {
        add(tick, {static_cast<unsigned char>(0x90 | channel), static_cast<unsigned char>(note),
                   static_cast<unsigned char>(velocity)});
        add(tick + 20, {static_cast<unsigned char>(0x80 | channel), static_cast<unsigned char>(note), 0});
    }
    void tempo(long tick, double bpm) {
        const auto micros = static_cast<unsigned>(std::lround(60e6 / bpm));
        add(tick, {0xFF, 0x51, 3, static_cast<unsigned char>(micros >> 16U),
                   static_cast<unsigned char>(micros >> 8U), static_cast<unsigned char>(micros)});
    }
    void metre(long tick, int beats, int powerOfUnit) {
        add(tick, {0xFF, 0x58, 4, static_cast<unsigned char>(beats), static_cast<unsigned char>(powerOfUnit),
                   24, 8});
    }
    [[nodiscard]] std::vector<unsigned char> chunk() const {
        auto events = m_events;
        std::stable_sort(events.begin(), events.end(),
                         [](const auto& a, const auto& b) { return a.first < b.first; });
        std::vector<unsigned char> body;
        long now = 0;
        for (const auto& [tick, bytes] : events) {
            append(body, tick - now);
            body.insert(body.end(), bytes.begin(), bytes.end());
            now = tick;
        }
        body.insert(body.end(), {0, 0xFF, 0x2F, 0});
        std::vector<unsigned char> all = {'M', 'T', 'r', 'k'};
        for (int shift = 24; shift >= 0; shift -= 8)
            all.push_back(static_cast<unsigned char>(body.size() >> shift));
        all.insert(all.end(), body.begin(), body.end());
        return all;
    }

  private:
    static void append(std::vector<unsigned char>& out, long value) {
        std::vector<unsigned char> digits = {static_cast<unsigned char>(value & 0x7F)};
        while (value >>= 7)
            digits.insert(digits.begin(), static_cast<unsigned char>((value & 0x7F) | 0x80));
        out.insert(out.end(), digits.begin(), digits.end());
    }
    std::vector<std::pair<long, std::vector<unsigned char>>> m_events;
};

std::vector<unsigned char> fileOf(const std::vector<Track>& tracks, int format) {
    std::vector<unsigned char> bytes = {'M',         'T',
                                        'h',         'd',
                                        0,           0,
                                        0,           6,
                                        0,           static_cast<unsigned char>(format),
                                        0,           static_cast<unsigned char>(tracks.size()),
                                        kTicks >> 8, kTicks & 0xFF};
    for (const auto& track : tracks) {
        const auto chunk = track.chunk();
        bytes.insert(bytes.end(), chunk.begin(), chunk.end());
    }
    return bytes;
}

Pattern patternOf(const std::vector<Track>& tracks, int format = 0) {
    const auto read = midiPattern(fileOf(tracks, format), "test.mid");
    EXPECT_TRUE(read) << (read ? "" : read.error().message);
    return read ? *read : Pattern{};
}

TEST(MidiPattern, StrokesStandWhereTempoAndMetrePutThem) {
    Track track;
    track.tempo(0, 120);
    track.metre(0, 4, 2);
    track.note(0, 36, 100);
    track.note(kTicks * 3 / 2, 38, 64);
    track.tempo(4 * kTicks, 60); // the second bar is half as fast
    track.metre(4 * kTicks, 6, 3);
    track.note(5 * kTicks, 42, 127);
    const auto pattern = patternOf({track});
    ASSERT_EQ(pattern.strokes.size(), 3U);
    EXPECT_NEAR(pattern.strokes[1].timeS, 0.75, 1e-9);
    EXPECT_EQ(pattern.strokes[1].velocity, 64);
    EXPECT_EQ(pattern.strokes[1].channel, 9);
    EXPECT_NEAR(pattern.strokes[2].timeS, 2 + 1, 1e-6);
    ASSERT_EQ(pattern.metres.size(), 2U);
    EXPECT_EQ(pattern.metres[1].beats, 6);
    EXPECT_EQ(pattern.metres[1].unit, 8);
    const std::vector<double> lines = {0, 4, 7};
    EXPECT_EQ(pattern.barLines(), lines) << "six eighths are three beats";
    EXPECT_NEAR(pattern.timeOf(7), 5, 1e-6);
}

TEST(MidiPattern, TracksOfFormatOneAreOneAndAMapIsOfATrackOfItsOwn) {
    Track tempi;
    tempi.tempo(0, 90);
    Track kick;
    kick.note(kTicks, 36, 90);
    Track snare;
    snare.note(0, 38, 80);
    const auto pattern = patternOf({tempi, kick, snare}, 1);
    ASSERT_EQ(pattern.strokes.size(), 2U);
    EXPECT_EQ(pattern.strokes[0].note, 38);
    EXPECT_NEAR(pattern.strokes[1].timeS, 60.0 / 90, 1e-6);
}

TEST(MidiPattern, BrokenFilesAreRefusedByName) {
    const auto said = [](std::vector<unsigned char> bytes) {
        const auto read = midiPattern(bytes, "odd.mid");
        return read ? std::string("read") : read.error().message;
    };
    auto good = fileOf({Track()}, 0);
    EXPECT_EQ(said(good), "read") << "empty, but whole";
    EXPECT_EQ(said({}), "odd.mid is no MIDI file; nothing was read.");
    auto other = good;
    other[9] = 2;
    EXPECT_EQ(said(other), "odd.mid is of a format other than 0 and 1; nothing was read.");
    other = good;
    other[12] = 0xE7;
    EXPECT_EQ(said(other),
              "odd.mid counts time in frames of film, which is not understood; nothing was read.");
    other = good;
    other[12] = other[13] = 0;
    EXPECT_EQ(said(other), "odd.mid has a beat of no length; nothing was read.");
    Track track;
    track.note(0, 36, 100);
    other = fileOf({track}, 0);
    other.resize(18);
    EXPECT_EQ(said(other), "odd.mid is a damaged MIDI file; nothing was read.");
    const test::TempFolder folder;
    const auto missing = readMidiPattern(folder / "none.mid");
    ASSERT_FALSE(missing);
    EXPECT_NE(missing.error().message.find("none.mid"), std::string::npos);
}

/// A hand: every velocity and instant a little off. Hats on eighths, kick and snare by turns, ghosts.
Pattern played(unsigned seed, int bars = 16) {
    std::mt19937 random(seed);
    std::normal_distribution<double> apart(0, 1);
    Track track;
    track.tempo(0, 104);
    const auto stroke = [&](double beat, int note, double velocity) {
        track.note(std::max(0L, std::lround(kTicks * (beat + 1) + 7 * apart(random))), note,
                   std::clamp(static_cast<int>(std::lround(velocity + 6 * apart(random))), 1, 127));
    };
    for (int bar = 0; bar < bars; ++bar) {
        const double from = 4.0 * bar;
        for (int eighth = 0; eighth < 8; ++eighth)
            stroke(from + 0.5 * eighth, 42, eighth % 2 == 0 ? 84 : 64);
        stroke(from, 36, 100);
        stroke(from + 2 + (bar % 2 == 0 ? 0 : 0.5), 36, 96);
        stroke(from + 1, 38, 105);
        stroke(from + 3, 38, 108);
        if (bar % 2 == 1) {
            stroke(from + 1.75, 38, 34);
            stroke(from + 2.25, 38, 30);
        }
        if (bar % 8 == 7)
            for (int n = 0; n < 4; ++n) // a fill of sixteenths, by hand
                stroke(from + 3 + 0.25 * n, 45, 90 + 5 * n);
    }
    return patternOf({track});
}

std::vector<PatternFault> faultsOf(const Pattern& pattern) {
    std::vector<PatternFault> faults;
    for (const auto& finding : judgePattern(pattern, generalMidiMap()).findings)
        if (std::find(faults.begin(), faults.end(), finding.fault) == faults.end())
            faults.push_back(finding.fault);
    return faults;
}

TEST(PatternJudge, AHandIsLeftAlone) {
    for (unsigned seed = 1; seed <= 30; ++seed)
        EXPECT_TRUE(faultsOf(played(seed)).empty())
            << seed << ": " << judgePattern(played(seed), generalMidiMap()).findings.front().sentence;
    const auto judged = judgePattern(played(1), generalMidiMap());
    ASSERT_EQ(judged.drums.size(), 4U);
    EXPECT_EQ(judged.drums[2].name, "closed hat");
    EXPECT_EQ(judged.drums[2].strokes, 128);
    // Ticks of 1.2 ms with a spread of 7 of them: half lie within 0.67 of a deviation.
    EXPECT_NEAR(*judged.drums[2].looseMs, 0.67 * 7 * 60000 / 104 / kTicks, 1.5);
}

TEST(PatternJudge, EvenVelocitiesAreToldByDrum) {
    auto pattern = played(3);
    for (auto& stroke : pattern.strokes)
        if (stroke.note == 42)
            stroke.velocity = std::lround(2 * stroke.beat) % 2 == 0 ? 90 : 70;
    const auto judged = judgePattern(pattern, generalMidiMap());
    ASSERT_EQ(judged.findings.size(), 1U);
    EXPECT_EQ(judged.findings[0].fault, PatternFault::EvenVelocities);
    EXPECT_EQ(judged.findings[0].sentence,
              "closed hat has two velocities, 90 and 70, on 128 of 128 strokes.");
}

TEST(PatternJudge, ExactTimingIsToldAShuffleOrALaidBackDrumAsWell) {
    for (const double swung : {0.0, 0.1}) {
        auto pattern = played(4);
        for (auto& stroke : pattern.strokes)
            if (stroke.note == 42) {
                const double eighth = std::round(2 * stroke.beat) / 2;
                stroke.beat = eighth + (std::fmod(eighth, 1) > 0.4 ? swung : 0);
                stroke.timeS = pattern.timeOf(stroke.beat) + 0.008; // late, always by as much
            }
        const auto judged = judgePattern(pattern, generalMidiMap());
        ASSERT_EQ(judged.findings.size(), 1U) << swung;
        EXPECT_EQ(judged.findings[0].fault, PatternFault::ExactTiming);
        EXPECT_EQ(judged.findings[0].note, 42);
    }
}

TEST(PatternJudge, AHatThatIsOpenAndClosedIsToldWhereItIs) {
    auto pattern = played(5);
    const auto closed = std::find_if(pattern.strokes.begin(), pattern.strokes.end(),
                                     [](const auto& s) { return s.note == 42 && s.beat > 9.8; });
    auto open = *closed;
    open.note = 46;
    open.timeS += 0.004;
    const double beat = closed->beat;
    pattern.strokes.insert(closed + 1, open);
    const auto judged = judgePattern(pattern, generalMidiMap());
    ASSERT_EQ(judged.findings.size(), 1U);
    EXPECT_EQ(judged.findings[0].fault, PatternFault::OpenAndClosed);
    EXPECT_EQ(judged.findings[0].count, 1);
    EXPECT_EQ(judged.findings[0].bar, static_cast<int>(beat / 4) + 1);
}

TEST(PatternJudge, BarsThatAreAlikeAndRollsOfAMachineAreTold) {
    Track track;
    track.tempo(0, 120);
    for (int bar = 0; bar < 12; ++bar) {
        const long from = 4L * kTicks * bar;
        track.note(from + 3, 36, 101);
        track.note(from + kTicks - 5, 38, 96);
        track.note(from + 3 * kTicks + 4, 38, bar == 10 ? 90 : 99);
    }
    for (int n = 0; n < 6; ++n) // 62.5 ms apart
        track.note(4L * kTicks * 11 + 2 * kTicks + n * kTicks / 8, 38, 100 + n % 2);
    const auto judged = judgePattern(patternOf({track}), generalMidiMap());
    ASSERT_EQ(judged.findings.size(), 2U);
    EXPECT_EQ(judged.findings[0].fault, PatternFault::MachineRoll);
    EXPECT_EQ(judged.findings[0].count, 6);
    EXPECT_EQ(judged.findings[0].bar, 12);
    EXPECT_EQ(judged.findings[1].fault, PatternFault::RepeatedBars);
    EXPECT_EQ(judged.findings[1].sentence, "Bars 1 to 10 are alike in every stroke.");
}

TEST(PatternJudge, WhatOtherInstrumentsPlayIsNoDrum) {
    Track bass;
    bass.tempo(0, 104);
    for (int n = 0; n < 64; ++n) // even and exact
        bass.note(n * kTicks, 36, 100, 0);
    EXPECT_FALSE(judgePattern(patternOf({bass}), generalMidiMap()).findings.empty())
        << "alone it may be drums";
    Track drums;
    drums.note(0, 38, 90);
    const auto judged = judgePattern(patternOf({bass, drums}, 1), generalMidiMap());
    ASSERT_EQ(judged.drums.size(), 1U);
    EXPECT_EQ(judged.drums[0].note, 38);
    EXPECT_TRUE(judged.findings.empty());
}

TEST(PatternJudge, StrokesAtOnceAreTold) {
    auto pattern = played(6);
    auto twice = pattern.strokes[20];
    twice.timeS += 0.002;
    pattern.strokes.insert(pattern.strokes.begin() + 21, twice);
    const auto faults = faultsOf(pattern);
    ASSERT_EQ(faults.size(), 1U);
    EXPECT_EQ(faults[0], PatternFault::Doubled);
}

} // namespace
} // namespace cask::layers
