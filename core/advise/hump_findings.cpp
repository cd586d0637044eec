#include "core/advise/tone_moves.h"
#include "core/advise/tone_subject.h"
#include "core/advise/words.h"
#include "core/measure/tone/hump.h"

#include <fmt/format.h>

namespace cask::advise {
namespace {

using dsp::EqBand;

constexpr double kDoneDb = -1; // of a cut: then it is there

/// Where a drum is held to rise too far.
struct TooMuch {
    measure::Hump hump;
    double allowedDb = 0;
    const measure::Spectrum* of = nullptr;
    std::string rise; ///< "its hits rise 10 dB over what lies to both sides, where this style allows 7 dB"
};
using MeasureHump = measure::Hump (*)(const measure::Spectrum&);

TooMuch atAll(const ToneSubject& on, MeasureHump measureIt, double allowedDb) {
    TooMuch found{measureIt(on.tone.spectra.own), allowedDb, &on.tone.spectra.own, ""};
    found.rise = fmt::format(
        "its hits rise {0:.{2}f} dB over what lies to both sides, where this style allows {1:.{2}f} dB",
        found.hump.excessDb, allowedDb, decimalsOf(found.hump.excessDb, allowedDb));
    return found;
}
void addHump(const ToneSubject& on, std::vector<Finding>& findings, const std::string& id,
             const std::string& word, MeasureHump measureIt, const TooMuch& most) {
    const auto& hump = most.hump;
    const double tooMuch = hump.excessDb - most.allowedDb;
    if (hump.hz <= 0 || !hump.isTop || tooMuch < 0 || on.doneDb(hump.hz) < kDoneDb)
        return;
    const EqBand cut = humpCut(hump, tooMuch);
    const EqBand band = inSchool(cut, on.style.toneSchool, on.tone.levelAt(hump.hz));
    const auto after = measureIt(measure::filtered(*most.of, on.responseOf(band)));
    auto found = on.finding(
        fmt::format("{}-{}", id, on.tone.element), Severity::Advice,
        fmt::format(
            "{} is {}: around {:.0f} Hz {}. {} would leave {:.{}f} dB.", on.name(), word, hump.hz, most.rise,
            band.isDynamic()
                ? fmt::format("A band there that goes down by up to {:.1f} dB when it is loud", -band.rangeDb)
                : fmt::format("A {} cut of {:.1f} dB there", band.q < 0.9 ? "broad" : "medium", -band.gainDb),
            after.excessDb, decimalsOf(hump.excessDb, most.allowedDb)));
    found.numbers = {{"frequency", hump.hz, "Hz"},
                     {"excess", hump.excessDb, "dB"},
                     {"allowed", most.allowedDb, "dB"},
                     {"excess after", after.excessDb, "dB"},
                     {"own change", on.changeDb(on.tone.spectra.own, band), "dB"},
                     {"spill change", on.changeDb(on.tone.spectra.spill, band), "dB"}};
    found.school = schoolName(on.style.toneSchool);
    found.proposal = on.adding(band, fmt::format("Cut at {:.0f} Hz, {}", hump.hz, on.name()));
    findings.push_back(std::move(found));
}

} // namespace

void addBoxiness(const ToneSubject& on, std::vector<Finding>& findings) {
    if (on.tone.spectra.own.bandDb.empty())
        return;
    auto most = atAll(on, measure::measureBoxiness, allowedBoxDb(on.style, on.role()));
    if (on.tone.beside && on.session.element(on.tone.beside->other) != nullptr &&
        most.hump.excessDb >= leastBoxDb(on.role())) {
        const auto& beside = *on.tone.beside;
        const double limitDb = allowedBoxBesideDb(on.role(), beside.isNear);
        const auto hump = measure::measureBoxiness(beside.difference);
        if (hump.isTop && hump.excessDb >= limitDb &&
            (!most.hump.isTop || hump.excessDb - limitDb > most.hump.excessDb - most.allowedDb))
            most = {hump, limitDb, &beside.difference,
                    fmt::format("it hears {0:.{3}f} dB more of the drum than {1} does, against what lies to "
                                "both sides; its place explains up to {2:.{3}f} dB",
                                hump.excessDb, on.session.nameOf(beside.other), limitDb,
                                decimalsOf(hump.excessDb, limitDb))};
    }
    addHump(on, findings, "box", "boxy", measure::measureBoxiness, most);
}
void addHarshness(const ToneSubject& on, std::vector<Finding>& findings) {
    if (!on.tone.spectra.own.bandDb.empty())
        addHump(on, findings, "harsh", "harsh", measure::measureHarshness,
                atAll(on, measure::measureHarshness, allowedHarshDb(on.style, on.role())));
}

} // namespace cask::advise
