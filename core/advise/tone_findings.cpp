#include "core/advise/advise.h"
#include "core/advise/causes.h"
#include "core/advise/tone_moves.h"
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
using measure::Ring;
using session::Id;
using session::Session;

constexpr double kWorthDb = 1; // of spill that a low cut takes
constexpr double kUnderFundamental = 0.7;
constexpr double kLowCutSlope = 12;   // dB an octave: a gentle one first
constexpr std::size_t kMostRings = 3; // few moves before many
constexpr double kOutlasts = 1.4;     // times its surroundings
constexpr double kTogether = 1.2;     // times its surroundings
constexpr double kAlwaysShare = 0.75; // of hits: a ring that is heard on fewer is cut only then
constexpr double kDoneShare = 0.45;   // of a proposed cut: then it is there
constexpr double kHumpCutDb = 2;
constexpr int kMostOutOfRange = 2;
constexpr double kHumDownDb = -12;
constexpr double kDetectorQ = 4;
constexpr double kHeardBeforeS = 0.1;
constexpr double kHeardAfterS = 2.5;

/// What the equalisers that are on do already.
std::vector<dsp::SvfCoefficients> sectionsNow(const Session& s, Id element) {
    std::vector<dsp::SvfCoefficients> sections;
    for (const auto& module : *s.chain(element))
        if (const auto* eq = std::get_if<dsp::EqSettings>(&module.settings); eq != nullptr && module.isOn) {
            auto moved = *eq; // bands that go down when it is loud have done so
            for (auto& band : moved.bands)
                if (band.isDynamic() && band.dynamics == dsp::Dynamics::Above)
                    band.gainDb += band.rangeDb;
            for (const auto& section : dsp::designEq(moved, s.sampleRateHz))
                sections.push_back(section);
        }
    return sections;
}

class ToneFindings {
  public:
    ToneFindings(const Session& s, const ToneMeasure& tone, const HitAnalysis* hits, const HouseStyle& style)
        : m_session(s), m_tone(tone), m_hits(hits), m_style(style), m_now(sectionsNow(s, tone.element)) {}

    /// `cuts`: gets the cut of each ring, by the finding's id.
    void addTo(std::vector<Finding>& findings, std::map<std::string, EqBand>& cuts) const {
        if (m_tone.hearsAll) {
            addOverheads(findings);
            return;
        }
        addFundamental(findings);
        addRings(findings, cuts);
        addBoxiness(findings);
        addHarshness(findings);
        addRange(findings);
        addSympathy(findings);
        addLowCut(findings);
        addAfter(findings);
    }

  private:
    /// Of the equalisers as they are, dB.
    [[nodiscard]] double doneDb(double hz) const {
        return dsp::responseDb(m_now, hz, m_session.sampleRateHz);
    }
    [[nodiscard]] std::string name() const { return m_session.nameOf(m_tone.element); }
    [[nodiscard]] Role role() const { return m_session.element(m_tone.element)->role; }
    [[nodiscard]] Finding finding(const std::string& id, Severity severity, std::string sentence) const {
        Finding f;
        f.id = id;
        f.stage = Stage::Tone;
        f.element = m_tone.element;
        f.severity = severity;
        f.sentence = std::move(sentence);
        f.hearing = loudestHit();
        return f;
    }
    /// The element alone, from just before its loudest own hit on.
    [[nodiscard]] std::optional<Hearing> loudestHit() const {
        const int input = m_hits == nullptr ? -1 : m_hits->inputOf(m_tone.element);
        const measure::HeardHit* loudest = nullptr;
        if (input >= 0)
            for (const auto& hit : m_hits->hits.heard)
                if (hit.input == input && hit.isOwn && (loudest == nullptr || hit.levelDb > loudest->levelDb))
                    loudest = &hit;
        if (loudest == nullptr)
            return std::nullopt;
        return Hearing{
            {m_tone.element}, std::max(0.0, loudest->timeS - kHeardBeforeS), loudest->timeS + kHeardAfterS};
    }
    [[nodiscard]] Proposal adding(const EqBand& band, std::string words) const {
        return {std::move(words), [element = m_tone.element, band](Session s) {
                    session::addBand(s, element, band);
                    return s;
                }};
    }

    void addFundamental(std::vector<Finding>& findings) const {
        const auto& f = m_tone.partials.fundamental;
        if (!m_tone.isNoteSure())
            return;
        auto found = finding(fmt::format("fundamental-{}", m_tone.element), Severity::Note,
                             fmt::format("{} sounds at {:.1f} Hz ({}).", name(), f.hz, noteText(f.hz)));
        found.numbers = {{"fundamental", f.hz, "Hz"}, {"confidence", f.confidence, ""}};
        if (f.decayMs > 0)
            found.numbers.push_back({"decay", f.decayMs, "ms"});
        findings.push_back(std::move(found));
    }

