#include "core/measure/hits/kit_hits.h"

#include "core/measure/hits/decays.h"
#include "core/measure/hits/dry_stems.h"
#include "core/measure/hits/file_lags.h"
#include "core/measure/hits/given_hits.h"
#include "core/measure/hits/hit_classes.h"
#include "core/measure/hits/loop_hits.h"
#include "core/measure/hits/moments.h"
#include "core/measure/hits/own_ear.h"
#include "core/measure/hits/own_onset.h"
#include "core/measure/hits/unmiked_names.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <set>

namespace cask::measure {
namespace {

constexpr int kRounds = 4;
constexpr std::size_t kMostTeachers = 1500; // moments that patterns are learned from

std::vector<TrailChannel> channelsOf(const KitModel& kit, std::span<const HitInput> inputs) {
    std::vector<TrailChannel> channels;
    for (const int i : kit.listening) {
        const auto& input = inputs[static_cast<std::size_t>(i)];
        for (const auto* trail : input.channels) {
            TrailChannel channel{i, trail, input.offsetS, kit.drumOf[static_cast<std::size_t>(i)] < 0, {}};
            const auto floors = bandFloors(*trail);
            for (std::size_t b = 0; b < kTrailBands; ++b)
                channel.floor[b] = static_cast<float>(std::pow(10.0, std::max(-100.0F, floors[b]) / 10));
            channels.push_back(channel);
        }
    }
    return channels;
}

/// Strokes of the moments from one to another, in order: what was struck before still sounds. Begun some
/// moments earlier, so that it is known what does.
void explainSome(const Patterns& patterns, const Decays& decays, const std::vector<Moment>& moments,
                 std::size_t from, std::size_t to, const CancelToken& cancel,
                 std::vector<std::vector<Stroke>>& all) {
    struct Past {
        double timeS;
        Stroke stroke;
    };
    std::vector<Past> past;
    std::vector<float> rest;
    std::size_t first = from;
    while (first > 0 && moments[from].timeS - moments[first - 1].timeS < Decays::kLongestS)
        --first;
    for (std::size_t m = first; m < to && !cancel.isCancelled(); ++m) {
        const double timeS = moments[m].timeS;
        std::erase_if(past, [&](const Past& p) { return timeS - p.timeS > Decays::kLongestS; });
        rest.assign(patterns.entries(), 0);
        for (const auto& p : past)
            decays.raise(patterns, p.stroke, timeS - p.timeS, rest);
        const auto strokes = patterns.explain(moments[m], rest);
        if (m >= from)
            all[m] = strokes;
        for (const auto& s : strokes)
            past.push_back({timeS, s});
    }
}

std::vector<std::vector<Stroke>> explainAll(const Patterns& patterns, const Decays& decays,
                                            const std::vector<Moment>& moments, const CancelToken& cancel,
                                            const ParallelFor& parallel) {
    constexpr std::size_t kAtOnce = 128;
    std::vector<std::vector<Stroke>> all(moments.size());
    inPieces(parallel, moments.size(), kAtOnce, [&](std::size_t from, std::size_t to) {
        explainSome(patterns, decays, moments, from, to, cancel, all);
    });
    return all;
}

double confidenceOf(float evidence) {
    return 1 - std::exp(-evidence / 14.0);
}

class Reporter {
  public:
    Reporter(KitHits& result, std::span<const HitInput> inputs, const Patterns& patterns,
             const std::vector<std::vector<Arrival>>& arrivals)
        : m_result(result), m_inputs(inputs), m_patterns(patterns), m_arrivals(arrivals) {
        for (const auto& list : arrivals)
            m_isTaken.emplace_back(list.size(), false);
    }

