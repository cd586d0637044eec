#include "core/advise/advise.h"
#include "core/advise/words.h"
#include "core/dsp/eq_design.h"
#include "core/session/edits.h"

#include <algorithm>
#include <cmath>

namespace cask::advise {
namespace {

using dsp::EqBand;
using session::Session;

constexpr double kNotchQ = 20;
constexpr std::size_t kMostNotches = 3;
constexpr std::size_t kMostConflicts = 4;
constexpr double kRoomMadeShare = 0.9;

/// Whether the element's equalisers take that frequency down already.
bool isCut(const Session& s, session::Id element, double hz, double byDb) {
    double db = 0;
    for (const auto& module : *s.chain(element))
        if (const auto* eq = std::get_if<dsp::EqSettings>(&module.settings); eq != nullptr && module.isOn)
            db += dsp::responseDb(*eq, hz, s.sampleRateHz);
    return db <= -byDb;
}

/// Of the element's drum, Hz; 0 where it has none.
double noteOf(const KitMeasures& measures, session::Id element) {
    for (const auto& tone : measures.tones)
        if (tone.element == element)
            return tone.partials.fundamental.hz;
    return 0;
}

Finding humFinding(const Session& s, const HumMeasure& measured, double noteHz) {
    const double kThird = std::exp2(1.0 / 3); // of an octave: a notch there would thin the drum
    const auto isNote = [&](double hz) { return noteHz > 0 && hz > noteHz / kThird && hz < noteHz * kThird; };
    bool leavesNote = false;
    auto lines = measured.hum.lines;
    std::sort(lines.begin(), lines.end(), [](const auto& a, const auto& b) { return a.levelDb > b.levelDb; });
    std::vector<EqBand> notches;
    std::vector<std::string> places;
    for (const auto& line : lines) {
        places.push_back(fmt::format("{:.0f}", line.hz));
        leavesNote = leavesNote || isNote(line.hz);
        if (notches.size() < kMostNotches && !isNote(line.hz) && !isCut(s, measured.element, line.hz, 12)) {
            EqBand notch;
            notch.kind = dsp::FilterKind::Notch;
            notch.frequencyHz = std::round(line.hz / measured.hum.mainsHz) * measured.hum.mainsHz;
            notch.q = kNotchQ;
            notches.push_back(notch);
        }
    }
    const auto name = s.nameOf(measured.element);
    Finding f;
    f.id = fmt::format("hum-{}", measured.element);
    f.stage = Stage::Tone;
    f.element = measured.element;
    f.severity = notches.empty() && !leavesNote ? Severity::Note : Severity::Advice;
    f.sentence = fmt::format(
        "{} hums at {} Hz, {:.0f} dBFS in all: that is the mains of {:.0f} Hz. {}", name, listed(places),
        measured.hum.levelDb, measured.hum.mainsHz,
        notches.empty() ? leavesNote ? "A gate between the hits takes it out; a notch would thin the drum."
                                     : "Its notches are there."
        : leavesNote    ? "A gate between the hits takes it out first; narrow notches do, but for the "
                          "drum's own note."
                        : "A gate between the hits takes it out first; narrow notches take out the rest.");
    f.numbers = {{"mains", measured.hum.mainsHz, "Hz"}, {"level", measured.hum.levelDb, "dBFS"}};
    if (!notches.empty())
        f.proposal =
            Proposal{"Notches against hum, " + name, [element = measured.element, notches](Session next) {
                         for (const auto& notch : notches)
                             session::addBand(next, element, notch);
                         return next;
                     }};
    return f;
}

Finding conflictFinding(const Session& s, const ConflictMeasure& c) {
    const auto yielding = s.nameOf(c.yielding);
    const auto other = s.nameOf(c.yielding == c.first ? c.second : c.first);
    Finding f;
    f.id = fmt::format("conflict-{}-{}", std::min(c.first, c.second), std::max(c.first, c.second));
    f.stage = Stage::Tone;
    f.element = c.yielding;
    f.severity = Severity::Advice;
    f.sentence = fmt::format("{} competes with {} from {:.0f} to {:.0f} Hz, in {:.0f} % of their "
                             "own moments there. {} has less: {:.0f} "
                             "dB off at {:.0f} Hz would make that {:.0f} %.",
                             other, yielding, c.fromHz, c.toHz, 100 * c.conflict.worstShare, yielding,
                             -c.cut.gainDb, c.cut.frequencyHz, 100 * c.shareAfter);
    f.numbers = {{"share", 100 * c.conflict.worstShare, "%"},
                 {"share after", 100 * c.shareAfter, "%"},
                 {"from", c.fromHz, "Hz"},
                 {"to", c.toHz, "Hz"}};
    f.proposal = Proposal{fmt::format("Make room at {:.0f} Hz, {}", c.cut.frequencyHz, yielding),
                          [element = c.yielding, cut = c.cut](Session next) {
                              session::addBand(next, element, cut);
                              return next;
                          }};
    return f;
}

bool isOfContext(const Session& s, const ConflictMeasure& c) {
    const auto isContext = [&](session::Id id) {
        return roleInfo(s.element(id)->role).group == RoleGroup::Context;
    };
    return isContext(c.first) || isContext(c.second);
}

/// How far apart the notes of the toms are.
void addToms(const Session& s, const KitMeasures& measures, std::vector<Finding>& findings) {
    std::vector<const ToneMeasure*> toms;
    for (const auto& tone : measures.tones)
        if (const auto* e = s.element(tone.element);
            e != nullptr && (e->role == Role::RackTom || e->role == Role::FloorTom) && tone.isNoteSure())
            toms.push_back(&tone);
    std::sort(toms.begin(), toms.end(), [](const auto* a, const auto* b) {
        return a->partials.fundamental.hz > b->partials.fundamental.hz;
    });
    for (std::size_t i = 0; i + 1 < toms.size(); ++i) {
        const double high = toms[i]->partials.fundamental.hz;
        const double low = toms[i + 1]->partials.fundamental.hz;
        const double semitones = 12 * std::log2(high / low);
        Finding f;
        f.id = fmt::format("toms-{}-{}", toms[i]->element, toms[i + 1]->element);
        f.stage = Stage::Tone;
        f.element = toms[i]->element;
        f.sentence =
            fmt::format("{} ({}) and {} ({}) are {:.1f} semitones apart.", s.nameOf(toms[i]->element),
                        noteText(high), s.nameOf(toms[i + 1]->element), noteText(low), semitones);
        f.numbers = {{"semitones", semitones, ""}};
        findings.push_back(std::move(f));
    }
}

} // namespace

std::vector<Finding> mixFindings(const Session& s, const KitMeasures& measures, const HouseStyle& style) {
    std::vector<Finding> findings;
    for (const auto& hum : measures.hums)
        if (s.element(hum.element) != nullptr && hum.hum.levelDb >= style.humDb)
            findings.push_back(humFinding(s, hum, noteOf(measures, hum.element)));
    addToms(s, measures, findings);
    if (!measures.mix)
        return findings;
    // What the drums share with the rest of the music comes first: kick and bass before all.
    auto conflicts = measures.mix->conflicts;
    std::erase_if(conflicts, [&](const ConflictMeasure& c) {
        return s.element(c.first) == nullptr || s.element(c.second) == nullptr ||
               100 * c.conflict.worstShare < style.conflictPercent || c.shareAfter >= c.conflict.worstShare ||
               isCut(s, c.first, c.cut.frequencyHz, -kRoomMadeShare * c.cut.gainDb) ||
               isCut(s, c.second, c.cut.frequencyHz, -kRoomMadeShare * c.cut.gainDb); // room was made
    });
    std::stable_sort(conflicts.begin(), conflicts.end(),
                     [&](const auto& a, const auto& b) { return isOfContext(s, a) > isOfContext(s, b); });
    for (std::size_t i = 0; i < std::min(kMostConflicts, conflicts.size()); ++i)
        findings.push_back(conflictFinding(s, conflicts[i]));
    return findings;
}

} // namespace cask::advise