    void addRings(std::vector<Finding>& findings, std::map<std::string, EqBand>& cuts) const {
        const auto& rings = m_tone.partials.rings;
        for (std::size_t i = 0; i < std::min(kMostRings, rings.size()); ++i) {
            const auto& ring = rings[i];
            const auto* tried = i < m_tone.ringCuts.size() ? &m_tone.ringCuts[i] : nullptr;
            const EqBand cut = tried != nullptr ? tried->band : ringCut(ring);
            if (doneDb(ring.hz) < kDoneShare * cut.gainDb)
                continue;
            // What is heard on some hits only is cut on those only.
            const bool isSometimes = ring.hits < kAlwaysShare * ring.hitsLookedAt;
            const auto school = isSometimes ? ToneSchool::Moving : m_style.toneSchool;
            const EqBand band = inSchool(cut, school, m_tone.levelAt(ring.hz));
            auto found = finding(fmt::format("ring-{}-{:.0f}", m_tone.element, ring.hz), Severity::Advice,
                                 fmt::format("{} rings at {:.0f} Hz ({}): {}, on {} of {} hits. {}", name(),
                                             ring.hz, noteText(ring.hz), howItRings(ring), ring.hits,
                                             ring.hitsLookedAt, ringAdvice(band, cut, tried)));
            found.numbers = {{"frequency", ring.hz, "Hz"},
                             {"decay", ring.decayMs, "ms"},
                             {"around", ring.aroundMs, "ms"},
                             {"excess", ring.excessDb, "dB"},
                             {"out", ring.outDb, "dB"},
                             {"level", ring.levelDb, "dB"},
                             {"crowd", ring.crowdDb, "dB"},
                             {"over note", overNote(ring.hz), ""},
                             {"hits", static_cast<double>(ring.hits), ""},
                             {"own change", changeDb(m_tone.spectra.own, cut), "dB"}};
            if (tried != nullptr && band == tried->band) { // measured of that cut, not of gentler ones
                found.numbers.push_back({"softer after", tried->softerDb, "dB"});
                found.numbers.push_back({"decay after", tried->endsMs, "ms"});
            }
            found.school = schoolName(school);
            cuts[found.id] = band;
            found.proposal = adding(band, fmt::format("Cut the ring at {:.0f} Hz, {}", ring.hz, name()));
            findings.push_back(std::move(found));
        }
    }
    /// Against the drum's note; 0 where that is not sure.
    [[nodiscard]] double overNote(double hz) const {
        return m_tone.isNoteSure() ? hz / m_tone.partials.fundamental.hz : 0;
    }
    [[nodiscard]] static std::string howItRings(const Ring& ring) {
        return ring.decayMs > kOutlasts * ring.aroundMs
                   ? fmt::format("it takes {:.2f} s to die away where what lies around it takes {:.2f} s",
                                 0.001 * ring.decayMs, 0.001 * ring.aroundMs)
                   : fmt::format("it stands {:.0f} dB out of what lies around it", ring.outDb);
    }
    [[nodiscard]] static std::string ringAdvice(const EqBand& band, const EqBand& full,
                                                const RingCut* tried) {
        if (band.isDynamic())
            return fmt::format(
                "A narrow band that goes down by up to {:.0f} dB when it is loud takes it away only "
                "there.",
                -band.rangeDb);
        if (band.gainDb > full.gainDb)
            return fmt::format("A cut of {:.0f} dB there takes half of it.", -band.gainDb);
        if (tried == nullptr)
            return fmt::format("A narrow cut of {:.0f} dB there lets both end together.", -band.gainDb);
        const auto behind =
            fmt::format("Behind a narrow cut of {:.0f} dB there it is {:.0f} dB softer 0.15 s "
                        "after a hit",
                        -band.gainDb, tried->softerDb);
        return tried->endsMs > kTogether * tried->aroundMs ? behind + "; what is left still takes its time."
                                                           : behind + " and ends with what lies around it.";
    }

    /// Change of a spectrum's energy by a move.
    [[nodiscard]] double changeDb(const measure::Spectrum& spectrum, const EqBand& band) const {
        return measure::energyChangeDb(spectrum, responseOf(band));
    }
    [[nodiscard]] std::function<double(double)> responseOf(EqBand band) const {
        if (band.isDynamic())
            band.gainDb += band.rangeDb;
        return [sections = dsp::designBand(band, m_session.sampleRateHz),
                rate = m_session.sampleRateHz](double hz) { return dsp::responseDb(sections, hz, rate); };
    }

