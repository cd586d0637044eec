#include "core/advise/advise.h"
#include "core/advise/words.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace cask::advise {
namespace {

using session::Id;
using session::Session;

/// Beats as they are kept: to the hundredth of a millisecond, which is less than a frame.
std::vector<double> keptBeats(const measure::Tempo& tempo) {
    constexpr double kPerSecond = 1e5;
    std::vector<double> beats;
    for (const double at : tempo.beatsS)
        beats.push_back(std::round(at * kPerSecond) / kPerSecond);
    return beats;
}

/// How far the kept beats are from those of the hits, s: the greatest distance from a beat of the hits to the
/// nearest kept one.
double farthestS(const std::vector<double>& kept, const std::vector<double>& played) {
    double farthest = 0;
    for (const double at : played) {
        const auto after = std::lower_bound(kept.begin(), kept.end(), at);
        double nearest = after == kept.end() ? at - kept.back() : *after - at;
        if (after != kept.begin())
            nearest = std::min(nearest, at - *(after - 1));
        farthest = std::max(farthest, std::abs(nearest));
    }
    return farthest;
}

/// A pump stays open without a grid, and pumps beside the beat on an old one.
void addPumpGrid(const Session& s, const HitAnalysis& hits, std::vector<Finding>& findings) {
    constexpr double kBesideS = 0.020;
    const auto isPump = [](const session::Module& m) {
        return m.isOn && std::holds_alternative<dsp::PumpSettings>(m.settings);
    };
    std::vector<std::string> pumped;
    Id first = session::kNoId;
    const auto look = [&](Id owner, const std::vector<session::Module>& chain) {
        if (!std::any_of(chain.begin(), chain.end(), isPump))
            return;
        pumped.push_back(s.nameOf(owner));
        first = first == session::kNoId ? owner : first;
    };
    for (const auto& e : s.elements)
        look(e->id, e->chain);
    for (const auto& b : s.buses)
        look(b->id, b->chain);
    if (pumped.empty())
        return;
    const bool hasKept = s.tempo.beatsS.size() >= 2;
    const bool hasGrid = hasKept || s.tempo.bpm > 0;
    const double besideS = hasKept && hits.tempo.isKnown ? farthestS(s.tempo.beatsS, hits.tempo.beatsS) : 0;
    if (hasGrid && besideS <= kBesideS)
        return;
    Finding f;
    f.id = "pump-grid";
    f.stage = Stage::Punch;
    f.element = first;
    f.severity = Severity::Advice;
    f.sentence = hasGrid
                     ? fmt::format("The pump on {} follows a grid that is up to {:.0f} ms beside the beats "
                                   "of the hits.",
                                   listed(pumped), 1000 * besideS)
                     : fmt::format("The pump on {} has no grid to follow, and stays open.{}", listed(pumped),
                                   hits.tempo.isKnown ? "" : " Type a tempo and it follows that.");
    f.numbers = {{"beside", 1000 * besideS, "ms"}};
    if (hits.tempo.isKnown)
        f.proposal = {"Keep the beats of the hits",
                      [beats = keptBeats(hits.tempo), perBar = hits.tempo.beatsPerBar](Session next) {
                          next.tempo.beatsS = beats;
                          next.tempo.beatsPerBar = perBar;
                          return next;
                      }};
    findings.push_back(std::move(f));
}

/// What a bus takes back of the punch of kick and snare.
void addUndone(const Session& s, const BusPunchMeasure& bus, const HouseStyle& style,
               std::vector<Finding>& findings) {
    const auto* chain = s.chain(bus.bus);
    if (chain == nullptr || *chain != bus.chain || -bus.changeDb < style.undoneDb)
        return;
    const auto module = std::find_if(chain->begin(), chain->end(),
                                     [&](const session::Module& m) { return m.id == bus.module; });
    std::string sentence =
        fmt::format("{} takes {:.1f} dB of punch back from kick and snare", s.nameOf(bus.bus), -bus.changeDb);
    if (module != chain->end())
        sentence += fmt::format(", most of it ({:.1f} dB) its {}", -bus.moduleDb, session::wordsOf(*module));
    sentence += '.';
    std::vector<std::string> won;
    for (const auto& w : bus.won)
        won.push_back(fmt::format("{:.1f} dB on {}", w.db, s.nameOf(w.element)));
    if (!won.empty())
        sentence += fmt::format(" Before it {} had been won.", listed(won));
    Finding f;
    f.id = fmt::format("punch-undone-{}", bus.bus);
    f.stage = Stage::Punch;
    f.element = bus.bus;
    f.severity = Severity::Advice;
    f.sentence = std::move(sentence);
    f.numbers = {{"punch", bus.changeDb, "dB"}, {"module", bus.moduleDb, "dB"}};
    findings.push_back(std::move(f));
}

/// How far kick or snare stand out: advice where there is a song that they must be heard in.
void addStand(const Session& s, const StandMeasure& stand, const HouseStyle& style,
              std::vector<Finding>& findings) {
    const auto* e = s.element(stand.element);
    if (e == nullptr || stand.overDb >= style.standDb)
        return;
    constexpr std::array<const char*, 3> kBands = {"under 150 Hz", "from 150 Hz to 2 kHz", "over 2 kHz"};
    const auto best = std::max_element(stand.bandDb.begin(), stand.bandDb.end()) - stand.bandDb.begin();
    const bool hasSong = std::any_of(s.elements.begin(), s.elements.end(), [](const auto& other) {
        return roleInfo(other->role).group == RoleGroup::Context;
    });
    Finding f;
    f.id = fmt::format("stand-{}", stand.element);
    f.stage = Stage::Punch;
    f.element = stand.element;
    f.severity = hasSong ? Severity::Advice : Severity::Note;
    f.sentence =
        fmt::format("The first 10 ms of {} stand {:.1f} dB {} everything else that sounds then; "
                    "where they stand out most, {}, it is {:+.1f} dB.",
                    e->name, std::abs(stand.overDb), stand.overDb < 0 ? "under" : "over",
                    kBands[static_cast<std::size_t>(best)], stand.bandDb[static_cast<std::size_t>(best)]);
    f.numbers = {{"over", stand.overDb, "dB"},
                 {"lows", stand.bandDb[0], "dB"},
                 {"mids", stand.bandDb[1], "dB"},
                 {"highs", stand.bandDb[2], "dB"},
                 {"missing", style.standDb - stand.overDb, "dB"}};
    findings.push_back(std::move(f));
}

} // namespace

std::vector<Finding> kitPunchFindings(const Session& s, const KitMeasures& measures,
                                      const HouseStyle& style) {
    std::vector<Finding> findings;
    for (const auto& bus : measures.punch.buses)
        addUndone(s, bus, style, findings);
    for (const auto& stand : measures.punch.stands)
        addStand(s, stand, style, findings);
    if (measures.hits != nullptr)
        addPumpGrid(s, *measures.hits, findings);
    return findings;
}

} // namespace cask::advise
