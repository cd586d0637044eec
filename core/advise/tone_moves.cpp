#include "core/advise/tone_moves.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace cask::advise {

using dsp::EqBand;

namespace {

constexpr double kDeepestDb = -24; // a ring's cut
constexpr double kLeftDb = 8;      // a partial among others
constexpr double kWidestQ = 6;
constexpr double kNarrowestQ = 200;
constexpr double kUnderUsualDb = 2;
constexpr double kMostHumpCutDb = 6;

} // namespace

bool outlasts(const measure::Ring& ring) {
    return ring.decayMs > kOutlasts * ring.aroundMs;
}

EqBand ringCut(const measure::Ring& ring, double deeper) {
    EqBand band;
    band.frequencyHz = std::round(10 * ring.hz) / 10;
    // One that is over with the rest is taken down to what is left of it there.
    const double ratio =
        outlasts(ring) ? ring.aroundMs / ring.decayMs : std::pow(10.0, -(ring.outDb - kLeftDb) / 20);
    const double a = std::sqrt(std::min(1.0, ratio) / deeper);
    band.gainDb = std::max(kDeepestDb, std::round(10 * 40 * std::log10(a)) / 10);
    const double q = a * kPi * ring.hz * 0.001 * ring.decayMs / std::log(1000.0);
    band.q = std::clamp(std::round(10 * q) / 10, kWidestQ, kNarrowestQ);
    return band;
}

namespace {} // namespace

double leastBoxDb(Role role) {
    return isKick(role) ? 5 : kBoxAtAllDb;
}

double allowedBoxBesideDb(Role role, bool isNear) {
    return isNear ? 6 : isKick(role) ? 9.5 : 7.5;
}

EqBand humpCut(const measure::Hump& hump, double tooMuchDb) {
    EqBand cut;
    cut.frequencyHz = std::round(hump.hz);
    cut.gainDb = -std::clamp(std::round(2 * (tooMuchDb + kUnderUsualDb)) / 2, kUnderUsualDb, kMostHumpCutDb);
    const double q = 1 / (2 * std::sinh(0.5 * std::log(2.0) * hump.octaves)); // of a band so wide
    cut.q = std::clamp(std::round(10 * q) / 10, 0.7, 3.0);
    return cut;
}

EqBand inSchool(EqBand cut, ToneSchool school, double levelDb) {
    constexpr double kBroadQ = 0.8;
    if (school == ToneSchool::Broad) {
        cut.q = std::min(cut.q, std::max(kBroadQ, cut.q / 8));
        cut.gainDb = std::round(5 * cut.gainDb) / 10; // half of it
    } else if (school == ToneSchool::Moving && levelDb > kSilenceDb) {
        // A hit of middling level reaches the end of the range.
        cut.dynamics = dsp::Dynamics::Above;
        cut.rangeDb = cut.gainDb;
        cut.gainDb = 0;
        cut.thresholdDb = std::round(levelDb + cut.rangeDb);
        cut.attackMs = 2;
        cut.releaseMs = 150;
    }
    return cut;
}

std::string schoolName(ToneSchool school) {
    return school == ToneSchool::Narrow  ? "narrow cuts"
           : school == ToneSchool::Broad ? "broad and gentle cuts"
                                         : "bands that move";
}

} // namespace cask::advise