    /// Where a drum is held to rise too far.
    struct TooMuch {
        measure::Hump hump;
        double allowedDb = 0;
        const measure::Spectrum* of = nullptr;
        std::string
            rise; ///< "its hits rise 10 dB over what lies to both sides, where this style allows 7 dB"
    };
    using MeasureHump = measure::Hump (*)(const measure::Spectrum&);

    [[nodiscard]] TooMuch atAll(MeasureHump measureIt, double allowedDb) const {
        TooMuch found{measureIt(m_tone.spectra.own), allowedDb, &m_tone.spectra.own, ""};
        found.rise = fmt::format(
            "its hits rise {:.0f} dB over what lies to both sides, where this style allows {:.0f} dB",
            found.hump.excessDb, allowedDb);
        return found;
    }
    void addBoxiness(std::vector<Finding>& findings) const {
        if (m_tone.spectra.own.bandDb.empty())
            return;
        auto most = atAll(measure::measureBoxiness, allowedBoxDb(m_style, role()));
        if (m_tone.beside && most.hump.excessDb >= leastBoxDb(role())) {
            const auto& beside = *m_tone.beside;
            const double limitDb = allowedBoxBesideDb(role(), beside.isNear);
            const auto hump = measure::measureBoxiness(beside.difference);
            if (hump.isTop && hump.excessDb >= limitDb &&
                (!most.hump.isTop || hump.excessDb - limitDb > most.hump.excessDb - most.allowedDb))
                most = {hump, limitDb, &beside.difference,
                        fmt::format("it hears {:.0f} dB more of the drum than {} does, against what lies to "
                                    "both sides; its place explains up to {:.0f} dB",
                                    hump.excessDb, m_session.nameOf(beside.other), limitDb)};
        }
        addHump(findings, "box", "boxy", measure::measureBoxiness, most);
    }
    void addHarshness(std::vector<Finding>& findings) const {
        if (!m_tone.spectra.own.bandDb.empty())
            addHump(findings, "harsh", "harsh", measure::measureHarshness,
                    atAll(measure::measureHarshness, allowedHarshDb(m_style, role())));
    }
    void addHump(std::vector<Finding>& findings, const std::string& id, const std::string& word,
                 MeasureHump measureIt, const TooMuch& most) const {
        const auto& hump = most.hump;
        const double tooMuch = hump.excessDb - most.allowedDb;
        if (hump.hz <= 0 || !hump.isTop || tooMuch < 0 || doneDb(hump.hz) < -kHumpCutDb / 2)
            return;
        const EqBand cut = humpCut(hump, tooMuch);
        const EqBand band = inSchool(cut, m_style.toneSchool, m_tone.levelAt(hump.hz));
        const auto after = measureIt(measure::filtered(*most.of, responseOf(band)));
        auto found = finding(
            fmt::format("{}-{}", id, m_tone.element), Severity::Advice,
            fmt::format("{} is {}: around {:.0f} Hz {}. {} would leave {:.0f} dB.", name(), word, hump.hz,
                        most.rise,
                        band.isDynamic()
                            ? fmt::format("A band there that goes down by up to {:.1f} dB when it is loud",
                                          -band.rangeDb)
                            : fmt::format("A {} cut of {:.1f} dB there", band.q < 0.9 ? "broad" : "medium",
                                          -band.gainDb),
                        after.excessDb));
        found.numbers = {{"frequency", hump.hz, "Hz"},
                         {"excess", hump.excessDb, "dB"},
                         {"allowed", most.allowedDb, "dB"},
                         {"excess after", after.excessDb, "dB"},
                         {"own change", changeDb(m_tone.spectra.own, band), "dB"},
                         {"spill change", changeDb(m_tone.spectra.spill, band), "dB"}};
        found.school = schoolName(m_style.toneSchool);
        found.proposal = adding(band, fmt::format("Cut at {:.0f} Hz, {}", hump.hz, name()));
        findings.push_back(std::move(found));
    }

