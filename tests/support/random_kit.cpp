#include "tests/support/random_kit.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace cask::test {

using demo::Drum;
using demo::Point;
using demo::Random;

double jitter(Random& r, double by) {
    return r.between(-by, by);
}

Kit makeKit(Random& r) {
    Kit kit;
    kit.room.size = {r.between(3.5, 12), r.between(4, 15), r.between(2.3, 6)};
    kit.room.wall = r.between(0.25, 0.75);
    kit.room.decayS = r.between(0.25, 1.6);
    kit.tuning.kickHz = r.between(44, 72);
    kit.tuning.snareHz = r.between(150, 260);
    kit.tuning.snareRingHz = kit.tuning.snareHz * r.between(1.9, 2.6);
    kit.tuning.rackHz = r.between(105, 170);
    kit.tuning.rackBoxHz = r.between(300, 450);
    kit.tuning.floorHz = r.between(62, 100);
    const double side = r.uniform() < 0.2 ? -1 : 1; // some play left-handed
    const double x0 = kit.room.size.x / 2;
    const double y0 = kit.room.size.y * 0.45;
    const auto place = [&](double x, double y, double z) {
        return Point{x0 + side * x + jitter(r, 0.06), y0 + y + jitter(r, 0.06), z + jitter(r, 0.05)};
    };
    const auto add = [&](const char* name, Drum model, Point at) {
        kit.pieces.push_back({name, model, at, r.between(0.85, 1.2), jitter(r, 6),
                              model == Drum::Kick ? r.between(0, 0.003) : 0, dbToLinear(jitter(r, 3))});
    };
    add("kick", Drum::Kick, place(0, 0.35, 0.35));
    add("snare", Drum::Snare, place(0.33, -0.05, 0.75));
    add("hat", Drum::Hat, place(0.75, 0.02, 0.98));
    add("open hat", Drum::OpenHat, kit.pieces.back().place);
    kit.pieces.back() = {
        "open hat", Drum::OpenHat,     kit.pieces[2].place, kit.pieces[2].stretch, kit.pieces[2].tiltDb,
        0,          kit.pieces[2].gain};
    add("rack tom 1", Drum::RackTom, place(0.12, 0.35, 0.95));
    add("rack tom 2", Drum::RackTom, place(-0.25, 0.33, 0.93));
    kit.pieces.back().stretch *= 1.25;
    add("floor tom", Drum::FloorTom, place(-0.6, -0.1, 0.65));
    add("crash", Drum::Crash, place(0.7, 0.6, 1.4));
    add("ride", Drum::Ride, place(-0.75, 0.4, 1.15));
    return kit;
}

namespace {

/// Straight-line interpolation at another speed; ends with silence.
std::vector<float> stretched(const std::vector<float>& x, double by) {
    std::vector<float> out(static_cast<std::size_t>(static_cast<double>(x.size()) * by));
    for (std::size_t n = 0; n < out.size(); ++n) {
        const double at = static_cast<double>(n) / by;
        const auto i = static_cast<std::size_t>(at);
        if (i + 1 < x.size())
            out[n] = static_cast<float>(x[i] + (at - static_cast<double>(i)) * (x[i + 1] - x[i]));
    }
    return out;
}

void tilt(std::vector<float>& x, double db, double rate) {
    const auto a = static_cast<float>(1 - std::exp(-2 * kPi * 900 / rate));
    const auto high = static_cast<float>(dbToLinear(db / 2));
    const auto low = static_cast<float>(dbToLinear(-db / 2));
    float z = 0;
    for (float& v : x) {
        z += a * (v - z);
        v = low * z + high * (v - z);
    }
}

Sound strike(const Piece& piece, const demo::Tuning& tuning, double velocity, double rate, Random& r) {
    auto made = demo::synthesise({piece.model, 0, velocity, "normal"}, tuning, rate, r);
    Sound s{stretched(made.top, piece.stretch), {}};
    s.underside = made.underside.empty() ? s.top : stretched(made.underside, piece.stretch);
    for (auto* x : {&s.top, &s.underside}) {
        tilt(*x, piece.tiltDb, rate);
        const auto soft = static_cast<std::size_t>(piece.softenS * rate);
        for (std::size_t n = 0; n < soft && n < x->size(); ++n)
            (*x)[n] *= static_cast<float>(
                0.5 - 0.5 * std::cos(kPi * static_cast<double>(n) / static_cast<double>(soft)));
        for (float& v : *x)
            v *= static_cast<float>(piece.gain);
    }
    return s;
}

} // namespace

StrokeStore::StrokeStore(const Piece& piece, const demo::Tuning& tuning, double rate, Random& r) {
    for (int level = 0; level < kLevels; ++level)
        for (int i = 0; i < kEach; ++i)
            m_sounds.push_back(strike(piece, tuning, velocityOf(level), rate, r));
}

double onsetOf(const std::vector<float>& x, double rate) {
    const auto look = std::min(x.size(), static_cast<std::size_t>(0.03 * rate));
    float peak = 0;
    for (std::size_t n = 0; n < look; ++n)
        peak = std::max(peak, std::fabs(x[n]));
    for (std::size_t n = 0; n < look; ++n)
        if (std::fabs(x[n]) >= 0.1F * peak)
            return static_cast<double>(n) / rate;
    return 0;
}

} // namespace cask::test
