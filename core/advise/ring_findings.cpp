#include "core/advise/tone_moves.h"
#include "core/advise/tone_subject.h"
#include "core/advise/words.h"

#include <algorithm>

namespace cask::advise {
namespace {

using dsp::EqBand;
using measure::Ring;

constexpr std::size_t kMostRings = 3; // few moves before many
constexpr double kTogether = 1.2;     // times its surroundings
constexpr double kAlwaysShare = 0.75; // of hits: a ring that is heard on fewer is cut only then
constexpr double kDoneShare = 0.45;   // of a proposed cut: then it is there

/// Against the drum's note; 0 where that is not sure.
double overNote(const ToneSubject& on, double hz) {
    return on.tone.isNoteSure() ? hz / on.tone.partials.fundamental.hz : 0;
}
std::string howItRings(const Ring& ring) {
    return outlasts(ring)
               ? fmt::format("it takes {:.2f} s to die away where what lies around it takes {:.2f} s",
                             0.001 * ring.decayMs, 0.001 * ring.aroundMs)
               : fmt::format("it stands {:.0f} dB out of what lies around it", ring.outDb);
}
std::string ringAdvice(const EqBand& band, const EqBand& full, const RingCut* tried) {
    if (band.isDynamic())
        return fmt::format(
            "A narrow band that goes down by up to {:.0f} dB when it is loud takes it away only "
            "there.",
            -band.rangeDb);
    if (band.gainDb > full.gainDb)
        return fmt::format("A cut of {:.0f} dB there takes half of it.", -band.gainDb);
    if (tried == nullptr)
        return fmt::format("A narrow cut of {:.0f} dB there lets both end together.", -band.gainDb);
    const auto behind = fmt::format("Behind a narrow cut of {:.0f} dB there it is {:.0f} dB softer 0.15 s "
                                    "after a hit",
                                    -band.gainDb, tried->softerDb);
    return tried->endsMs > kTogether * tried->aroundMs ? behind + "; what is left still takes its time."
                                                       : behind + " and ends with what lies around it.";
}

} // namespace

void addRings(const ToneSubject& on, std::vector<Finding>& findings, std::map<std::string, EqBand>& cuts) {
    const auto& rings = on.tone.partials.rings;
    for (std::size_t i = 0; i < std::min(kMostRings, rings.size()); ++i) {
        const auto& ring = rings[i];
        const auto* tried = i < on.tone.ringCuts.size() ? &on.tone.ringCuts[i] : nullptr;
        const EqBand cut = tried != nullptr ? tried->band : ringCut(ring);
        if (on.doneDb(ring.hz) < kDoneShare * cut.gainDb)
            continue;
        // What is heard on some hits only is cut on those only.
        const bool isSometimes = ring.hits < kAlwaysShare * ring.hitsLookedAt;
        const auto school = isSometimes ? ToneSchool::Moving : on.style.toneSchool;
        const EqBand band = inSchool(cut, school, on.tone.levelAt(ring.hz));
        auto found = on.finding(fmt::format("ring-{}-{:.0f}", on.tone.element, ring.hz), Severity::Advice,
                                fmt::format("{} rings at {:.0f} Hz ({}): {}, on {} of {} hits. {}", on.name(),
                                            ring.hz, noteText(ring.hz), howItRings(ring), ring.hits,
                                            ring.hitsLookedAt, ringAdvice(band, cut, tried)));
        found.numbers = {{"frequency", ring.hz, "Hz"},
                         {"decay", ring.decayMs, "ms"},
                         {"around", ring.aroundMs, "ms"},
                         {"excess", ring.excessDb, "dB"},
                         {"out", ring.outDb, "dB"},
                         {"level", ring.levelDb, "dB"},
                         {"crowd", ring.crowdDb, "dB"},
                         {"over note", overNote(on, ring.hz), ""},
                         {"hits", static_cast<double>(ring.hits), ""},
                         {"own change", on.changeDb(on.tone.spectra.own, cut), "dB"}};
        if (tried != nullptr && band == tried->band) { // measured of that cut, not of gentler ones
            found.numbers.push_back({"softer after", tried->softerDb, "dB"});
            found.numbers.push_back({"decay after", tried->endsMs, "ms"});
        }
        found.school = schoolName(school);
        cuts[found.id] = band;
        found.proposal = on.adding(band, fmt::format("Cut the ring at {:.0f} Hz, {}", ring.hz, on.name()));
        findings.push_back(std::move(found));
    }
}

} // namespace cask::advise
