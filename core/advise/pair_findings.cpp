#include "core/advise/advise.h"
#include "core/advise/words.h"
#include "core/session/edits.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <utility>

namespace cask::advise {
namespace {

using session::Element;
using session::Id;
using session::Session;

/// What is done to a pair: some elements turned over, shifted later, or both.
struct Move {
    bool flips = false;
    double shiftMs = 0;
    double afterDb = 0; ///< of the low-end sum
};

/// The best move of a school; none gains less than nothing.
Move bestMove(const measure::Alignment& a, PairSchool school) {
    Move best{false, 0, a.lowSumDb};
    if (school == PairSchool::Leave)
        return best;
    if (a.lowSumFlippedDb > best.afterDb)
        best = {true, 0, a.lowSumFlippedDb};
    if (school == PairSchool::Align && a.lowSumMovedDb > best.afterDb)
        best = {a.isInverted, -a.delayMs, a.lowSumMovedDb};
    return best;
}

/// All microphones at the drum that an element stands at, so that they keep together.
std::vector<Id> drumOf(const HitAnalysis& hits, Id element) {
    const int input = hits.inputOf(element);
    const int drum = input < 0 ? -1 : hits.hits.kit.drumOf[static_cast<std::size_t>(input)];
    if (drum < 0)
        return {element};
    std::vector<Id> all;
    for (const int i : hits.hits.kit.drums[static_cast<std::size_t>(drum)].inputs)
        all.push_back(hits.elements[static_cast<std::size_t>(i)]);
    return all;
}

Session moved(Session s, const std::vector<Id>& elements, const Move& move) {
    for (const Id id : elements)
        s = session::withElement(std::move(s), id, [&](Element& e) {
            e.input.isInverted = e.input.isInverted != move.flips;
            e.input.shiftMs += move.shiftMs;
        });
    return s;
}

/// A stretch in which the drum is struck a few times.
Hearing hearingOf(const HitAnalysis& hits, const PairMeasure& pair) {
    constexpr double kLengthS = 4;
    const int input = hits.inputOf(pair.first);
    for (const auto& h : hits.hits.heard)
        if (h.input == input && h.isOwn)
            return {{pair.first, pair.second}, std::max(0.0, h.timeS - 0.2), h.timeS + kLengthS};
    return {{pair.first, pair.second}, 0, kLengthS};
}

std::string_view schoolId(PairSchool school) {
    return school == PairSchool::Leave ? "leave" : school == PairSchool::Flip ? "flip" : "align";
}

std::string gainedOrLost(double db) {
    return std::abs(db) < 0.05 ? "gain nothing"
                               : fmt::format("{} {:.1f} dB", db > 0 ? "gain" : "lose", std::abs(db));
}

/// "has inverted polarity and is 0.34 ms late".
std::string standsHow(bool isInverted, double laterMs) {
    std::string how = isInverted ? "has inverted polarity" : "";
    if (std::abs(laterMs) >= 0.02)
        how += fmt::format("{} {:.2f} ms {}", how.empty() ? "is" : " and is", std::abs(laterMs),
                           laterMs > 0 ? "late" : "early");
    return how.empty() ? "is in time" : how;
}

/// One pair with the names and rules that its sentences need.
class PairOpinion {
  public:
    PairOpinion(const Session& s, const HitAnalysis& hits, const HouseStyle& style, const PairMeasure& pair)
        : m_hits(hits), m_style(style), m_pair(pair), m_first(*s.element(pair.first)),
          m_second(*s.element(pair.second)), m_move(bestMove(pair.alignment, school())) {}

    [[nodiscard]] const PairMeasure& pair() const { return m_pair; }
    [[nodiscard]] const Element& first() const { return m_first; }
    [[nodiscard]] PairSchool school() const {
        return m_pair.isNear ? m_style.nearPairs : m_style.overheadPairs;
    }
    /// The school's own move gains enough, or puts right a polarity that is plainly wrong.
    [[nodiscard]] bool isWorth() const {
        const auto& a = m_pair.alignment;
        return m_move.afterDb - a.lowSumDb >= m_style.leastGainDb ||
               (m_pair.isNear && a.isInverted && m_move.flips);
    }
    /// Some move would gain enough, whatever the school: a loss that a school accepts is still told.
    [[nodiscard]] bool isWorthTelling() const {
        return isWorth() || bestDb() - m_pair.alignment.lowSumDb >= m_style.leastGainDb;
    }

    [[nodiscard]] double flipGainDb() const {
        return m_pair.alignment.lowSumFlippedDb - m_pair.alignment.lowSumDb;
    }

