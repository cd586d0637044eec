#include "core/advise/advise.h"
#include "core/advise/words.h"
#include "core/dsp/eq_design.h"
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

constexpr double kSure = 0.6;      // of a fundamental that is spoken of
constexpr double kDeepestDb = -15; // a ring's cut
constexpr double kWidestQ = 6;
constexpr double kNarrowestQ = 200;
constexpr double kWorthDb = 1; // of spill that a low cut takes
constexpr double kUnderFundamental = 0.7;
constexpr double kMostRings = 3; // few moves before many

std::string noteText(double hz) {
    const auto note = measure::nearestNote(hz);
    return std::abs(note.cents) < 5 ? note.name : fmt::format("{} {:+.0f} cents", note.name, note.cents);
}

/// What the equalisers that are on do at a frequency already, dB.
double responseDb(const Session& s, Id element, double hz) {
    double db = 0;
    for (const auto& module : *s.chain(element))
        if (const auto* eq = std::get_if<dsp::EqSettings>(&module.settings); eq != nullptr && module.isOn)
            db += dsp::responseDb(*eq, hz, s.sampleRateHz);
    return db;
}

/// A bell whose zeros lie on the ring's poles and whose poles die away as fast as the surroundings: for a
/// bell s^2 + (A / Q) w s + w^2 over s^2 + w s / (A Q) + w^2, a pole pair with damping term c w falls by 60
/// dB in 2 ln(1000) / (c w). So A^2 is the ratio of the two times.
EqBand cutOf(const Ring& ring) {
    EqBand band;
    band.frequencyHz = std::round(10 * ring.hz) / 10;
    const double a = std::sqrt(ring.aroundMs / ring.decayMs);
    band.gainDb = std::max(kDeepestDb, std::round(10 * 40 * std::log10(a)) / 10);
    const double q = a * kPi * ring.hz * 0.001 * ring.decayMs / std::log(1000.0);
    band.q = std::clamp(std::round(10 * q) / 10, kWidestQ, kNarrowestQ);
    return band;
}

class ToneFindings {
  public:
    ToneFindings(const Session& s, const ToneMeasure& tone) : m_session(s), m_tone(tone) {}

    void addTo(std::vector<Finding>& findings) const {
        addFundamental(findings);
        addRings(findings);
        addLowCut(findings);
    }

  private:
    [[nodiscard]] std::string name() const { return m_session.nameOf(m_tone.element); }
    [[nodiscard]] Finding finding(const std::string& id, Severity severity, std::string sentence) const {
        Finding f;
        f.id = id;
        f.stage = Stage::Tone;
        f.element = m_tone.element;
        f.severity = severity;
        f.sentence = std::move(sentence);
        return f;
    }
    [[nodiscard]] Proposal adding(const EqBand& band, std::string words) const {
        return {std::move(words), [element = m_tone.element, band](Session s) {
                    session::addBand(s, element, band);
                    return s;
                }};
    }

    void addFundamental(std::vector<Finding>& findings) const {
        const auto& f = m_tone.partials.fundamental;
        if (f.confidence < kSure)
            return;
        auto found = finding(fmt::format("fundamental-{}", m_tone.element), Severity::Note,
                             fmt::format("{} sounds at {:.1f} Hz ({}).", name(), f.hz, noteText(f.hz)));
        found.numbers = {{"fundamental", f.hz, "Hz"}, {"confidence", f.confidence, ""}};
        if (f.decayMs > 0)
            found.numbers.push_back({"decay", f.decayMs, "ms"});
        findings.push_back(std::move(found));
    }

    void addRings(std::vector<Finding>& findings) const {
        int count = 0;
        for (const auto& ring : m_tone.partials.rings) {
            const EqBand cut = cutOf(ring);
            if (++count > kMostRings || responseDb(m_session, m_tone.element, ring.hz) < cut.gainDb / 2)
                continue;
            auto found = finding(
                fmt::format("ring-{}-{:.0f}", m_tone.element, ring.hz), Severity::Advice,
                fmt::format(
                    "{} rings at {:.0f} Hz ({}): it takes {:.2f} s to die away where what lies around it "
                    "takes {:.2f} s, on {} of {} hits. A narrow cut of {:.0f} dB there lets both end "
                    "together.",
                    name(), ring.hz, noteText(ring.hz), 0.001 * ring.decayMs, 0.001 * ring.aroundMs,
                    ring.hits, ring.hitsLookedAt, -cut.gainDb));
            found.numbers = {{"frequency", ring.hz, "Hz"},
                             {"decay", ring.decayMs, "ms"},
                             {"around", ring.aroundMs, "ms"},
                             {"excess", ring.excessDb, "dB"},
                             {"hits", static_cast<double>(ring.hits), ""}};
            found.proposal = adding(cut, fmt::format("Cut the ring at {:.0f} Hz, {}", ring.hz, name()));
            findings.push_back(std::move(found));
        }
    }

    void addLowCut(std::vector<Finding>& findings) const {
        const auto& cut = m_tone.lowCut;
        const auto& fundamental = m_tone.partials.fundamental;
        double hz = cut.hz;
        if (fundamental.confidence >= kSure)
            hz = std::min(hz, kUnderFundamental * fundamental.hz);
        hz = std::floor(hz);
        if (hz < 25 || m_tone.spectra.spillHits == 0 || responseDb(m_session, m_tone.element, hz / 2) < -6)
            return;
        const double spillDb = measure::lowCutChangeDb(m_tone.spectra.spill, hz);
        const double ownDb = measure::lowCutChangeDb(m_tone.spectra.own, hz);
        if (spillDb > -kWorthDb)
            return;
        EqBand band;
        band.kind = FilterKind::HighPass;
        band.frequencyHz = hz;
        auto found =
            finding(fmt::format("low-cut-{}", m_tone.element), Severity::Advice,
                    fmt::format("Under {:.0f} Hz {} has nothing of its own: a high-pass there costs its "
                                "hits {:.1f} dB and takes {:.1f} dB off the spill.",
                                hz, name(), -ownDb, -spillDb));
        found.numbers = {{"corner", hz, "Hz"}, {"own change", ownDb, "dB"}, {"spill change", spillDb, "dB"}};
        found.proposal = adding(band, fmt::format("High-pass at {:.0f} Hz, {}", hz, name()));
        findings.push_back(std::move(found));
    }

    const Session& m_session;
    const ToneMeasure& m_tone;
};

} // namespace

std::vector<Finding> toneFindings(const Session& s, const KitMeasures& measures, const HouseStyle&) {
    std::vector<Finding> findings;
    for (const auto& tone : measures.tones)
        if (s.element(tone.element) != nullptr)
            ToneFindings(s, tone).addTo(findings);
    return findings;
}

} // namespace cask::advise