    /// `names`: the drum that each stroke is one of.
    void report(const Moment& moment, const std::vector<Stroke>& strokes, const std::vector<int>& names) {
        const KitModel& kit = m_result.kit;
        std::vector<int> strokeOf(kit.drums.size(), -1);
        for (std::size_t k = 0; k < strokes.size(); ++k) {
            const int name = names[k];
            const Drum& drum = kit.drums[static_cast<std::size_t>(name)];
            if (strokeOf[static_cast<std::size_t>(name)] >= 0)
                continue; // two groups of one drum
            const auto& own = drum.isMiked() ? drum.inputs : kit.ambient;
            for (const int input : own) {
                const auto* arrival = arrivalIn(moment, input);
                if (arrival == nullptr)
                    continue;
                strokeOf[static_cast<std::size_t>(name)] = static_cast<int>(m_result.strokes.size());
                m_result.strokes.push_back(
                    {name, onsetOf(*arrival, input, drum, strokes.size()) + offset(input), arrival->levelDb,
                     0, HitClass::Normal, confidenceOf(strokes[k].evidence)});
                break;
            }
        }
        for (std::size_t i = 0; i < m_inputs.size(); ++i) {
            const int input = static_cast<int>(i);
            const auto* arrival = arrivalIn(moment, input);
            if (arrival == nullptr)
                continue;
            const int maker = makerOf(input, strokes, names);
            if (maker < 0)
                continue;
            const auto taken = static_cast<std::size_t>(moment.arrivals[i]);
            if (m_isTaken[i][taken])
                continue;
            m_isTaken[i][taken] = true;
            const Drum& drum = kit.drums[static_cast<std::size_t>(maker)];
            const bool isOwn = drum.isMiked() ? kit.drumOf[i] == maker : kit.drumOf[i] < 0;
            const int stroke = strokeOf[static_cast<std::size_t>(maker)];
            const double timeS = isOwn ? onsetOf(*arrival, input, drum, strokes.size()) : arrival->timeS;
            m_result.heard.push_back(
                {input, maker, stroke, isOwn, timeS + offset(input), arrival->levelDb,
                 stroke >= 0 ? m_result.strokes[static_cast<std::size_t>(stroke)].confidence : 0});
        }
    }

  private:
    [[nodiscard]] const Arrival* arrivalIn(const Moment& moment, int input) const {
        const int index = moment.arrivals[static_cast<std::size_t>(input)];
        return index < 0 ? nullptr
                         : &m_arrivals[static_cast<std::size_t>(input)][static_cast<std::size_t>(index)];
    }
    /// Of a stroke in a microphone of its drum; as it was found in those that hear all.
    [[nodiscard]] double onsetOf(const Arrival& arrival, int input, const Drum& drum,
                                 std::size_t struck) const {
        if (!drum.isMiked())
            return arrival.timeS;
        const StrokeKind kind{struck == 1, regionOf(drum.role) == 2,
                              drum.role == Role::SnareTop || drum.role == Role::SnareBottom};
        return ownOnsetS(m_inputs[static_cast<std::size_t>(input)].channels, arrival, kind);
    }
    [[nodiscard]] double offset(int input) const { return m_inputs[static_cast<std::size_t>(input)].offsetS; }
    /// The microphone's own drum when it was struck, else the drum that is loudest there.
    [[nodiscard]] int makerOf(int input, const std::vector<Stroke>& strokes,
                              const std::vector<int>& names) const {
        int best = -1;
        float loudest = 0;
        for (std::size_t k = 0; k < strokes.size(); ++k) {
            const Stroke& s = strokes[k];
            const int name = names[k];
            if (m_result.kit.drumOf[static_cast<std::size_t>(input)] == name)
                return name;
            float power = 0;
            for (std::size_t c = 0; c < m_patterns.channels().size(); ++c)
                if (m_patterns.channels()[c].input == input)
                    for (std::size_t b = 0; b < kTrailBands; ++b)
                        power += s.power * m_patterns.of(s.drum)[c * kTrailBands + b];
            if (power > loudest) {
                loudest = power;
                best = name;
            }
        }
        return best;
    }

