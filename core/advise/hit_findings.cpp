#include "core/advise/advise.h"
#include "core/advise/words.h"

#include <algorithm>
#include <cmath>

namespace cask::advise {
namespace {

using session::Id;
using session::Session;

/// A stroke's place as people count it: "bar 3 beat 2.5", or the time without a tempo.
std::string placeOf(const measure::Tempo& tempo, double timeS) {
    if (!tempo.isKnown)
        return clockText(timeS);
    // To the nearest sixteenth, as the grid has it.
    const double beat = std::round(4 * tempo.beatAt(timeS)) / 4;
    const double bar = std::floor(beat / tempo.beatsPerBar);
    return fmt::format("bar {:.0f} beat {:g}", bar + 1, beat - bar * tempo.beatsPerBar + 1);
}

Hearing around(double timeS, std::vector<Id> alone) {
    return {std::move(alone), std::max(0.0, timeS - 1), timeS + 1};
}

/// Findings of one drum; microphones, the hits and the style are those of the analysis.
class DrumFindings {
  public:
    DrumFindings(const Session& s, const HitAnalysis& analysis, const HouseStyle& style, int drum)
        : m_session(s), m_analysis(analysis), m_style(style), m_drum(drum),
          m_element(analysis.elementOf(drum)) {
        for (std::size_t i = 0; i < analysis.hits.strokes.size(); ++i)
            if (analysis.hits.strokes[i].drum == drum)
                m_strokes.push_back(i);
    }

    /// `saysGate`: what a gate can do there is known, and told with it.
    void addTo(std::vector<Finding>& findings, bool saysGate) const {
        if (m_element == session::kNoId) {
            addWithoutMicrophone(findings);
        } else if (m_strokes.empty()) {
            auto f = finding("no-hits", Severity::Advice,
                             fmt::format("No hit of its own was found in {}.", name()));
            f.hearing = Hearing{{m_element}, 0, 8};
            findings.push_back(std::move(f));
        } else {
            addUnsure(findings);
            if (!saysGate)
                addRoom(findings);
        }
        addTiming(findings);
    }

  private:
    [[nodiscard]] std::string name() const {
        return m_element != session::kNoId ? m_session.nameOf(m_element)
                                           : m_analysis.hits.kit.drums[static_cast<std::size_t>(m_drum)].name;
    }
    [[nodiscard]] Finding finding(const char* what, Severity severity, std::string sentence) const {
        Finding f;
        f.id = m_element != session::kNoId ? fmt::format("{}-{}", what, m_element)
                                           : fmt::format("{}-{}", what, name());
        f.stage = Stage::Hits;
        f.element = m_element;
        f.severity = severity;
        f.sentence = std::move(sentence);
        return f;
    }
    [[nodiscard]] std::vector<Id> alone() const {
        return m_element != session::kNoId ? std::vector<Id>{m_element} : std::vector<Id>{};
    }

    void addWithoutMicrophone(std::vector<Finding>& findings) const {
        const auto& loops = m_analysis.hits.kit.loops;
        const bool isInLoop = std::any_of(
            m_analysis.hits.heard.begin(), m_analysis.hits.heard.end(), [&](const measure::HeardHit& h) {
                return h.drum == m_drum && std::find(loops.begin(), loops.end(), h.input) != loops.end();
            });
        if (m_strokes.empty() || isInLoop) // see addLoop
            return;
        auto f =
            finding("no-microphone", Severity::Note,
                    fmt::format("No microphone stands at the {}: {} found in those that hear all.", name(),
                                counted(static_cast<long long>(m_strokes.size()), "hit was", "hits were")));
        f.numbers = {{"hits", static_cast<double>(m_strokes.size()), ""}};
        for (const auto stroke : m_strokes)
            f.hits.push_back({session::kNoId, m_analysis.hits.strokes[stroke].timeS});
        f.hearing = around(f.hits.front().timeS, {});
        findings.push_back(std::move(f));
    }

