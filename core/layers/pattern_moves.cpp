#include "core/layers/pattern_moves.h"

#include "core/layers/chance.h"
#include "core/layers/layer.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <set>

namespace cask::layers {
namespace {

constexpr double kPlacesInBeat = 24;
constexpr double kMostSpreads = 2;
constexpr double kLeastApartS = 0.012; // of two strokes of one drum that were further apart
constexpr double kAtOnceS = 0.010;

int placeOf(double beat) {
    return static_cast<int>(std::lround(std::fmod(std::round(beat * kPlacesInBeat), kPlacesInBeat)));
}
/// Of what is played a little beside its place: the nearest eighth or twelfth of a beat.
double nearestPlace(double beat) {
    const double place = beat * kPlacesInBeat;
    const double twelfth = std::round(place / 2) * 2;
    const double eighth = std::round(place / 3) * 3;
    return (std::abs(place - eighth) <= std::abs(place - twelfth) ? eighth : twelfth) / kPlacesInBeat;
}

double middleOf(std::vector<double> values) {
    const auto middle = values.begin() + std::ssize(values) / 2;
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

/// Mean 0 and spread 1, by chance: the sum of twelve (Irwin and Hall), within kMostSpreads.
double drawn(std::uint64_t seed, std::uint64_t number) {
    double sum = -6;
    for (std::uint64_t k = 0; k < 12; ++k)
        sum += chanceOf(seed, 12 * number + k);
    return std::clamp(sum, -kMostSpreads, kMostSpreads);
}

int louder(int velocity, double db) {
    return static_cast<int>(std::clamp(std::lround(velocity * std::pow(10, db / 40)), 1L, 127L));
}

void sortByTime(Pattern& pattern) {
    std::stable_sort(pattern.strokes.begin(), pattern.strokes.end(),
                     [](const auto& a, const auto& b) { return a.beat < b.beat; });
}

/// A stroke at another time; its beat follows, in the tempo that holds there.
void moveTo(const Pattern& pattern, PatternStroke& stroke, double timeS) {
    auto tempo = std::upper_bound(pattern.tempi.begin(), pattern.tempi.end(), timeS,
                                  [](double t, const TempoChange& c) { return t < c.timeS; });
    if (tempo != pattern.tempi.begin())
        --tempo;
    stroke.timeS = timeS;
    stroke.beat = tempo->beat + (timeS - tempo->timeS) * tempo->bpm / 60;
}

} // namespace

Feel feelOf(const Pattern& pattern, int note) {
    std::map<int, std::vector<double>> late;
    std::map<int, std::vector<double>> levels;
    std::map<int, std::vector<double>> byDrum; // levels by note, to compare each drum with itself
    for (const auto& s : pattern.strokes)
        if (note < 0 || s.note == note)
            byDrum[s.note].push_back(levelDbOf(s.velocity));
    std::map<int, double> middles;
    for (auto& [drum, list] : byDrum)
        middles[drum] = middleOf(list);
    for (const auto& s : pattern.strokes)
        if (note < 0 || s.note == note) {
            const double place = nearestPlace(s.beat);
            late[placeOf(place)].push_back(1000 * (s.timeS - pattern.timeOf(place)));
            levels[placeOf(place)].push_back(levelDbOf(s.velocity) - middles[s.note]);
        }
    Feel feel{0, 0, {}, {}};
    double squaresMs = 0;
    double squaresDb = 0;
    double count = 0;
    for (const auto& [place, list] : late) {
        if (list.size() < 3)
            continue;
        feel.lateMs[place] = middleOf(list);
        feel.louderDb[place] = middleOf(levels[place]);
        for (std::size_t i = 0; i < list.size(); ++i) {
            squaresMs += std::pow(list[i] - feel.lateMs[place], 2);
            squaresDb += std::pow(levels[place][i] - feel.louderDb[place], 2);
            ++count;
        }
    }
    if (count > 0) {
        feel.timingMs = std::sqrt(squaresMs / count);
        feel.levelDb = std::sqrt(squaresDb / count);
    }
    return feel;
}

Pattern humanised(Pattern pattern, const Feel& feel, std::uint64_t seed) {
    const Pattern before = pattern;
    const auto valueAt = [](const std::map<int, double>& values, int place) {
        const auto found = values.find(place);
        return found == values.end() ? 0 : found->second;
    };
    std::map<int, std::size_t> last; // of each drum, the stroke before
    for (std::size_t i = 0; i < pattern.strokes.size(); ++i) {
        PatternStroke& s = pattern.strokes[i];
        const int place = placeOf(nearestPlace(s.beat));
        double timeS = std::max(
            0.0, s.timeS + 0.001 * (valueAt(feel.lateMs, place) + feel.timingMs * drawn(seed, 2 * i)));
        if (const auto found = last.find(s.note); found != last.end()) {
            const double apartS = s.timeS - before.strokes[found->second].timeS;
            timeS = std::max(timeS, pattern.strokes[found->second].timeS + std::min(apartS, kLeastApartS));
        }
        last[s.note] = i;
        s.velocity =
            louder(s.velocity, valueAt(feel.louderDb, place) + feel.levelDb * drawn(seed, 2 * i + 1));
        moveTo(before, s, timeS);
    }
    sortByTime(pattern);
    return pattern;
}

Pattern alternated(Pattern pattern, int note, double softerDb) {
    // Of a drum on eighths every second eighth, of one on sixteenths every second sixteenth.
    bool hasSixteenths = false;
    for (const auto& s : pattern.strokes)
        hasSixteenths = hasSixteenths || (s.note == note && std::lround(4 * s.beat) % 2 != 0);
    for (auto& s : pattern.strokes)
        if (s.note == note && std::lround((hasSixteenths ? 4 : 2) * s.beat) % 2 != 0)
            s.velocity = louder(s.velocity, -softerDb);
    return pattern;
}

std::vector<int> ghostsOf(const Pattern& pattern, int note) {
    std::vector<int> strokes;
    for (int i = 0; i < static_cast<int>(pattern.strokes.size()); ++i)
        if (pattern.strokes[static_cast<std::size_t>(i)].note == note)
            strokes.push_back(i);
    const auto velocityAt = [&](int i) { return pattern.strokes[static_cast<std::size_t>(i)].velocity; };
    std::sort(strokes.begin(), strokes.end(), [&](int a, int b) { return velocityAt(a) < velocityAt(b); });
    std::size_t best = 0;
    double widest = kGhostGapDb;
    for (std::size_t k = 1; k < strokes.size() && 3 * k <= 2 * strokes.size(); ++k) {
        const double gap = levelDbOf(velocityAt(strokes[k])) - levelDbOf(velocityAt(strokes[k - 1]));
        if (gap >= widest) {
            widest = gap;
            best = k;
        }
    }
    strokes.resize(best);
    std::sort(strokes.begin(), strokes.end());
    return strokes;
}

Pattern withGhostsAt(Pattern pattern, int note, double underDb) {
    const auto ghosts = ghostsOf(pattern, note);
    std::vector<double> accents;
    std::vector<double> soft;
    for (int i = 0; i < static_cast<int>(pattern.strokes.size()); ++i) {
        const auto& s = pattern.strokes[static_cast<std::size_t>(i)];
        if (s.note == note)
            (std::binary_search(ghosts.begin(), ghosts.end(), i) ? soft : accents)
                .push_back(levelDbOf(s.velocity));
    }
    if (soft.empty())
        return pattern;
    // All by the same amount, so that they stay unlike each other.
    const double change = middleOf(accents) - underDb - middleOf(soft);
    for (const int i : ghosts) {
        auto& s = pattern.strokes[static_cast<std::size_t>(i)];
        s.velocity = louder(s.velocity, change);
    }
    return pattern;
}

Pattern withoutClosedUnderOpen(Pattern pattern, const std::vector<MappedNote>& map) {
    const auto isRole = [&](int note, Role role) {
        const auto* mapped = findNote(map, note);
        return mapped != nullptr && mapped->role == role;
    };
    const std::vector<PatternStroke> all = pattern.strokes;
    std::erase_if(pattern.strokes, [&](const PatternStroke& s) {
        return isRole(s.note, Role::ClosedHat) &&
               std::any_of(all.begin(), all.end(), [&](const PatternStroke& o) {
                   return isRole(o.note, Role::OpenHat) && std::abs(o.timeS - s.timeS) <= kAtOnceS;
               });
    });
    return pattern;
}

Pattern withFillEvery(Pattern pattern, int everyBars, const std::vector<MappedNote>& map) {
    const auto bars = pattern.barLines();
    if (bars.size() < 2 || everyBars < 1)
        return pattern;
    const std::size_t count = bars.size() - 1;
    const auto halfOf = [&](std::size_t bar) { return 0.5 * (bars[bar] + bars[bar + 1]); };
    const auto isOfFill = [&](int note) {
        const auto* mapped = findNote(map, note);
        return mapped != nullptr && (mapped->role == Role::SnareTop || mapped->role == Role::RackTom ||
                                     mapped->role == Role::FloorTom);
    };
    constexpr double kEarly = 1.0 / 48; // a stroke a little before its bar is of it
    const auto isInSecondHalf = [&](const PatternStroke& s, std::size_t bar) {
        return s.beat >= halfOf(bar) - kEarly && s.beat < bars[bar + 1] - kEarly;
    };
    std::vector<int> busy(count);
    for (std::size_t bar = 0; bar < count; ++bar)
        busy[bar] = static_cast<int>(
            std::count_if(pattern.strokes.begin(), pattern.strokes.end(), [&](const PatternStroke& s) {
                return isOfFill(s.note) && isInSecondHalf(s, bar);
            }));
    const auto source = static_cast<std::size_t>(std::max_element(busy.begin(), busy.end()) - busy.begin());
    auto sorted = busy;
    std::nth_element(sorted.begin(), sorted.begin() + std::ssize(sorted) / 2, sorted.end());
    if (busy[source] <= sorted[sorted.size() / 2])
        return pattern; // no bar is a fill
    std::vector<PatternStroke> fill;
    for (const auto& s : pattern.strokes)
        if (isInSecondHalf(s, source))
            fill.push_back(s);
    for (auto bar = static_cast<std::size_t>(everyBars) - 1; bar < count;
         bar += static_cast<std::size_t>(everyBars)) {
        // Into bars of the same length alone.
        if (bar == source || std::abs((bars[bar + 1] - bars[bar]) - (bars[source + 1] - bars[source])) > 1e-6)
            continue;
        std::erase_if(pattern.strokes, [&](const PatternStroke& s) { return isInSecondHalf(s, bar); });
        for (auto s : fill) {
            s.beat += bars[bar] - bars[source];
            s.timeS = pattern.timeOf(s.beat);
            pattern.strokes.push_back(s);
        }
    }
    sortByTime(pattern);
    return pattern;
}

} // namespace cask::layers
