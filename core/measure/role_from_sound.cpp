#include "core/measure/strike.h"

#include <algorithm>
#include <array>

namespace cask::measure {
namespace {

struct Range {
    double from;
    double to;
    double slack; ///< over which it fades out on either side
};

/// 1 inside, falling to 0.
double fit(double value, const Range& r) {
    return std::clamp(1 - std::max(r.from - value, value - r.to) / r.slack, 0.0, 1.0);
}

/// Ranges that ordinary recordings of a role keep to. Wide, because tunings, rooms and spill differ.
struct Portrait {
    Role role;
    Range low, body, bright, high; // shares of the energy; bright is mid and high together
    Range decayMs;
    Range gapDb;
    Range peak;
    bool isStereo;
};

constexpr Range kAny{-1e9, 1e9, 1};

constexpr std::array kPortraits = {
    Portrait{Role::KickIn,
             {0.6, 1, 0.3},
             {0, 0.4, 0.3},
             {0, 0.15, 0.2},
             kAny,
             {30, 220, 120},
             {-90, -36, 16},
             kAny,
             false},
    Portrait{Role::FloorTom,
             {0.4, 0.95, 0.25},
             {0.05, 0.6, 0.2},
             {0, 0.05, 0.08},
             kAny,
             {170, 600, 80},
             {-32, 0, 12},
             {0.6, 1, 0.3},
             false},
    Portrait{Role::RackTom,
             {0, 0.25, 0.25},
             {0.7, 1, 0.3},
             {0, 0.05, 0.08},
             kAny,
             {130, 500, 60},
             kAny,
             {0.6, 1, 0.3},
             false},
    Portrait{Role::SnareTop,
             {0, 0.15, 0.2},
             {0.25, 0.92, 0.15},
             {0.08, 0.7, 0.08},
             {0, 0.4, 0.2},
             {30, 150, 70},
             {-90, -24, 14},
             kAny,
             false},
    Portrait{Role::SnareBottom,
             {0, 0.05, 0.1},
             {0.1, 0.5, 0.1},
             {0.5, 0.9, 0.15},
             {0.25, 0.7, 0.2},
             {30, 150, 70},
             {-90, -24, 14},
             kAny,
             false},
    Portrait{Role::ClosedHat,
             {0, 0.2, 0.3},
             {0, 0.12, 0.2},
             {0.7, 1, 0.4},
             {0.5, 1, 0.4},
             {10, 160, 60},
             kAny,
             kAny,
             false},
    Portrait{Role::Ride,
             {0, 0.1, 0.2},
             {0, 0.2, 0.2},
             {0.6, 1, 0.4},
             {0.35, 1, 0.3},
             {250, 2000, 120},
             kAny,
             kAny,
             false},
    Portrait{Role::Overhead,
             {0, 0.6, 0.2},
             {0, 0.5, 0.3},
             {0.12, 1, 0.1},
             kAny,
             {150, 2000, 100},
             kAny,
             kAny,
             true},
    Portrait{Role::Room,
             {0.1, 0.9, 0.2},
             {0.05, 0.7, 0.2},
             {0, 0.15, 0.15},
             kAny,
             {250, 2000, 120},
             {-20, 0, 12},
             kAny,
             true},
    Portrait{Role::Bass,
             {0.3, 1, 0.3},
             {0, 0.6, 0.3},
             {0, 0.1, 0.15},
             {0, 0.02, 0.05},
             {160, 2000, 80},
             kAny,
             {0, 0.55, 0.2},
             false},
};

constexpr double kMostConfidence = 0.8;
constexpr int kFewestHits = 4;

} // namespace

RoleGuess guessRoleFromSound(const Strike& s, int channels) {
    if (s.hits < kFewestHits)
        return {};
    RoleGuess guess;
    double best = 0;
    double second = 0;
    for (const auto& p : kPortraits) {
        if (p.isStereo != (channels >= 2))
            continue;
        // The worst of all fits: one thing that does not belong is enough against it.
        const double score =
            std::min({fit(s.lowShare, p.low), fit(s.bodyShare, p.body),
                      fit(s.midShare + s.highShare, p.bright), fit(s.highShare, p.high),
                      fit(s.decayMs, p.decayMs), fit(s.gapDb, p.gapDb), fit(s.peakShare, p.peak)});
        if (score > best) {
            second = best;
            best = score;
            guess.role = p.role;
        } else {
            second = std::max(second, score);
        }
    }
    guess.confidence = kMostConfidence * best * (1 - second / std::max(best, 1e-9) / 2);
    if (guess.confidence < 0.2)
        return {};
    return guess;
}

} // namespace cask::measure