    [[nodiscard]] Finding finding() const {
        const auto& a = m_pair.alignment;
        // Overheads hear all drums, so the drum's own microphones are what moves.
        const Element& mover = m_pair.isNear ? m_second : m_first;
        const Element& other = m_pair.isNear ? m_first : m_second;
        const double laterMs = m_pair.isNear ? a.delayMs : -a.delayMs;
        Finding f;
        f.id = fmt::format("pair-{}-{}", m_first.id, m_second.id);
        f.element = mover.id;
        f.severity = isWorth() ? Severity::Advice : Severity::Note;
        f.school = schoolId(school());
        f.numbers = {{"delay", a.delayMs, "ms"},
                     {"low_sum", a.lowSumDb, "dB"},
                     {"low_sum_after", isWorth() ? m_move.afterDb : bestDb(), "dB"},
                     {"sure", 100 * a.confidence, "%"},
                     {"hits", static_cast<double>(a.hits), ""},
                     {"inverted", m_pair.isNear && a.isInverted ? 1.0 : 0.0, ""}};
        f.hearing = hearingOf(m_hits, m_pair);
        const std::string now = fmt::format(
            "{} {} against {}. Summed they {} around the drum's note ({:.0f} to {:.0f} Hz)", mover.name,
            standsHow(a.isInverted, laterMs), other.name, gainedOrLost(a.lowSumDb), a.low.fromHz, a.low.toHz);
        if (!isWorth()) {
            f.sentence = fmt::format("{}; aligned they would {}. The style {} leaves that.", now,
                                     gainedOrLost(bestDb()), m_style.name);
            return f;
        }
        std::string act = m_move.flips ? "inverted" : "";
        if (m_move.shiftMs != 0)
            act += fmt::format("{}moved {:.2f} ms {}", act.empty() ? "" : " and ", std::abs(laterMs),
                               laterMs > 0 ? "earlier" : "later");
        f.sentence = fmt::format("{}; {} they {}.", now, act, gainedOrLost(m_move.afterDb));
        std::vector<Id> movers{mover.id};
        Move signedMove = m_move;
        if (!m_pair.isNear) {
            movers = drumOf(m_hits, m_first.id);
            signedMove.shiftMs = -m_move.shiftMs;
        }
        f.proposal =
            Proposal{fmt::format("{}, {}", m_move.shiftMs == 0 ? "Invert polarity" : "Align", mover.name),
                     [movers, signedMove](Session x) { return moved(std::move(x), movers, signedMove); }};
        return f;
    }

  private:
    [[nodiscard]] double bestDb() const { return bestMove(m_pair.alignment, PairSchool::Align).afterDb; }

