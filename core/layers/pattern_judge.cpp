#include "core/layers/pattern_judge.h"

#include "core/layers/layer.h"
#include "core/layers/pattern_moves.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

namespace cask::layers {
namespace {

using Limits = PatternLimits;
using Indices = std::vector<int>;

constexpr int kDrumChannel = 9; // the tenth

double middleOf(std::vector<double> values) {
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

class PatternJudge {
  public:
    PatternJudge(const Pattern& pattern, const std::vector<MappedNote>& map)
        : m_pattern(pattern), m_map(map), m_bars(pattern.barLines()) {
        // Where something stands on the channel of drums, the others play no drums.
        const bool hasDrums = std::any_of(pattern.strokes.begin(), pattern.strokes.end(),
                                          [](const auto& s) { return s.channel == kDrumChannel; });
        for (int i = 0; i < static_cast<int>(pattern.strokes.size()); ++i)
            if (!hasDrums || at(i).channel == kDrumChannel) {
                m_drums[at(i).note].push_back(i);
                m_judged.push_back(i);
            }
    }

    PatternJudgement run() {
        m_result.bars = static_cast<int>(m_bars.size()) - 1;
        for (const auto& [note, strokes] : m_drums) {
            DrumOfPattern drum;
            drum.note = note;
            drum.name = nameOf(note);
            const auto* mapped = findNote(m_map, note);
            drum.role = mapped != nullptr ? mapped->role : Role::Unknown;
            drum.strokes = static_cast<int>(strokes.size());
            std::vector<double> velocities;
            for (const int i : strokes)
                velocities.push_back(at(i).velocity);
            drum.softest = static_cast<int>(*std::min_element(velocities.begin(), velocities.end()));
            drum.loudest = static_cast<int>(*std::max_element(velocities.begin(), velocities.end()));
            drum.middle = static_cast<int>(middleOf(velocities));
            findEvenness(note, strokes);
            findExactness(note, strokes, drum);
            findRolls(note, strokes);
            findDoubled(note, strokes);
            if (drum.role == Role::SnareTop)
                findGhosts(note, strokes);
            m_result.drums.push_back(std::move(drum));
        }
        findHats();
        findRepeats();
        return std::move(m_result);
    }

  private:
    [[nodiscard]] const PatternStroke& at(int i) const {
        return m_pattern.strokes[static_cast<std::size_t>(i)];
    }
    [[nodiscard]] std::string nameOf(int note) const {
        const auto* mapped = findNote(m_map, note);
        return mapped != nullptr ? mapped->name : fmt::format("note {}", note);
    }
    [[nodiscard]] int barOf(double beat) const {
        return static_cast<int>(std::upper_bound(m_bars.begin(), m_bars.end(), beat + 1e-6) - m_bars.begin());
    }
    void add(PatternFault fault, int note, Indices strokes, int count, std::string sentence) {
        PatternFinding f;
        f.fault = fault;
        f.note = note;
        f.count = count;
        f.fromBeat = at(strokes.front()).beat;
        f.bar = barOf(f.fromBeat);
        f.strokes = std::move(strokes);
        f.sentence = std::move(sentence);
        m_result.findings.push_back(std::move(f));
    }

    void findEvenness(int note, const Indices& strokes) {
        if (static_cast<int>(strokes.size()) < Limits::kFewestStrokes)
            return;
        std::map<int, int> byVelocity;
        for (const int i : strokes)
            ++byVelocity[at(i).velocity];
        std::vector<std::pair<int, int>> most; // how many, velocity
        for (const auto& [velocity, count] : byVelocity)
            most.emplace_back(count, velocity);
        std::sort(most.rbegin(), most.rend());
        const int ofTwo = most[0].first + (most.size() > 1 ? most[1].first : 0);
        if (ofTwo < Limits::kNearlyAll * static_cast<double>(strokes.size()))
            return;
        const bool isOne = most[0].first >= Limits::kNearlyAll * static_cast<double>(strokes.size());
        add(PatternFault::EvenVelocities, note, strokes, static_cast<int>(strokes.size()),
            isOne ? fmt::format("{} has one velocity, {}, on {} of {} strokes.", nameOf(note), most[0].second,
                                most[0].first, strokes.size())
                  : fmt::format("{} has two velocities, {} and {}, on {} of {} strokes.", nameOf(note),
                                most[0].second, most[1].second, ofTwo, strokes.size()));
    }

    /// Against the middle of the strokes at the same place in the beat (the nearest eighth or twelfth of
    /// it), so that a shuffle or a drum that is laid back is no looseness and no fault.
    void findExactness(int note, const Indices& strokes, DrumOfPattern& drum) {
        constexpr double kPlacesInBeat = 24;
        std::map<long, std::vector<double>> byPlace;
        std::vector<std::pair<long, double>> places; // place and distance from it, ms
        for (const int i : strokes) {
            const double place = at(i).beat * kPlacesInBeat;
            const double twelfth = std::round(place / 2) * 2;
            const double eighth = std::round(place / 3) * 3;
            const double nearest = std::abs(place - eighth) <= std::abs(place - twelfth) ? eighth : twelfth;
            const double ms = 1000 * (at(i).timeS - m_pattern.timeOf(nearest / kPlacesInBeat));
            const long inBeat = std::lround(std::fmod(nearest, kPlacesInBeat));
            byPlace[inBeat].push_back(ms);
            places.emplace_back(inBeat, ms);
        }
        std::map<long, double> middles;
        for (const auto& [place, distances] : byPlace)
            middles[place] = middleOf(distances);
        std::vector<double> loose;
        for (const auto& [place, ms] : places)
            if (byPlace[place].size() > 2) // two are always near their middle
                loose.push_back(std::abs(ms - middles[place]));
        if (static_cast<int>(loose.size()) < Limits::kFewestStrokes)
            return;
        drum.looseMs = middleOf(loose);
        const auto exact =
            std::count_if(loose.begin(), loose.end(), [](double ms) { return ms <= Limits::kExactMs; });
        if (static_cast<double>(exact) < Limits::kNearlyAll * static_cast<double>(loose.size()))
            return;
        add(PatternFault::ExactTiming, note, strokes, static_cast<int>(exact),
            fmt::format("{} is in its place in the beat to {:.1f} ms with {} of {} strokes.", nameOf(note),
                        Limits::kExactMs, exact, loose.size()));
    }

    void findRolls(int note, const Indices& strokes) {
        Indices roll;
        const auto close = [&] {
            if (static_cast<int>(roll.size()) >= Limits::kRollStrokes)
                add(PatternFault::MachineRoll, note, roll, static_cast<int>(roll.size()),
                    fmt::format("{} strikes {} times {:.0f} ms apart at one level in bar {}.", nameOf(note),
                                roll.size(),
                                1000 * (at(roll.back()).timeS - at(roll.front()).timeS) /
                                    static_cast<double>(roll.size() - 1),
                                barOf(at(roll.front()).beat)));
            roll.clear();
        };
        for (const int i : strokes) {
            if (!roll.empty()) {
                const double apartMs = 1000 * (at(i).timeS - at(roll.back()).timeS);
                if (apartMs > Limits::kRollMs || apartMs < Limits::kDoubledMs ||
                    std::abs(at(i).velocity - at(roll.front()).velocity) > Limits::kRollVelocities)
                    close();
            }
            roll.push_back(i);
        }
        close();
    }

    void findDoubled(int note, const Indices& strokes) {
        Indices doubled;
        for (std::size_t k = 1; k < strokes.size(); ++k)
            if (1000 * (at(strokes[k]).timeS - at(strokes[k - 1]).timeS) < Limits::kDoubledMs)
                doubled.push_back(strokes[k]);
        if (!doubled.empty())
            add(PatternFault::Doubled, note, doubled, static_cast<int>(doubled.size()),
                fmt::format("{} is struck twice at once in {} place{}, first in bar {}.", nameOf(note),
                            doubled.size(), doubled.size() == 1 ? "" : "s", barOf(at(doubled.front()).beat)));
    }

    void findGhosts(int note, const Indices& strokes) {
        const auto ghosts = ghostsOf(m_pattern, note);
        if (static_cast<int>(ghosts.size()) < Limits::kFewestGhosts)
            return;
        std::vector<double> soft;
        std::vector<double> loud;
        for (const int i : strokes)
            (std::binary_search(ghosts.begin(), ghosts.end(), i) ? soft : loud)
                .push_back(levelDbOf(at(i).velocity));
        const double underDb = middleOf(loud) - middleOf(soft);
        const auto count = static_cast<int>(ghosts.size());
        if (underDb < Limits::kGhostsUnderDb)
            add(PatternFault::LoudGhosts, note, ghosts, count,
                fmt::format("{} ghosts of {} lie only {:.0f} dB under its accents.", count, nameOf(note),
                            underDb));
        const double inBar = count / std::max(1.0, static_cast<double>(m_bars.size()) - 1);
        if (inBar > Limits::kMostGhostsInBar)
            add(PatternFault::ManyGhosts, note, ghosts, count,
                fmt::format("{} has {:.0f} ghosts a bar.", nameOf(note), inBar));
    }

    void findHats() {
        Indices both;
        for (const auto& [note, strokes] : m_drums) {
            const auto* open = findNote(m_map, note);
            if (open == nullptr || open->role != Role::OpenHat)
                continue;
            for (const int i : strokes)
                for (const auto& [otherNote, others] : m_drums) {
                    const auto* closed = findNote(m_map, otherNote);
                    if (closed == nullptr || closed->role != Role::ClosedHat)
                        continue;
                    const double from = at(i).timeS - Limits::kAtOnceMs / 1000;
                    const auto found = std::lower_bound(others.begin(), others.end(), from,
                                                        [&](int o, double t) { return at(o).timeS < t; });
                    if (found != others.end() && at(*found).timeS <= at(i).timeS + Limits::kAtOnceMs / 1000)
                        both.push_back(*found);
                }
        }
        if (both.empty())
            return;
        std::sort(both.begin(), both.end());
        both.erase(std::unique(both.begin(), both.end()), both.end());
        add(PatternFault::OpenAndClosed, at(both.front()).note, both, static_cast<int>(both.size()),
            fmt::format("The hat is open and closed at once in {} place{}, first in bar {}.", both.size(),
                        both.size() == 1 ? "" : "s", barOf(at(both.front()).beat)));
    }

    void findRepeats() {
        using Bar = std::vector<std::array<long, 3>>; // place, note, velocity
        std::vector<Bar> bars(m_bars.empty() ? 0 : m_bars.size() - 1);
        std::vector<Indices> strokes(bars.size());
        constexpr double kPlaces = 1920; // of a beat
        for (const int i : m_judged) {
            const auto bar = static_cast<std::size_t>(std::max(0, barOf(at(i).beat) - 1));
            if (bar >= bars.size())
                continue;
            bars[bar].push_back(
                {std::lround((at(i).beat - m_bars[bar]) * kPlaces), at(i).note, at(i).velocity});
            strokes[bar].push_back(i);
        }
        for (auto& bar : bars)
            std::sort(bar.begin(), bar.end());
        for (std::size_t from = 0; from < bars.size();) {
            std::size_t to = from + 1;
            while (to < bars.size() && bars[to] == bars[from])
                ++to;
            if (static_cast<int>(to - from) >= Limits::kSameBars && !bars[from].empty()) {
                Indices all;
                for (std::size_t b = from + 1; b < to; ++b)
                    all.insert(all.end(), strokes[b].begin(), strokes[b].end());
                add(PatternFault::RepeatedBars, -1, all, static_cast<int>(to - from),
                    fmt::format("Bars {} to {} are alike in every stroke.", from + 1, to));
            }
            from = to;
        }
    }

    const Pattern& m_pattern;
    const std::vector<MappedNote>& m_map;
    std::vector<double> m_bars;
    std::map<int, Indices> m_drums; ///< strokes by note, in time
    Indices m_judged;               ///< all of them
    PatternJudgement m_result;
};

} // namespace

std::string_view idOf(PatternFault fault) {
    constexpr std::array<std::string_view, 8> kIds = {"even_velocities", "exact_timing", "open_and_closed",
                                                      "repeated_bars",   "machine_roll", "doubled",
                                                      "loud_ghosts",     "many_ghosts"};
    return kIds[static_cast<std::size_t>(fault)];
}

PatternJudgement judgePattern(const Pattern& pattern, const std::vector<MappedNote>& map) {
    return PatternJudge(pattern, map).run();
}

} // namespace cask::layers