    void addUnsure(std::vector<Finding>& findings) const {
        std::vector<EvidenceHit> unsure;
        for (const auto stroke : m_strokes)
            if (100 * m_analysis.hits.strokes[stroke].confidence < m_style.hitSurePercent)
                unsure.push_back({m_element, m_analysis.hits.strokes[stroke].timeS});
        const double percent =
            100 * static_cast<double>(unsure.size()) / static_cast<double>(m_strokes.size());
        if (unsure.empty() || percent < m_style.unsureHitsPercent)
            return;
        auto f = finding("unsure", Severity::Advice,
                         fmt::format("{} of {} hits of {} have a confidence under {:.0f} %: listen to them.",
                                     unsure.size(), m_strokes.size(), name(), m_style.hitSurePercent));
        f.numbers = {{"unsure", static_cast<double>(unsure.size()), ""},
                     {"hits", static_cast<double>(m_strokes.size()), ""}};
        f.hearing = around(unsure.front().timeS, alone());
        f.hits = std::move(unsure);
        findings.push_back(std::move(f));
    }

    void addRoom(std::vector<Finding>& findings) const {
        const int input = m_analysis.inputOf(m_element);
        const auto& room = m_analysis.spill.rooms[static_cast<std::size_t>(input)];
        if (room.spillDrum < 0 || room.roomDb() >= m_style.gateRoomDb)
            return;
        const Id other = m_analysis.elementOf(room.spillDrum);
        const std::string spiller =
            other != session::kNoId
                ? m_session.nameOf(other)
                : "the " + m_analysis.hits.kit.drums[static_cast<std::size_t>(room.spillDrum)].name;
        const std::string how = room.roomDb() >= 0 ? fmt::format("only {:.1f} dB above", room.roomDb())
                                                   : fmt::format("{:.1f} dB below", -room.roomDb());
        auto f =
            finding("room", Severity::Advice,
                    fmt::format("The softest hits on {} are {} the spill from {}; a threshold alone cannot "
                                "separate them.",
                                name(), how, spiller));
        f.numbers = {
            {"room", room.roomDb(), "dB"}, {"softest", room.softestDb, "dB"}, {"spill", room.spillDb, "dB"}};
        f.hearing = Hearing{{m_element}, 0, 8};
        findings.push_back(std::move(f));
    }

    void addTiming(std::vector<Finding>& findings) const {
        constexpr std::size_t kNamed = 3;
        constexpr double kSureTempo = 0.55; // of less, the grid may be another one
        // What has neither a microphone nor a file of its own is told apart less surely than a player plays.
        const bool isTempoSure = m_session.tempo.bpm > 0 || m_analysis.tempo.confidence >= kSureTempo;
        if (m_element == session::kNoId || !isTempoSure)
            return;
        const auto& timing = m_analysis.timing.drums[static_cast<std::size_t>(m_drum)];
        std::vector<std::string> places;
        std::vector<EvidenceHit> hits;
        double worstMs = 0;
        for (const int stroke : timing.gross) {
            const auto index = static_cast<std::size_t>(stroke);
            // Judged against how the drum is played, told as every picture tells it: from the grid.
            const double errorMs = m_analysis.timing.errorMs[index];
            if (std::abs(errorMs - timing.feelMs) < m_style.grossTimingMs)
                continue;
            const double timeS = m_analysis.hits.strokes[index].timeS;
            hits.push_back({m_element, timeS});
            worstMs = std::max(worstMs, std::abs(errorMs));
            if (places.size() < kNamed)
                places.push_back(fmt::format("{} {:+.0f} ms", placeOf(m_analysis.tempo, timeS), errorMs));
        }
        if (hits.empty())
            return;
        if (hits.size() > kNamed)
            places.back() += " and more";
        std::string where;
        for (const auto& place : places)
            where += (where.empty() ? "" : ", ") + place;
        auto f =
            finding("timing", Severity::Advice,
                    fmt::format("{} of {} {} far outside its own spread of {:.0f} ms, from the grid: {}.",
                                counted(static_cast<long long>(hits.size()), "hit", "hits"), name(),
                                hits.size() == 1 ? "is" : "are", timing.spreadMs, where));
        f.numbers = {{"gross", static_cast<double>(hits.size()), ""},
                     {"worst", worstMs, "ms"},
                     {"spread", timing.spreadMs, "ms"},
                     {"feel", timing.feelMs, "ms"}};
        f.hearing = around(hits.front().timeS, {});
        f.hits = std::move(hits);
        findings.push_back(std::move(f));
    }