    KitHits& m_result;
    std::span<const HitInput> m_inputs;
    const Patterns& m_patterns;
    const std::vector<std::vector<Arrival>>& m_arrivals;
    std::vector<std::vector<bool>> m_isTaken;
};

void measureStrokes(KitHits& hits, std::span<const HitInput> inputs) {
    constexpr double kAloneS = 0.06;
    hits.inputs = static_cast<int>(inputs.size());
    hits.levelsDb.clear();
    for (std::size_t s = 0; s < hits.strokes.size(); ++s) {
        DrumHit& stroke = hits.strokes[s];
        const Drum& drum = hits.kit.drums[static_cast<std::size_t>(stroke.drum)];
        for (std::size_t i = 0; i < inputs.size(); ++i)
            hits.levelsDb.push_back(
                peakAround(inputs[i], stroke.timeS + hits.lagS[i], hits.kit.drumOf[i] < 0));
        if (drum.isMiked())
            stroke.levelDb = hits.levelDb(s, drum.inputs.front());
        else if (stroke.levelDb <= kUnmeasuredDb && drum.loop >= 0)
            stroke.levelDb = hits.levelDb(s, drum.loop);
    }
    // A drum that is played is in its own sound alone, or where there is spill in that of all that are
    // played.
    const bool isAnySpill =
        std::any_of(inputs.begin(), inputs.end(), [](const HitInput& input) { return input.hasSpill; });
    std::vector<std::size_t> last(hits.kit.drums.size() + 2, hits.strokes.size());
    for (std::size_t s = 0; s < hits.strokes.size(); ++s) {
        const auto drum = static_cast<std::size_t>(hits.strokes[s].drum);
        auto& before = last[!hits.kit.drums[drum].isPlayed ? hits.kit.drums.size()
                            : isAnySpill                   ? hits.kit.drums.size() + 1
                                                           : drum];
        const bool isFree =
            before == hits.strokes.size() || hits.strokes[s].timeS - hits.strokes[before].timeS > kAloneS;
        if (!isFree)
            hits.strokes[before].isAlone = false;
        hits.strokes[s].isAlone = isFree;
        before = s;
    }
}

/// Strokes by time; those heard speak of their new places.
void sortStrokes(KitHits& hits) {
    std::vector<std::size_t> order(hits.strokes.size());
    std::iota(order.begin(), order.end(), 0U);
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
        return hits.strokes[a].timeS < hits.strokes[b].timeS;
    });
    std::vector<DrumHit> sorted;
    std::vector<int> place(order.size());
    for (std::size_t i = 0; i < order.size(); ++i) {
        sorted.push_back(hits.strokes[order[i]]);
        place[order[i]] = static_cast<int>(i);
    }
    hits.strokes = std::move(sorted);
    for (auto& h : hits.heard)
        if (h.stroke >= 0)
            h.stroke = place[static_cast<std::size_t>(h.stroke)];
}

} // namespace

void finishHits(KitHits& hits, std::span<const HitInput> inputs) {
    sortStrokes(hits);
    measureStrokes(hits, inputs);
    classify(hits);
    std::sort(hits.heard.begin(), hits.heard.end(),
              [](const HeardHit& a, const HeardHit& b) { return a.timeS < b.timeS; });
}

namespace {

/// Explains the microphones of a part of the kit together; drums and strokes are those of the part.
KitHits explainPart(const KitModel& kit, std::span<const HitInput> inputs,
                    const std::vector<std::vector<Arrival>>& arrivals, const CancelToken& cancel,
                    const ParallelFor& parallel, const OwnObserver& observe) {
    KitHits result;
    result.kit = kit;
    const auto channels = channelsOf(kit, inputs);
    const auto moments = gatherMoments(kit, inputs, channels, arrivals, parallel);
    Patterns patterns(kit, channels, arrivals);
    // A part of the take teaches: evenly chosen stretches of it.
    std::vector<Moment> lessons;
    const std::size_t stretch = 50;
    const std::size_t skip = moments.size() <= kMostTeachers ? 1 : moments.size() / kMostTeachers + 1;
    for (std::size_t m = 0; m < moments.size(); ++m)
        if ((m / stretch) % skip == 0)
            lessons.push_back(moments[m]);
    patterns.seed(lessons);
    patterns.seedMetal(lessons);
    Decays decays(kit.drums.size());
    for (int round = 0; round < kRounds && !cancel.isCancelled(); ++round) {
        const auto strokes = explainAll(patterns, decays, lessons, cancel, parallel);
        patterns.learn(lessons, strokes);
        decays.learn(patterns, lessons, strokes);
        if (round == 1)
            patterns.discover(lessons, strokes);
    }
    auto strokes = explainAll(patterns, decays, moments, cancel, parallel);
    if (kit.listening.size() > 1) { // one alone holds nothing but its own
        const auto looks = ownLooks(patterns, moments, strokes, arrivals, parallel);
        if (observe)
            observe(kit, moments, looks);
        hearOwn(shippedOwnEar(), looks, patterns, moments, strokes, parallel);
    }
    const auto names = nameStrokes(kit, channels, moments, strokes);
    Reporter reporter(result, inputs, patterns, arrivals);
    for (std::size_t m = 0; m < moments.size(); ++m)
        reporter.report(moments[m], strokes[m], names[m]);
    return result;
}

/// Drums and strokes of a file that holds a kit of its own. Drums that are never struck are left out.
void addLoop(KitHits& hits, int input, std::span<const HitInput> inputs,
             const std::vector<Arrival>& arrivals) {
    const HitInput& loop = inputs[static_cast<std::size_t>(input)];
    for (const auto& hit : findLoopHits(loop.channels, arrivals, shippedLoopEar())) {
        const int drum = loopDrumIn(hits.kit, input, loop.name, hit.drum);
        const double timeS = arrivals[hit.arrival].timeS + loop.offsetS;
        hits.heard.push_back(
            {input, drum, static_cast<int>(hits.strokes.size()), true, timeS, hit.levelDb, hit.share});
        hits.strokes.push_back({drum, timeS, hit.levelDb, 0, HitClass::Normal, hit.share});
    }
}

/// A grace note and its stroke may turn out to begin at one onset: that is one stroke, the surer one.
void dropDoubles(KitHits& hits) {
    constexpr double kOneStrokeS = 0.005;
    sortStrokes(hits);
    std::vector<int> last(hits.kit.drums.size(), -1);
    std::vector<int> keptAs(hits.strokes.size());
    std::vector<DrumHit> kept;
    for (std::size_t s = 0; s < hits.strokes.size(); ++s) {
        const DrumHit& stroke = hits.strokes[s];
        int& before = last[static_cast<std::size_t>(stroke.drum)];
        if (before >= 0 && stroke.timeS - kept[static_cast<std::size_t>(before)].timeS < kOneStrokeS) {
            DrumHit& other = kept[static_cast<std::size_t>(before)];
            other.levelDb = std::max(other.levelDb, stroke.levelDb);
            other.confidence = std::max(other.confidence, stroke.confidence);
        } else {
            before = static_cast<int>(kept.size());
            kept.push_back(stroke);
        }
        keptAs[s] = before;
    }
    hits.strokes = std::move(kept);
    std::set<std::pair<int, int>> heard; // input and stroke: a microphone hears it once
    std::erase_if(hits.heard, [&](HeardHit& h) {
        if (h.stroke < 0)
            return false;
        h.stroke = keptAs[static_cast<std::size_t>(h.stroke)];
        return !heard.emplace(h.input, h.stroke).second;
    });
}

} // namespace