    /// Behind its equalisers, against drums of its role that were kept as references. The ranges that ship
    /// with a style are of made-up drums: they are shown, not judged by.
    void addRange(std::vector<Finding>& findings) const {
        const auto role = m_session.element(m_tone.element)->role;
        const auto usual = m_style.references.of(role);
        if (!usual || usual->drums == 0)
            return;
        const auto shape = measure::shapeOf(measure::filtered(m_tone.spectra.own, [&](double hz) {
            return hz < 0.49 * m_session.sampleRateHz ? doneDb(hz) : 0.0;
        }));
        if (!shape)
            return;
        int count = 0;
        for (const auto& out :
             measure::outOfRange(*shape, usual->range, m_style.rangeDb, m_tone.lowestOwnHz())) {
            if (++count > kMostOutOfRange)
                break;
            const double hz = std::sqrt(out.fromHz * out.toHz);
            const bool isOver = out.excessDb > 0;
            auto found = finding(
                fmt::format("range-{}-{:.0f}", m_tone.element, hz),
                isOver ? Severity::Advice : Severity::Note,
                fmt::format(
                    "From {:.0f} to {:.0f} Hz {} lies {:.1f} dB {} the range of your {} references for "
                    "{}.",
                    out.fromHz, out.toHz, name(), std::abs(out.excessDb), isOver ? "over" : "under",
                    usual->drums, roleInfo(role).name));
            found.numbers = {
                {"from", out.fromHz, "Hz"}, {"to", out.toHz, "Hz"}, {"excess", out.excessDb, "dB"}};
            if (isOver) { // cut before boost: what is missing may be hidden, or left to the ear
                measure::Hump hump;
                hump.hz = std::round(hz);
                hump.octaves = std::log2(out.toHz / out.fromHz);
                EqBand band = humpCut(hump, out.excessDb - kHumpCutDb);
                found.numbers.push_back({"own change", changeDb(m_tone.spectra.own, band), "dB"});
                found.numbers.push_back({"spill change", changeDb(m_tone.spectra.spill, band), "dB"});
                found.proposal = adding(band, fmt::format("Cut at {:.0f} Hz, {}", hump.hz, name()));
            }
            findings.push_back(std::move(found));
        }
    }

    /// A tom that hums along is held down at its note as long as nobody strikes it.
    void addSympathy(std::vector<Finding>& findings) const {
        const auto& hum = m_tone.sympathy;
        if (hum.hz <= 0 || (role() != Role::RackTom && role() != Role::FloorTom) ||
            hum.hits < 0.01 * m_style.sympathyPercent * hum.hitsLookedAt)
            return;
        auto found = finding(
            fmt::format("sympathy-{}", m_tone.element), Severity::Advice,
            fmt::format(
                "{} rings in sympathy at {:.0f} Hz ({}) after {} of {} hits of other drums, for {:.1f} s, "
                "{:.0f} dB under "
                "its own "
                "hits and {:.0f} % of its lows between them. A band there that goes down when it is soft "
                "keeps its own hits whole; a gate does it too.",
                name(), hum.hz, noteText(hum.hz), hum.hits, hum.hitsLookedAt, 0.001 * hum.decayMs,
                -hum.levelDb, 100 * hum.shareOfLows));
        found.numbers = {{"frequency", hum.hz, "Hz"},
                         {"hits", static_cast<double>(hum.hits), ""},
                         {"decay", hum.decayMs, "ms"},
                         {"level", hum.levelDb, "dB"},
                         {"share of lows", 100 * hum.shareOfLows, "%"}};
        const bool isGated =
            session::findModule<dsp::GateSettings>(*m_session.chain(m_tone.element)) != nullptr;
        const bool isHeldDown = [&] {
            for (const auto& module : *m_session.chain(m_tone.element))
                if (const auto* eq = std::get_if<dsp::EqSettings>(&module.settings))
                    for (const auto& band : eq->bands)
                        if (band.isDynamic() && band.dynamics == dsp::Dynamics::Below && band.isOn &&
                            std::abs(band.frequencyHz / hum.hz - 1) < 0.05)
                            return true;
            return false;
        }();
        if (isGated || isHeldDown)
            return;
        if (const double own = m_tone.levelAt(hum.hz); own > kSilenceDb) {
            EqBand band;
            band.frequencyHz = std::round(10 * hum.hz) / 10;
            band.q = kDetectorQ;
            band.dynamics = dsp::Dynamics::Below;
            band.rangeDb = kHumDownDb;
            band.thresholdDb = std::round(own + std::max(-20.0, hum.levelDb / 2));
            band.attackMs = 2;
            band.releaseMs = 200;
            found.proposal =
                adding(band, fmt::format("Hold down {:.0f} Hz between hits, {}", hum.hz, name()));
        }
        findings.push_back(std::move(found));
    }

    /// Overheads keep the body of what has no microphone; where all have one, their lows can go.
    void addOverheads(std::vector<Finding>& findings) const {
        if (!m_tone.carried.empty()) {
            findings.push_back(finding(
                fmt::format("carried-{}", m_tone.element), Severity::Note,
                fmt::format(
                    "{} have no microphone of their own: {} carries their body and wants no high-pass.",
                    listed(m_tone.carried), name())));
            return;
        }
        addLowCut(findings);
    }

