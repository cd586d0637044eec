// A kit for a made-up take: drums with tunings of their own in a room, and their strokes.
#pragma once

#include <algorithm>
#include <cmath>
#include <core/demo/drum_synth.h>
#include <core/demo/random.h>
#include <core/demo/room.h>
#include <string>
#include <tests/support/random_take.h>
#include <vector>

namespace cask::test {

/// A drum of the take: how it is made and where it stands.
struct Piece {
    std::string name;
    demo::Drum model = demo::Drum::Kick;
    demo::Point place;
    double stretch = 1; ///< resampling of the model: lower and longer above 1
    double tiltDb = 0;  ///< highs against lows
    double softenS = 0; ///< a slower rise
    double gain = 1;
};

struct Kit {
    std::vector<Piece> pieces;
    demo::Tuning tuning;
    demo::RoomSize room;
};

[[nodiscard]] Kit makeKit(demo::Random& r);
/// Anywhere from -by to by.
[[nodiscard]] double jitter(demo::Random& r, double by);

struct Sound {
    std::vector<float> top;
    std::vector<float> underside;
};

/// A piece's strokes from soft to hard, some of each; an event takes one near its force and brings it there.
/// Making every stroke anew would take most of a test's time.
class StrokeStore {
  public:
    StrokeStore(const Piece& piece, const demo::Tuning& tuning, double rate, demo::Random& r);
    [[nodiscard]] const Sound& take(double velocity, double& gain, demo::Random& r) const {
        const double at = std::log(velocity / kSoftest) / std::log(1 / kSoftest) * (kLevels - 1);
        const int level = std::clamp(static_cast<int>(std::lround(at)), 0, kLevels - 1);
        gain = velocity / velocityOf(level);
        return m_sounds[static_cast<std::size_t>(level * kEach) + r.next() % kEach];
    }

  private:
    static constexpr int kLevels = 9;
    static constexpr int kEach = 3;
    static constexpr double kSoftest = 0.04;
    static double velocityOf(int level) {
        return kSoftest * std::pow(1 / kSoftest, static_cast<double>(level) / (kLevels - 1));
    }
    std::vector<Sound> m_sounds;
};

/// First sample within 20 dB of the greatest of the 20 ms that follow, on a 1 ms envelope.
[[nodiscard]] double onsetOf(const std::vector<float>& x, double rate);

} // namespace cask::test