KitHits findKitHits(std::span<const HitInput> givenInputs, const CancelToken& cancel,
                    const ParallelFor& parallel, const OwnObserver& observe) {
    KitHits result;
    std::vector<HitInput> inputs(givenInputs.begin(), givenInputs.end());
    result.kit = makeKitModel(inputs);
    std::deque<BandTrail> moved;
    result.sideLags = alignSides(result.kit, inputs, moved);
    std::vector<std::vector<Arrival>> arrivals(inputs.size());
    auto all = result.kit.listening;
    all.insert(all.end(), result.kit.loops.begin(), result.kit.loops.end());
    parallel(all.size(), [&](std::size_t n) {
        const auto i = static_cast<std::size_t>(all[n]);
        arrivals[i] = inputs[i].arrivals != nullptr ? *inputs[i].arrivals : findArrivals(inputs[i].channels);
    });
    // Files that are late are put right for the analysis; what is reported are the times in the files as they
    // are.
    result.lagS = findFileLags(result.kit, inputs, arrivals);
    for (std::size_t i = 0; i < inputs.size(); ++i)
        inputs[i].offsetS -= result.lagS[i];
    const auto isDry = findDryStems(result.kit, inputs, arrivals);
    for (const auto& part : partsOf(result.kit, isDry, inputs, arrivals)) {
        auto heardHere = std::vector<std::vector<Arrival>>(inputs.size());
        for (const int input : part.kit.listening)
            heardHere[static_cast<std::size_t>(input)] = arrivals[static_cast<std::size_t>(input)];
        const auto hits = explainPart(part.kit, inputs, heardHere, cancel, parallel, observe);
        const int before = static_cast<int>(result.strokes.size());
        for (auto stroke : hits.strokes) {
            stroke.drum = part.drums[static_cast<std::size_t>(stroke.drum)];
            result.strokes.push_back(stroke);
        }
        for (auto heard : hits.heard) {
            heard.drum = heard.drum < 0 ? -1 : part.drums[static_cast<std::size_t>(heard.drum)];
            heard.stroke += heard.stroke < 0 ? 0 : before;
            result.heard.push_back(heard);
        }
    }
    for (const int loop : result.kit.loops)
        if (const auto& input = inputs[static_cast<std::size_t>(loop)]; isGivenLoop(input))
            addGivenLoop(result, loop, input);
        else
            addLoop(result, loop, inputs, arrivals[static_cast<std::size_t>(loop)]);
    dropDoubles(result);
    addPlayed(result, inputs);
    // Times in the files as they are.
    for (auto& h : result.heard)
        h.timeS += result.lagS[static_cast<std::size_t>(h.input)];
    finishHits(result, givenInputs);
    return result;
}

} // namespace cask::measure