    /// What the filters that are there have made of it.
    void addAfter(std::vector<Finding>& findings) const {
        if (!m_tone.after || m_tone.after->chain != *m_session.chain(m_tone.element))
            return;
        const auto& after = *m_tone.after;
        std::string rings;
        for (const auto& ring : after.rings)
            if (ring.afterMs > 0)
                rings +=
                    fmt::format(", {:.0f} Hz takes {:.2f} s ({:.2f} s before, {:.2f} s around it)", ring.hz,
                                0.001 * ring.afterMs, 0.001 * ring.beforeMs, 0.001 * ring.aroundMs);
        auto found =
            finding(fmt::format("after-{}", m_tone.element), Severity::Note,
                    fmt::format("Behind its filters {} has {:+.1f} dB of own hits and {:+.1f} dB of spill{}.",
                                name(), after.ownDb, after.spillDb, rings));
        found.numbers = {{"own change", after.ownDb, "dB"}, {"spill change", after.spillDb, "dB"}};
        for (const auto& ring : after.rings)
            found.numbers.push_back({fmt::format("decay at {:.0f} Hz", ring.hz), ring.afterMs, "ms"});
        findings.push_back(std::move(found));
    }

    void addLowCut(std::vector<Finding>& findings) const {
        const auto& fundamental = m_tone.partials.fundamental;
        // Of a drum whose note is not known, nobody can say what is under it.
        const bool isShell = roleInfo(role()).group == RoleGroup::Shells;
        if (isShell && !m_tone.isNoteSure())
            return;
        // What rings on in the room while a cymbal sounds is none of its own.
        const auto& own = m_tone.hearsAll ? m_tone.spectra.attack : m_tone.spectra.own;
        EqBand band;
        band.kind = FilterKind::HighPass;
        band.slopeDbPerOct = kLowCutSlope;
        double hz = measure::findLowCut(own, m_tone.spectra.spill, m_style.lowCutLossDb).hz;
        if (m_tone.isNoteSure())
            hz = std::min(hz, kUnderFundamental * fundamental.hz);
        // The gentle slope reaches further up than the steep one that the search goes by.
        const auto cornerAt = [&](double at) {
            band.frequencyHz = std::floor(at);
            return changeDb(own, band);
        };
        constexpr double kLowestHz = 25;
        const double step = std::exp2(-1.0 / 12);
        while (hz >= kLowestHz && -cornerAt(hz) > m_style.lowCutLossDb)
            hz *= step;
        hz = std::floor(hz);
        if (hz < kLowestHz || m_tone.spectra.spillHits == 0 || doneDb(hz / 2) < -6)
            return;
        const double ownDb = cornerAt(hz);
        const double spillDb = changeDb(m_tone.spectra.spill, band);
        if (spillDb > -kWorthDb || ownDb < spillDb + kWorthDb)
            return;
        auto found = finding(
            fmt::format("low-cut-{}", m_tone.element), Severity::Advice,
            fmt::format("A high-pass at {:.0f} Hz ({:.0f} dB/oct) takes {:.1f} dB off {} in {} and costs {} "
                        "{:.1f} dB.",
                        hz, kLowCutSlope, -spillDb,
                        m_tone.hearsAll ? "the drums, which have microphones of their own," : "the spill",
                        name(), m_tone.hearsAll ? "the cymbals" : "its own hits", -ownDb));
        found.numbers = {{"corner", hz, "Hz"}, {"own change", ownDb, "dB"}, {"spill change", spillDb, "dB"}};
        found.proposal = adding(band, fmt::format("High-pass at {:.0f} Hz, {}", hz, name()));
        findings.push_back(std::move(found));
    }

    const Session& m_session;
    const ToneMeasure& m_tone;
    const HitAnalysis* m_hits;
    const HouseStyle& m_style;
    std::vector<dsp::SvfCoefficients> m_now;
};

} // namespace

std::vector<Finding> toneFindings(const Session& s, const KitMeasures& measures, const HouseStyle& style) {
    std::vector<Finding> findings;
    std::map<std::string, EqBand> cuts;
    for (const auto& tone : measures.tones)
        if (s.element(tone.element) != nullptr)
            ToneFindings(s, tone, measures.hits.get(), style).addTo(findings, cuts);
    if (measures.hits)
        joinRings(findings, cuts, s, *measures.hits);
    return findings;
}

} // namespace cask::advise
