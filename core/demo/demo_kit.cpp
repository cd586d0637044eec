#include "core/demo/demo_kit.h"

#include "core/base/units.h"
#include "core/demo/placements.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace cask::demo {
namespace {

constexpr double kKickOutExtraMs = 3.5; // planted: the outer kick microphone is late
constexpr double kHumDb = -62;          // planted: 50 Hz in the room microphones
constexpr double kClipGain = 1.9;       // planted: the floor tom ran out of range

/// One dry track per drum: all its strokes where they fall.
struct DryTracks {
    std::array<std::vector<float>, kDrums> top;
    std::array<std::vector<float>, kDrums> underside;
};

DryTracks renderStrokes(const DemoTake& take, std::size_t frames, Random& random) {
    DryTracks dry;
    for (auto& track : dry.top)
        track.assign(frames, 0);
    for (auto& track : dry.underside)
        track.assign(frames, 0);
    for (const auto& stroke : take.performance.strokes) {
        const StrokeSound sound = synthesise(stroke, take.tuning, take.sampleRateHz, random);
        const auto start = static_cast<std::size_t>(std::llround(stroke.timeS * take.sampleRateHz));
        const auto drum = static_cast<std::size_t>(stroke.drum);
        for (std::size_t i = 0; i < sound.top.size() && start + i < frames; ++i)
            dry.top[drum][start + i] += sound.top[i];
        for (std::size_t i = 0; i < sound.underside.size() && start + i < frames; ++i)
            dry.underside[drum][start + i] += sound.underside[i];
    }
    return dry;
}

void addNoiseFloor(std::vector<float>& track, double db, Random& random) {
    const auto gain = static_cast<float>(dbToLinear(db));
    for (float& x : track)
        x += gain * random.noise();
}

std::vector<float> record(const Placement& p, std::size_t channel, const DryTracks& dry, double rate,
                          const RoomSize& room) {
    std::vector<float> out(dry.top[0].size(), 0);
    for (int d = 0; d < kDrums; ++d) {
        const auto drum = static_cast<std::size_t>(d);
        const bool isOwn =
            d == p.own || (p.own == static_cast<int>(Drum::Hat) && d == static_cast<int>(Drum::OpenHat));
        // The resonant side sounds out of the other end of the drum.
        const bool under = p.hearsUnderside && isOwn;
        Point place = placeOf(static_cast<Drum>(d));
        if (under && p.own == static_cast<int>(Drum::Kick))
            place.y += 0.3;
        const auto& source = under ? dry.underside[drum] : dry.top[drum];
        addHeard(source, place, p.microphones[channel], room, isOwn, 1, rate, out);
    }
    return out;
}

/// A bass line as context: sawtooth through a moving low-pass, on the roots with the kick.
std::vector<float> playBass(const Performance& p, std::size_t frames, double rate) {
    std::vector<float> out(frames, 0);
    constexpr std::array kRoots = {41.2, 41.2, 49.0, 55.0}; // E1 E1 G1 A1
    for (int bar = 0; bar < p.bars; ++bar) {
        for (const int eighth : {0, 1, 3, 4, 5, 6, 7}) {
            const double start = p.verseStartS + (bar * 8 + eighth) * p.beatS() / 2;
            const double hz = kRoots[static_cast<std::size_t>(bar % 4)] * (eighth == 6 ? 1.5 : 1);
            const double lengthS = p.beatS() / 2 * 0.9;
            double z = 0;
            const auto from = static_cast<std::size_t>(start * rate);
            const auto n = static_cast<std::size_t>(lengthS * rate);
            for (std::size_t i = 0; i < n && from + i < frames; ++i) {
                const double t = static_cast<double>(i) / rate;
                const double envelope =
                    std::min(1.0, t / 0.004) * std::exp(-2.2 * t) * std::min(1.0, (lengthS - t) / 0.01);
                double saw = 0;
                for (int h = 1; h <= 14; ++h)
                    saw += std::sin(2 * kPi * hz * h * t) / h;
                z += (1 - std::exp(-2 * kPi * (300 + 1400 * std::exp(-9 * t)) / rate)) * (saw - z);
                out[from + i] += static_cast<float>(0.28 * envelope * z);
            }
        }
    }
    return out;
}

} // namespace

DemoTake makeDemoTake(unsigned long long seed, double rate) {
    DemoTake take;
    take.sampleRateHz = rate;
    take.performance = playDemo(seed);
    Random random(seed + 1);
    const auto frames = static_cast<std::size_t>((take.performance.endS + 3) * rate);
    const DryTracks dry = renderStrokes(take, frames, random);

    const RoomSize room;
    std::vector<float> feed(frames, 0);
    for (const auto& track : dry.top)
        for (std::size_t i = 0; i < frames; ++i)
            feed[i] += 0.25F * track[i];
    const auto late = lateSound(feed, room, rate);

    for (const auto& p : placements()) {
        DemoTrack track{p.name, {}};
        for (std::size_t c = 0; c < p.microphones.size(); ++c) {
            auto sound = record(p, c, dry, rate, room);
            const auto amount = static_cast<float>(p.microphones[c].reverb * p.microphones[c].closeGain);
            for (std::size_t i = 0; i < frames; ++i)
                sound[i] += amount * late[c][i];
            highPass(sound, rate);
            addNoiseFloor(sound, -78, random);
            track.channels.push_back(std::move(sound));
        }
        if (p.name == "Snare Bottom")
            for (float& x : track.channels[0])
                x = -x;
        if (p.name == "Kick Out") {
            auto& sound = track.channels[0];
            const auto late1 = static_cast<std::ptrdiff_t>(kKickOutExtraMs * 0.001 * rate);
            std::rotate(sound.begin(), sound.end() - late1, sound.end());
        }
        if (p.name == "Floor Tom")
            for (float& x : track.channels[0])
                x = std::clamp(x * static_cast<float>(kClipGain), -1.0F, 1.0F);
        if (p.name == "Room")
            for (auto& sound : track.channels)
                for (std::size_t i = 0; i < frames; ++i)
                    sound[i] += static_cast<float>(
                        dbToLinear(kHumDb) * (std::sin(2 * kPi * 50 * static_cast<double>(i) / rate) +
                                              0.4 * std::sin(2 * kPi * 150 * static_cast<double>(i) / rate)));
        take.tracks.push_back(std::move(track));
    }
    take.tracks.push_back({"Bass", {playBass(take.performance, frames, rate)}});
    highPass(take.tracks.back().channels[0], rate);
    take.faults = {{"Snare Top", "ring, Hz", take.tuning.snareRingHz},
                   {"Rack Tom", "boxiness, Hz", take.tuning.rackBoxHz},
                   {"Snare Bottom", "inverted polarity", 1},
                   {"Kick Out", "late beyond its distance, ms", kKickOutExtraMs},
                   {"Floor Tom", "clipped, gain", kClipGain},
                   {"Room", "hum at 50 Hz, dBFS", kHumDb}};
    return take;
}

} // namespace cask::demo