    const HitAnalysis& m_hits;
    const HouseStyle& m_style;
    const PairMeasure& m_pair;
    const Element& m_first;
    const Element& m_second;
    Move m_move;
};

/// One flip of the overheads instead of one of each drum, where no drum loses by it; nothing else.
std::optional<Finding> overheadFlip(const Session& s, const HouseStyle& style, Id overhead,
                                    const std::vector<const PairOpinion*>& drums) {
    constexpr double kNoLossDb = 0.5;
    const auto gain = [](const PairOpinion* d) {
        return d->pair().alignment.lowSumFlippedDb - d->pair().alignment.lowSumDb;
    };
    const auto gaining = std::count_if(drums.begin(), drums.end(),
                                       [&](const PairOpinion* d) { return gain(d) >= style.leastGainDb; });
    if (style.overheadPairs != PairSchool::Flip || gaining < 2 ||
        std::any_of(drums.begin(), drums.end(), [&](const PairOpinion* d) { return gain(d) < -kNoLossDb; }))
        return std::nullopt;
    const auto* e = s.element(overhead);
    Finding f;
    f.id = fmt::format("overhead-{}", overhead);
    f.element = overhead;
    f.severity = Severity::Advice;
    f.school = schoolId(PairSchool::Flip);
    std::vector<std::string> parts;
    for (const auto* d : drums) {
        const auto& a = d->pair().alignment;
        parts.push_back(
            fmt::format("{} {:+.1f} to {:+.1f} dB", d->first().name, a.lowSumDb, a.lowSumFlippedDb));
        f.numbers.push_back({"gain_" + std::to_string(d->first().id), gain(d), "dB"});
    }
    f.sentence = fmt::format("Invert {} and the drums gain around their notes when summed with it: {}.",
                             e->name, listed(parts));
    f.hearing = Hearing{{}, 0, 8};
    f.proposal = Proposal{"Invert polarity, " + e->name, [overhead](Session x) {
                              return moved(std::move(x), {overhead}, {true, 0, 0});
                          }};
    return f;
}

/// Drums that are heard from above and stand against an overhead as the others do not: both are above the
/// heads, so what is inverted is the odd one, unless all others are. Kicks are heard from the other side:
/// they say nothing here.
std::vector<Finding> oddOnes(const HitAnalysis& hits, const Element& overhead,
                             const std::vector<const PairOpinion*>& drums) {
    constexpr double kSure = 0.6;
    std::vector<const PairOpinion*> alike;
    std::vector<const PairOpinion*> odd;
    for (const auto* d : drums)
        if (const Role role = d->first().role;
            d->pair().alignment.confidence >= kSure && roleInfo(role).group == RoleGroup::Shells &&
            role != Role::KickIn && role != Role::KickOut && role != Role::SubKick)
            (d->pair().alignment.isInverted ? odd : alike).push_back(d);
    if (alike.size() == 1 && odd.size() > 1)
        std::swap(alike, odd);
    std::vector<Finding> findings;
    if (alike.empty() || odd.size() > alike.size())
        return findings;
    std::vector<std::string> others;
    for (const auto* d : alike)
        others.push_back(d->first().name);
    for (const auto* d : odd) {
        Finding f;
        f.id = fmt::format("inverted-{}", d->first().id);
        f.element = d->first().id;
        f.severity = Severity::Advice;
        f.sentence = fmt::format("{} has inverted polarity against {}, unlike {}.", d->first().name,
                                 overhead.name, listed(others));
        f.numbers = {{"sure", 100 * d->pair().alignment.confidence, "%"}};
        f.hearing = hearingOf(hits, d->pair());
        f.proposal = Proposal{"Invert polarity, " + d->first().name,
                              [movers = drumOf(hits, d->first().id)](Session x) {
                                  return moved(std::move(x), movers, {true, 0, 0});
                              }};
        findings.push_back(std::move(f));
    }
    return findings;
}

/// Of two microphones at one drum, one of which is late as a whole: the delay is put right first, but which
/// way round they are can be told already.
std::optional<Finding> invertedThoughLate(const Session& s, const HitAnalysis& hits, const HouseStyle& style,
                                          const PairMeasure& pair) {
    constexpr double kSure = 0.5;
    const auto& a = pair.alignment;
    if (style.nearPairs == PairSchool::Leave || !pair.isNear || !a.isInverted || a.confidence < kSure)
        return std::nullopt;
    const Element& mover = *s.element(pair.second);
    Finding f;
    f.id = fmt::format("pair-{}-{}", pair.first, pair.second);
    f.element = mover.id;
    f.severity = Severity::Advice;
    f.sentence = fmt::format("{} has inverted polarity against {}, once they are in time.", mover.name,
                             s.element(pair.first)->name);
    f.numbers = {{"delay", a.delayMs, "ms"},
                 {"low_sum", a.lowSumDb, "dB"},
                 {"low_sum_after", a.lowSumMovedDb, "dB"},
                 {"sure", 100 * a.confidence, "%"},
                 {"hits", static_cast<double>(a.hits), ""},
                 {"inverted", 1, ""}};
    f.hearing = hearingOf(hits, pair);
    f.proposal = Proposal{"Invert polarity, " + mover.name, [id = mover.id](Session x) {
                              return moved(std::move(x), {id}, {true, 0, 0});
                          }};
    return f;
}

} // namespace

std::vector<Finding> pairFindings(const Session& s, const KitMeasures& measures, const HouseStyle& style) {
    std::vector<Finding> findings;
    if (!measures.hits)
        return findings;
    const auto& hits = *measures.hits;
    // A file that is late as a whole is put right first; only then do its pairs mean anything.
    const auto isAside = [&](Id id) {
        const int input = hits.inputOf(id);
        return input < 0 || hits.hits.lagS[static_cast<std::size_t>(input)] != 0;
    };
    std::vector<PairOpinion> opinions;
    for (const auto& pair : measures.pairs) {
        if (pair.alignment.hits == 0 || 100 * pair.alignment.confidence < style.leastSurePercent ||
            s.element(pair.first) == nullptr || s.element(pair.second) == nullptr)
            continue;
        if (!isAside(pair.first) && !isAside(pair.second))
            opinions.emplace_back(s, hits, style, pair);
        else if (auto f = invertedThoughLate(s, hits, style, pair))
            findings.push_back(std::move(*f));
    }
    std::map<Id, std::vector<const PairOpinion*>> byOverhead;
    for (const auto& opinion : opinions)
        if (!opinion.pair().isNear)
            byOverhead[opinion.pair().second].push_back(&opinion);
    std::map<Id, bool> isOdd; // drums: turned first, the rest is judged then
    for (const auto& [overhead, drums] : byOverhead)
        for (auto& f : oddOnes(hits, *s.element(overhead), drums))
            if (!std::exchange(isOdd[f.element], true))
                findings.push_back(std::move(f));
    std::map<Id, bool> isFlipped;
    for (const auto& [overhead, drums] : byOverhead)
        if (auto f = overheadFlip(s, style, overhead, drums)) {
            isFlipped[overhead] = true;
            findings.push_back(std::move(*f));
        }
    for (const auto& opinion : opinions) {
        if (opinion.pair().isNear) {
            if (opinion.isWorthTelling())
                findings.push_back(opinion.finding());
            continue;
        }
        // Against several overheads a drum has one move: told of the one that gains most, if all together
        // gain.
        const Id drum = opinion.pair().first;
        double gainDb = 0;
        bool isBest = true;
        for (const auto& other : opinions)
            if (!other.pair().isNear && other.pair().first == drum) {
                gainDb += other.flipGainDb();
                isBest = isBest && (&other == &opinion || other.flipGainDb() < opinion.flipGainDb());
            }
        if (opinion.isWorthTelling() && isBest && (gainDb > 0 || opinion.school() != PairSchool::Flip) &&
            !isFlipped[opinion.pair().second] && !isOdd[drum])
            findings.push_back(opinion.finding());
    }
    return findings;
}

} // namespace cask::advise
