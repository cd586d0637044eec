#include "core/advise/advise.h"
#include "core/advise/role_guess.h"
#include "core/advise/words.h"
#include "core/session/edits.h"

#include <algorithm>
#include <cmath>
#include <filesystem>

namespace cask::advise {
namespace {

using session::Element;
using session::Id;
using session::Session;

/// One file of an element, with what is known of it.
struct Subject {
    const Session& session;
    const Element& element;
    Id file;
    const FileMeasure& measure;
    const HouseStyle& style;
    const HitAnalysis* hits; ///< null until known

    /// Whether nothing but its own drum was heard in it, though others are struck: a stem of a programmed
    /// kit.
    [[nodiscard]] bool isDryStem() const {
        const int input = hits == nullptr ? -1 : hits->inputOf(element.id);
        bool isHeard = false;
        bool areOthers = false;
        for (const auto& h : hits == nullptr ? std::vector<measure::HeardHit>() : hits->hits.heard) {
            areOthers = areOthers || h.input != input;
            if (h.input == input && !h.isOwn)
                return false;
            isHeard = isHeard || h.input == input;
        }
        return input >= 0 && isHeard && areOthers;
    }

    /// The element's name, or the file's where the element has two.
    [[nodiscard]] std::string name() const {
        const bool isOnly = std::all_of(element.channels.begin(), element.channels.end(),
                                        [&](const auto& ref) { return ref.file == file; });
        return isOnly ? element.name : std::filesystem::path(session.file(file)->path).filename().string();
    }
    /// Session time of a moment of the file.
    [[nodiscard]] double timeS(double fileS) const {
        return framesToSeconds(element.startFrame, session.sampleRateHz) + fileS +
               0.001 * element.input.shiftMs;
    }
    [[nodiscard]] Finding finding(const char* what, Severity severity, std::string sentence) const {
        Finding f;
        f.id = fmt::format("{}-{}", what, file);
        f.element = element.id;
        f.severity = severity;
        f.sentence = std::move(sentence);
        return f;
    }
};

void addReadingProblems(const Subject& on, std::vector<Finding>& findings) {
    if (!on.measure.problem.empty())
        findings.push_back(on.finding("unreadable", Severity::Fault, on.measure.problem));
    if (!on.measure.warnings.empty()) {
        std::string all;
        for (const auto& warning : on.measure.warnings)
            all += (all.empty() ? "" : " ") + warning;
        findings.push_back(on.finding("warning", Severity::Advice, all));
    }
}

void addClipping(const Subject& on, const measure::LevelFacts& l, std::vector<Finding>& findings) {
    if (static_cast<double>(l.clippedRunCount) < on.style.clippedPlaces || l.clippedRuns.empty())
        return;
    constexpr double kBelowFullDb = -0.05;
    const auto longest = std::max_element(l.clippedRuns.begin(), l.clippedRuns.end(),
                                          [](const auto& a, const auto& b) { return a.frames < b.frames; });
    auto f = on.finding("clipped", Severity::Fault,
                        fmt::format("{} is clipped in {}: first at {}, at worst {} samples in a row.",
                                    on.name(), counted(l.clippedRunCount, "place", "places"),
                                    clockText(on.timeS(l.clippedRuns.front().startS)), longest->frames));
    if (longest->levelDb < kBelowFullDb)
        f.sentence += fmt::format(" Its tops are flat at {:.1f} dBFS: it was clipped before a fader.",
                                  longest->levelDb);
    f.numbers = {{"places", static_cast<double>(l.clippedRunCount), ""},
                 {"longest_samples", static_cast<double>(longest->frames), ""},
                 {"flat_at", longest->levelDb, "dBFS"},
                 {"peak", l.peakDb, "dB"}};
    for (const auto& run : l.clippedRuns)
        f.hits.push_back({on.element.id, on.timeS(run.startS)});
    const double worstS = on.timeS(longest->startS);
    f.hearing = Hearing{{on.element.id}, std::max(0.0, worstS - 0.5), worstS + 1};
    findings.push_back(std::move(f));
}

/// Recordings have noise between their sounds: digital silence in it was made by a mute or a stop.
void addGaps(const Subject& on, const measure::FileFacts& facts, std::vector<Finding>& findings) {
    constexpr double kNoiseDb = -90;
    constexpr Frames kMostGaps = 5; // more are an edit, or a programmed drum
    constexpr double kPaddingS = 3;
    // A bass or a voice is edited where it has nothing to say.
    if (facts.levels.silentRunCount > kMostGaps || facts.levels.silentRunCount == 0 ||
        !isOfKit(on.element.role) || on.isDryStem())
        return;
    std::vector<std::string> places;
    std::vector<EvidenceHit> hits;
    double totalS = 0;
    for (const auto& run : facts.levels.silentRuns) {
        const double lengthS = run.lengthS;
        const bool isToEnd = run.isToEnd;
        const double leastS =
            isToEnd ? std::max(kPaddingS, 0.001 * on.style.leastGapMs) : 0.001 * on.style.leastGapMs;
        if (run.beforeDb < kNoiseDb || lengthS < leastS)
            continue;
        totalS += lengthS;
        places.push_back(isToEnd ? fmt::format("from {} to its end", clockText(on.timeS(run.startS)))
                                 : fmt::format("from {} to {}", clockText(on.timeS(run.startS)),
                                               clockText(on.timeS(run.startS + lengthS))));
        hits.push_back({on.element.id, on.timeS(run.startS)});
    }
    if (places.empty())
        return;
    auto f = on.finding(
        "gap", Severity::Fault,
        fmt::format("{} is cut off {}: noise before, then nothing at all.", on.name(), listed(places)));
    f.numbers = {{"gaps", static_cast<double>(places.size()), ""}, {"silent", totalS, "s"}};
    f.hearing = Hearing{{on.element.id}, std::max(0.0, hits.front().timeS - 1), hits.front().timeS + 1};
    f.hits = std::move(hits);
    findings.push_back(std::move(f));
}

void addSoundness(const Subject& on, std::vector<Finding>& findings) {
    const auto& facts = on.measure.analysis->facts;
    const auto& l = facts.levels;
    if (facts.notFiniteSamples > 0) {
        auto f =
            on.finding("not-numbers", Severity::Fault,
                       fmt::format("{} contains {} (NaN or infinite); they play as silence.", on.name(),
                                   counted(facts.notFiniteSamples, "invalid sample", "invalid samples")));
        f.numbers = {{"samples", static_cast<double>(facts.notFiniteSamples), ""}};
        findings.push_back(std::move(f));
    }
    if (l.isSilent()) {
        findings.push_back(
            on.finding("silent", Severity::Fault, fmt::format("{} is silent from start to end.", on.name())));
        return;
    }
    // Steady noise has a crest of 12 to 15 dB over a long file, and few of its 50 ms are softer than all of
    // it.
    constexpr double kNoiseCrestDb = 18;
    if (l.crestDb() < kNoiseCrestDb && l.rmsDb - l.noiseFloorDb < (facts.arrivals == 0 ? 3 : 1.5)) {
        auto f = on.finding("noise-only", Severity::Fault,
                            fmt::format("{} holds nothing but noise at {:.0f} dBFS: no hit stands out of it.",
                                        on.name(), l.rmsDb));
        f.numbers = {{"rms", l.rmsDb, "dB"}, {"crest", l.crestDb(), "dB"}};
        f.hearing = Hearing{{on.element.id}, on.timeS(0), on.timeS(0) + 3};
        findings.push_back(std::move(f));
    }
    addClipping(on, l, findings);
    addGaps(on, facts, findings);
    if (100 * std::abs(l.dcOffset) >= on.style.leastDcPercent && !on.element.input.removesDc) {
        auto f = on.finding(
            "dc", Severity::Advice,
            fmt::format("{} has a DC offset of {:+.2f} % of full scale.", on.name(), 100 * l.dcOffset));
        f.numbers = {{"dc", 100 * l.dcOffset, "%"}};
        f.proposal = Proposal{"Remove DC, " + on.element.name, [id = on.element.id](Session s) {
                                  return session::withElement(std::move(s), id,
                                                              [](Element& e) { e.input.removesDc = true; });
                              }};
        findings.push_back(std::move(f));
    }
}

/// Where name and sound clearly speak of different drums.
void addRoleDoubt(const Subject& on, std::vector<Finding>& findings) {
    const auto heard = roleDoubt(on.element, *on.session.file(on.file), on.measure.analysis->facts);
    if (!heard)
        return;
    const auto& role = roleInfo(heard->role);
    auto f = on.finding("role-doubt", Severity::Advice,
                        fmt::format("{} is named like {} but sounds like {} (confidence {:.0f} %).",
                                    on.element.name, roleInfo(on.element.role).name, role.name,
                                    100 * heard->confidence));
    f.numbers = {{"sure", 100 * heard->confidence, "%"}};
    f.hearing = Hearing{{on.element.id}, on.timeS(0), on.timeS(0) + 8};
    f.proposal = Proposal{
        fmt::format("{} is a {}", on.element.name, role.name),
        [id = on.element.id, r = heard->role](Session s) { return session::withRole(std::move(s), id, r); }};
    findings.push_back(std::move(f));
}

void addRole(const Session& s, const Element& e, const HouseStyle& style, std::vector<Finding>& findings) {
    if (100 * e.roleConfidence >= style.roleSurePercent)
        return;
    Finding f;
    f.id = fmt::format("role-{}", e.id);
    f.element = e.id;
    f.severity = Severity::Advice;
    f.numbers = {{"sure", 100 * e.roleConfidence, "%"}};
    f.hearing = Hearing{{e.id},
                        framesToSeconds(e.startFrame, s.sampleRateHz),
                        framesToSeconds(e.startFrame, s.sampleRateHz) + 8};
    if (e.role == Role::Unknown) {
        f.sentence = fmt::format("What is {}? Neither its name nor its sound says so.", e.name);
    } else {
        const auto& role = roleInfo(e.role);
        f.sentence = fmt::format("Is {} a {}? That is a guess (confidence {:.0f} %).", e.name, role.name,
                                 100 * e.roleConfidence);
        f.proposal =
            Proposal{fmt::format("{} is a {}", e.name, role.name),
                     [id = e.id, r = e.role](Session x) { return session::withRole(std::move(x), id, r); }};
    }
    findings.push_back(std::move(f));
}

void addLateness(const Session& s, const HitAnalysis& hits, std::vector<Finding>& findings) {
    for (std::size_t i = 0; i < hits.elements.size(); ++i) {
        const double lagMs = 1000 * hits.hits.lagS[i];
        const auto* e = s.element(hits.elements[i]);
        if (lagMs == 0 || e == nullptr)
            continue;
        Finding f;
        f.id = fmt::format("late-{}", e->id);
        f.element = e->id;
        f.severity = Severity::Fault;
        f.sentence = fmt::format("{} is {:.1f} ms {} against the rest of the take.", e->name, std::abs(lagMs),
                                 lagMs > 0 ? "late" : "early");
        f.numbers = {{"late", lagMs, "ms"}};
        f.hearing =
            Hearing{{},
                    std::max(0.0, hits.hits.strokes.empty() ? 0 : hits.hits.strokes.front().timeS - 0.3),
                    hits.hits.strokes.empty() ? 4 : hits.hits.strokes.front().timeS + 4};
        f.proposal = Proposal{"Align, " + e->name, [id = e->id, lagMs](Session x) {
                                  return session::withElement(std::move(x), id, [&](Element& moved) {
                                      moved.input.shiftMs -= lagMs;
                                  });
                              }};
        findings.push_back(std::move(f));
    }
}

/// One side of a pair against the other.
void addSides(const Session& s, const KitMeasures& measures, std::vector<Finding>& findings) {
    const auto finding = [&](const char* what, const Element& e, std::string sentence) {
        Finding f;
        f.id = fmt::format("{}-{}", what, e.id);
        f.element = e.id;
        f.severity = Severity::Fault;
        f.sentence = std::move(sentence);
        f.hearing = Hearing{{e.id}, 0, 8};
        return f;
    };
    const auto& hits = *measures.hits;
    for (std::size_t i = 0; i < hits.hits.sideLags.size(); ++i) {
        const auto [side, lagS] = hits.hits.sideLags[i];
        const auto* e = s.element(hits.elements[i]);
        if (side < 0 || e == nullptr)
            continue;
        const bool isLeft = side == 0;
        auto f = finding("late-side", *e,
                         fmt::format("The {} side of {} is {:.1f} ms {} against the {} one.",
                                     isLeft ? "left" : "right", e->name, 1000 * std::abs(lagS),
                                     lagS > 0 ? "late" : "early", isLeft ? "right" : "left"));
        f.numbers = {{"late", 1000 * lagS, "ms"}};
        f.proposal = Proposal{"Align, " + e->name, [id = e->id, isLeft, lagMs = 1000 * lagS](Session x) {
                                  return session::withElement(std::move(x), id, [&](Element& moved) {
                                      moved.input.rightShiftMs += isLeft ? lagMs : -lagMs;
                                      moved.input.shiftMs -= isLeft ? lagMs : 0;
                                  });
                              }};
        findings.push_back(std::move(f));
    }
    for (const auto& sides : measures.sides) {
        const auto* e = s.element(sides.element);
        if (e == nullptr || !sides.isInverted)
            continue;
        auto f =
            finding("inverted-side", *e,
                    fmt::format("One side of {} has inverted polarity against the other: {} cancel where "
                                "both are heard together.",
                                e->name, counted(sides.drums, "drum", "drums")));
        f.numbers = {{"drums", static_cast<double>(sides.drums), ""}, {"sure", 100 * sides.confidence, "%"}};
        f.proposal = Proposal{"Invert the right side, " + e->name, [id = e->id](Session x) {
                                  return session::withElement(std::move(x), id, [](Element& turned) {
                                      turned.input.isRightInverted = !turned.input.isRightInverted;
                                  });
                              }};
        findings.push_back(std::move(f));
    }
}

void addSames(const Session& s, const KitMeasures& measures, std::vector<Finding>& findings) {
    for (const auto& same : measures.sames) {
        const auto* first = s.element(same.first);
        const auto* second = s.element(same.second);
        if (first == nullptr || second == nullptr)
            continue;
        Finding f;
        f.element = second->id;
        f.numbers = {{"level", same.levelDb, "dB"}, {"later", same.laterMs, "ms"}};
        if (first == second) {
            f.id = fmt::format("mono-{}", first->id);
            f.severity = Severity::Note;
            f.sentence = fmt::format("Both sides of {} are the same sound: it is mono.", first->name);
        } else {
            f.id = fmt::format("same-{}-{}", first->id, second->id);
            f.severity = Severity::Fault;
            std::string how;
            if (std::abs(same.levelDb) >= 0.1)
                how += fmt::format(", {:.1f} dB {}", std::abs(same.levelDb),
                                   same.levelDb < 0 ? "softer" : "louder");
            if (std::abs(same.laterMs) >= 0.02)
                how += fmt::format(", {:.2f} ms {}", std::abs(same.laterMs),
                                   same.laterMs > 0 ? "later" : "earlier");
            if (same.isInverted)
                how += ", polarity inverted";
            f.sentence = fmt::format("{} holds the same sound as {}{}.", second->name, first->name, how);
            f.hearing = Hearing{{first->id, second->id}, 0, 8};
            if (!second->out.isMuted)
                f.proposal = Proposal{"Mute " + second->name, [id = second->id](Session x) {
                                          return session::withElement(
                                              std::move(x), id, [](Element& e) { e.out.isMuted = true; });
                                      }};
        }
        findings.push_back(std::move(f));
    }
}

} // namespace

std::vector<Finding> fileFindings(const Session& s, const KitMeasures& measures, const HouseStyle& style) {
    std::vector<Finding> findings;
    for (const auto& e : s.elements) {
        std::vector<Id> done;
        for (const auto& ref : e->channels) {
            const auto known = measures.files.find(ref.file);
            if (known == measures.files.end() || s.file(ref.file) == nullptr ||
                std::find(done.begin(), done.end(), ref.file) != done.end())
                continue;
            done.push_back(ref.file);
            const Subject on{s, *e, ref.file, known->second, style, measures.hits.get()};
            addReadingProblems(on, findings);
            if (on.measure.analysis) {
                addSoundness(on, findings);
                if (done.size() == 1)
                    addRoleDoubt(on, findings);
            }
        }
        addRole(s, *e, style, findings);
    }
    if (measures.hits)
        addLateness(s, *measures.hits, findings);
    if (measures.hits)
        addSides(s, measures, findings);
    addSames(s, measures, findings);
    return findings;
}

} // namespace cask::advise