    const Session& m_session;
    const HitAnalysis& m_analysis;
    const HouseStyle& m_style;
    int m_drum;
    Id m_element;
    std::vector<std::size_t> m_strokes;
};

void addTempo(const HitAnalysis& analysis, const HouseStyle& style, std::vector<Finding>& findings) {
    constexpr std::size_t kEnoughHits = 32;
    Finding f;
    f.stage = Stage::Hits;
    if (!analysis.tempo.isKnown) {
        if (analysis.hits.strokes.size() < kEnoughHits)
            return;
        f.id = "no-tempo";
        f.severity = Severity::Advice;
        f.sentence = fmt::format("No tempo holds the {} hits together: type it, or work without bars.",
                                 analysis.hits.strokes.size());
        f.numbers = {{"hits", static_cast<double>(analysis.hits.strokes.size()), ""}};
    } else if (analysis.tempo.driftPercent >= style.driftPercent) {
        f.id = "drift";
        f.severity = Severity::Note;
        f.sentence =
            fmt::format("The tempo drifts: its fastest stretch is {:.1f} % faster than its slowest, around "
                        "{:.1f} BPM.",
                        analysis.tempo.driftPercent, analysis.tempo.bpm);
        f.numbers = {{"drift", analysis.tempo.driftPercent, "%"}, {"bpm", analysis.tempo.bpm, ""}};
    } else {
        return;
    }
    findings.push_back(std::move(f));
}

/// What was told apart in a file that holds a kit of its own.
void addLoop(const Session& s, const HitAnalysis& analysis, int input, std::vector<Finding>& findings) {
    std::vector<long long> counts(analysis.hits.kit.drums.size());
    for (const auto& hit : analysis.hits.heard)
        if (hit.input == input && hit.drum >= 0)
            ++counts[static_cast<std::size_t>(hit.drum)];
    std::string list;
    Finding f;
    for (std::size_t d = 0; d < counts.size(); ++d)
        if (counts[d] > 0) {
            const auto& name = analysis.hits.kit.drums[d].name;
            list += fmt::format("{}{} {}", list.empty() ? "" : ", ", name, counts[d]);
            f.numbers.push_back({name, static_cast<double>(counts[d]), ""});
        }
    if (list.empty())
        return;
    f.element = analysis.elements[static_cast<std::size_t>(input)];
    f.id = fmt::format("loop-{}", f.element);
    f.stage = Stage::Hits;
    f.severity = Severity::Note;
    f.sentence = fmt::format("{} holds a kit of its own; told apart by their sound: {} hits.",
                             s.nameOf(f.element), list);
    f.hearing = Hearing{{f.element}, 0, 8};
    findings.push_back(std::move(f));
}

/// What several drums played off the grid is one finding: it is looked at and mended in one go.
void joinTimings(std::vector<Finding>& findings) {
    const auto isTiming = [](const Finding& f) { return f.id.starts_with("timing-"); };
    const auto first = std::find_if(findings.begin(), findings.end(), isTiming);
    if (first == findings.end())
        return;
    for (auto it = std::next(first); it != findings.end();) {
        if (!isTiming(*it)) {
            ++it;
            continue;
        }
        first->sentence += ' ' + it->sentence;
        first->hits.insert(first->hits.end(), it->hits.begin(), it->hits.end());
        first->numbers[0].value += it->numbers[0].value;
        first->numbers[1].value = std::max(first->numbers[1].value, it->numbers[1].value);
        first->id = "timing-all";
        first->element = session::kNoId;
        it = findings.erase(it);
    }
    if (first->element == session::kNoId) { // feel and spread are each drum's own
        first->numbers.resize(2);
        std::sort(first->hits.begin(), first->hits.end(),
                  [](const EvidenceHit& a, const EvidenceHit& b) { return a.timeS < b.timeS; });
    }
}

} // namespace

std::vector<Finding> hitFindings(const Session& s, const KitMeasures& measures, const HouseStyle& style) {
    std::vector<Finding> findings;
    if (!measures.hits)
        return findings;
    addTempo(*measures.hits, style, findings);
    const auto saysGate = [&](Id element) {
        return std::any_of(measures.gates.begin(), measures.gates.end(),
                           [&](const GateMeasure& gate) { return gate.element == element; });
    };
    for (std::size_t d = 0; d < measures.hits->hits.kit.drums.size(); ++d)
        DrumFindings(s, *measures.hits, style, static_cast<int>(d))
            .addTo(findings, saysGate(measures.hits->elementOf(static_cast<int>(d))));
    for (const int input : measures.hits->hits.kit.loops)
        addLoop(s, *measures.hits, input, findings);
    joinTimings(findings);
    return findings;
}

} // namespace cask::advise
