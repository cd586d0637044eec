#include "core/advise/causes.h"
#include "core/advise/tone_moves.h"
#include "core/advise/tone_subject.h"
#include "core/advise/words.h"
#include "core/dsp/eq_design.h"
#include "core/measure/tone/hump.h"
#include "core/session/edits.h"

#include <algorithm>
#include <cmath>

namespace cask::advise {
namespace {

using dsp::EqBand;
using dsp::FilterKind;
using session::Session;

constexpr double kWorthDb = 1; // of spill that a low cut takes
constexpr double kUnderFundamental = 0.7;
constexpr double kLowCutSlope = 12; // dB an octave: a gentle one first
constexpr double kHumpCutDb = 2;
constexpr int kMostOutOfRange = 2;
constexpr double kHumDownDb = -12;
constexpr double kDetectorQ = 4;

void addFundamental(const ToneSubject& on, std::vector<Finding>& findings) {
    const auto& f = on.tone.partials.fundamental;
    if (!on.tone.isNoteSure())
        return;
    auto found = on.finding(fmt::format("fundamental-{}", on.tone.element), Severity::Note,
                            fmt::format("{} sounds at {:.1f} Hz ({}).", on.name(), f.hz, noteText(f.hz)));
    found.numbers = {{"fundamental", f.hz, "Hz"}, {"confidence", f.confidence, ""}};
    if (f.decayMs > 0)
        found.numbers.push_back({"decay", f.decayMs, "ms"});
    findings.push_back(std::move(found));
}

/// Behind its equalisers, against drums of its role that were kept as references. The ranges that ship
/// with a style are of made-up drums: they are shown, not judged by.
void addRange(const ToneSubject& on, std::vector<Finding>& findings) {
    const Role role = on.role();
    const auto usual = on.style.references.of(role);
    if (!usual || usual->drums == 0)
        return;
    const auto shape = measure::shapeOf(measure::filtered(on.tone.spectra.own, [&](double hz) {
        return hz < 0.49 * on.session.sampleRateHz ? on.doneDb(hz) : 0.0;
    }));
    if (!shape)
        return;
    int count = 0;
    for (const auto& out :
         measure::outOfRange(*shape, usual->range, on.style.rangeDb, on.tone.lowestOwnHz())) {
        if (++count > kMostOutOfRange)
            break;
        const double hz = std::sqrt(out.fromHz * out.toHz);
        const bool isOver = out.excessDb > 0;
        auto found = on.finding(
            fmt::format("range-{}-{:.0f}", on.tone.element, hz), isOver ? Severity::Advice : Severity::Note,
            fmt::format("From {:.0f} to {:.0f} Hz {} lies {:.1f} dB {} the range of your {} references for "
                        "{}.",
                        out.fromHz, out.toHz, on.name(), std::abs(out.excessDb), isOver ? "over" : "under",
                        usual->drums, roleInfo(role).name));
        found.numbers = {{"from", out.fromHz, "Hz"}, {"to", out.toHz, "Hz"}, {"excess", out.excessDb, "dB"}};
        if (isOver) { // cut before boost: what is missing may be hidden, or left to the ear
            measure::Hump hump;
            hump.hz = std::round(hz);
            hump.octaves = std::log2(out.toHz / out.fromHz);
            EqBand band = humpCut(hump, out.excessDb - kHumpCutDb);
            found.numbers.push_back({"own change", on.changeDb(on.tone.spectra.own, band), "dB"});
            found.numbers.push_back({"spill change", on.changeDb(on.tone.spectra.spill, band), "dB"});
            found.proposal = on.adding(band, fmt::format("Cut at {:.0f} Hz, {}", hump.hz, on.name()));
        }
        findings.push_back(std::move(found));
    }
}

/// A tom that hums along is held down at its note as long as nobody strikes it.
void addSympathy(const ToneSubject& on, std::vector<Finding>& findings) {
    const auto& hum = on.tone.sympathy;
    if (hum.hz <= 0 || (on.role() != Role::RackTom && on.role() != Role::FloorTom) ||
        hum.hits < 0.01 * on.style.sympathyPercent * hum.hitsLookedAt)
        return;
    auto found = on.finding(
        fmt::format("sympathy-{}", on.tone.element), Severity::Advice,
        fmt::format("{} rings in sympathy at {:.0f} Hz ({}) after {} of {} hits of other drums, for {:.1f} "
                    "s{}, {:.0f} % "
                    "of its lows between own hits. A band there that goes down when it is soft keeps these "
                    "whole; a gate "
                    "does it too.",
                    on.name(), hum.hz, noteText(hum.hz), hum.hits, hum.hitsLookedAt, 0.001 * hum.decayMs,
                    hum.isLevelKnown ? fmt::format(", {:.0f} dB under own hits", -hum.levelDb)
                                     : std::string(),
                    100 * hum.shareOfLows));
    found.numbers = {{"frequency", hum.hz, "Hz"},
                     {"hits", static_cast<double>(hum.hits), ""},
                     {"decay", hum.decayMs, "ms"},
                     {"level", hum.levelDb, "dB"},
                     {"share of lows", 100 * hum.shareOfLows, "%"}};
    const bool isGated =
        session::findModule<dsp::GateSettings>(*on.session.chain(on.tone.element)) != nullptr;
    const bool isHeldDown = [&] {
        for (const auto& module : *on.session.chain(on.tone.element))
            if (const auto* eq = std::get_if<dsp::EqSettings>(&module.settings))
                for (const auto& band : eq->bands)
                    if (band.isDynamic() && band.dynamics == dsp::Dynamics::Below && band.isOn &&
                        std::abs(band.frequencyHz / hum.hz - 1) < 0.05)
                        return true;
        return false;
    }();
    if (isGated || isHeldDown)
        return;
    if (const double own = on.tone.levelAt(hum.hz); own > kSilenceDb) {
        EqBand band;
        band.frequencyHz = std::round(10 * hum.hz) / 10;
        band.q = kDetectorQ;
        band.dynamics = dsp::Dynamics::Below;
        band.rangeDb = kHumDownDb;
        band.thresholdDb = std::round(own + std::max(-20.0, hum.levelDb / 2));
        band.attackMs = 2;
        band.releaseMs = 200;
        found.proposal =
            on.adding(band, fmt::format("Hold down {:.0f} Hz between hits, {}", hum.hz, on.name()));
    }
    findings.push_back(std::move(found));
}

void addLowCut(const ToneSubject& on, std::vector<Finding>& findings) {
    const auto& fundamental = on.tone.partials.fundamental;
    // Of a drum whose note is not known, nobody can say what is under it.
    const bool isShell = roleInfo(on.role()).group == RoleGroup::Shells;
    if (isShell && !on.tone.isNoteSure())
        return;
    // What rings on in the room while a cymbal sounds is none of its own.
    const auto& own = on.tone.hearsAll ? on.tone.spectra.attack : on.tone.spectra.own;
    EqBand band;
    band.kind = FilterKind::HighPass;
    band.slopeDbPerOct = kLowCutSlope;
    double hz = measure::findLowCut(own, on.tone.spectra.spill, on.style.lowCutLossDb).hz;
    if (on.tone.isNoteSure())
        hz = std::min(hz, kUnderFundamental * fundamental.hz);
    // The gentle slope reaches further up than the steep one that the search goes by.
    const auto cornerAt = [&](double at) {
        band.frequencyHz = std::floor(at);
        return on.changeDb(own, band);
    };
    constexpr double kLowestHz = 25;
    const double step = std::exp2(-1.0 / 12);
    while (hz >= kLowestHz && -cornerAt(hz) > on.style.lowCutLossDb)
        hz *= step;
    hz = std::floor(hz);
    if (hz < kLowestHz || on.tone.spectra.spillHits == 0 || on.doneDb(hz / 2) < -6)
        return;
    const double ownDb = cornerAt(hz);
    const double spillDb = on.changeDb(on.tone.spectra.spill, band);
    if (spillDb > -kWorthDb || ownDb < spillDb + kWorthDb)
        return;
    auto found = on.finding(
        fmt::format("low-cut-{}", on.tone.element), Severity::Advice,
        fmt::format("A high-pass at {:.0f} Hz ({:.0f} dB/oct) takes {:.1f} dB off {} in {} and costs {} "
                    "{:.1f} dB.",
                    hz, kLowCutSlope, -spillDb,
                    on.tone.hearsAll ? "the drums, which have microphones of their own," : "the spill",
                    on.name(), on.tone.hearsAll ? "the cymbals" : "its own hits", -ownDb));
    found.numbers = {{"corner", hz, "Hz"}, {"own change", ownDb, "dB"}, {"spill change", spillDb, "dB"}};
    found.proposal = on.adding(band, fmt::format("High-pass at {:.0f} Hz, {}", hz, on.name()));
    findings.push_back(std::move(found));
}

/// Overheads keep the body of what has no microphone; where all have one, their lows can go.
void addOverheads(const ToneSubject& on, std::vector<Finding>& findings) {
    if (!on.tone.carried.empty()) {
        findings.push_back(on.finding(
            fmt::format("carried-{}", on.tone.element), Severity::Note,
            fmt::format("{} have no microphone of their own: {} carries their body and wants no high-pass.",
                        listed(on.tone.carried), on.name())));
        return;
    }
    addLowCut(on, findings);
}

/// What the filters that are there have made of it.
void addAfter(const ToneSubject& on, std::vector<Finding>& findings) {
    if (!on.tone.after || on.tone.after->chain != *on.session.chain(on.tone.element))
        return;
    const auto& after = *on.tone.after;
    std::string rings;
    for (const auto& ring : after.rings)
        if (ring.afterMs > 0)
            rings += fmt::format(", {:.0f} Hz takes {:.2f} s ({:.2f} s before, {:.2f} s around it)", ring.hz,
                                 0.001 * ring.afterMs, 0.001 * ring.beforeMs, 0.001 * ring.aroundMs);
    auto found =
        on.finding(fmt::format("after-{}", on.tone.element), Severity::Note,
                   fmt::format("Behind its filters {} has {:+.1f} dB of own hits and {:+.1f} dB of spill{}.",
                               on.name(), after.ownDb, after.spillDb, rings));
    found.numbers = {{"own change", after.ownDb, "dB"}, {"spill change", after.spillDb, "dB"}};
    for (const auto& ring : after.rings)
        found.numbers.push_back({fmt::format("decay at {:.0f} Hz", ring.hz), ring.afterMs, "ms"});
    findings.push_back(std::move(found));
}

/// `cuts`: gets the cut of each ring, by the finding's id.
void addAll(const ToneSubject& on, std::vector<Finding>& findings, std::map<std::string, EqBand>& cuts) {
    if (on.tone.hearsAll) {
        addOverheads(on, findings);
        return;
    }
    addFundamental(on, findings);
    addRings(on, findings, cuts);
    addBoxiness(on, findings);
    addHarshness(on, findings);
    addRange(on, findings);
    addSympathy(on, findings);
    addLowCut(on, findings);
    addAfter(on, findings);
}

} // namespace

std::vector<Finding> toneFindings(const Session& s, const KitMeasures& measures, const HouseStyle& style) {
    std::vector<Finding> findings;
    std::map<std::string, EqBand> cuts;
    for (const auto& tone : measures.tones)
        if (s.element(tone.element) != nullptr)
            addAll(ToneSubject(s, tone, measures.hits.get(), style), findings, cuts);
    if (measures.hits)
        joinRings(findings, cuts, s, *measures.hits);
    return findings;
}

} // namespace cask::advise
