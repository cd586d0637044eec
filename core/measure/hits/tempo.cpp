#include "core/measure/hits/tempo.h"

#include "core/measure/hits/tempo_search.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace cask::measure {

double Tempo::timeOf(double beat) const {
    if (beatsS.size() < 2)
        return 0;
    const double last = static_cast<double>(beatsS.size()) - 2;
    const double i = std::clamp(std::floor(beat), 0.0, last);
    const auto k = static_cast<std::size_t>(i);
    return beatsS[k] + (beat - i) * (beatsS[k + 1] - beatsS[k]);
}

double Tempo::beatAt(double timeS) const {
    if (beatsS.size() < 2)
        return 0;
    const auto next = std::upper_bound(beatsS.begin(), beatsS.end(), timeS);
    const auto k = static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(
        next - beatsS.begin() - 1, 0, static_cast<std::ptrdiff_t>(beatsS.size()) - 2));
    return static_cast<double>(k) + (timeS - beatsS[k]) / (beatsS[k + 1] - beatsS[k]);
}

double Tempo::nearestLineS(double timeS) const {
    const double beat = beatAt(timeS);
    const double whole = std::floor(beat);
    const double s = swingPercent / 100;
    // Lines of a beat: sixteenths; the swing bends eighths, or the sixteenths of each eighth.
    const std::array<double, 5> lines = isSwingOnSixteenths
                                            ? std::array<double, 5>{0, s / 2, 0.5, 0.5 + s / 2, 1}
                                            : std::array<double, 5>{0, s / 2, s, s + (1 - s) / 2, 1};
    double best = 0;
    for (const double line : lines)
        if (std::abs(beat - whole - line) < std::abs(beat - whole - best))
            best = line;
    return timeOf(whole + best);
}

namespace {

std::vector<PlayedNote> between(const std::vector<PlayedNote>& notes, double fromS, double toS) {
    std::vector<PlayedNote> some;
    for (const auto& n : notes)
        if (n.timeS >= fromS && n.timeS < toS)
            some.push_back(n);
    return some;
}

/// Makes the first beats of a walk exact: in a take that drifts, period and phase of a long stretch fit
/// nowhere.
void setOut(const std::vector<PlayedNote>& notes, double& periodS, double& phaseS) {
    constexpr double kNearS = 0.02;
    double best = 0;
    double bestPeriodS = periodS;
    double bestPhaseS = phaseS;
    for (double times = 0.97; times <= 1.0301; times += 0.0025)
        for (double shift = -0.24; shift <= 0.2401; shift += 0.02) {
            const double period = periodS * times;
            const double phase = phaseS + shift * periodS;
            double sum = 0;
            for (const auto& n : notes) {
                const double beat = (n.timeS - phase) / period;
                const double off = (beat - std::round(beat)) * period;
                sum += n.weight * std::exp(-off * off / (kNearS * kNearS));
            }
            // What was found before is right unless the notes here say clearly more.
            sum *= 1 - 0.3 * std::abs(shift) - 2 * std::abs(times - 1);
            if (sum > best) {
                best = sum;
                bestPeriodS = period;
                bestPhaseS = phase;
            }
        }
    periodS = bestPeriodS;
    phaseS = bestPhaseS;
}

/// Follows the beats: each is where the last ones and the notes around it say.
std::vector<double> followBeats(const std::vector<PlayedNote>& notes, double periodS, double phaseS,
                                double endS) {
    std::vector<double> beats;
    double at = phaseS;
    while (at - periodS > -0.25 * periodS)
        at -= periodS;
    double period = periodS;
    for (; at < endS + periodS; at += period) {
        double sum = 0;
        double weight = 0;
        const double reach = 0.09 * period;
        const auto from = std::lower_bound(notes.begin(), notes.end(), at - reach,
                                           [](const PlayedNote& n, double t) { return n.timeS < t; });
        for (auto n = from; n != notes.end() && n->timeS < at + reach; ++n) {
            sum += n->weight * (n->timeS - at);
            weight += n->weight;
        }
        if (weight > 0) {
            const double error = sum / weight;
            at += 0.25 * error;
            period += 0.04 * error;
        }
        beats.push_back(at);
    }
    return beats;
}

/// Notes near sixteenths of a steady grid lay it anew by weighted least squares, twice.
void layGrid(const std::vector<PlayedNote>& notes, double& periodS, double& startS) {
    for (int round = 0; round < 3; ++round) {
        double sw = 0, sk = 0, st = 0, skk = 0, skt = 0;
        for (const auto& n : notes) {
            const double beat = (n.timeS - startS) / periodS;
            const double k = std::round(beat); // on the beat, where no swing bends it
            if (std::abs(beat - k) * periodS > 0.025)
                continue;
            sw += n.weight;
            sk += n.weight * k;
            st += n.weight * n.timeS;
            skk += n.weight * k * k;
            skt += n.weight * k * n.timeS;
        }
        const double det = sw * skk - sk * sk;
        if (sw <= 0 || det <= 1e-9)
            return;
        periodS = (sw * skt - sk * st) / det;
        startS = (st - periodS * sk) / sw;
    }
}

/// True when notes on the beat lie on the grid in every part of the take.
bool isSteady(const std::vector<PlayedNote>& notes, double periodS, double startS) {
    constexpr double kPartS = 12;
    constexpr double kMostOffS = 0.014;
    for (double from = notes.front().timeS; from < notes.back().timeS; from += kPartS) {
        std::vector<double> off;
        int all = 0;
        for (const auto& n : notes) {
            if (n.timeS < from || n.timeS >= from + kPartS)
                continue;
            const double beat = (n.timeS - startS) / periodS;
            const double error = (beat - std::round(beat)) * periodS;
            ++all;
            if (std::abs(error) < 0.04)
                off.push_back(error);
        }
        if (off.size() >= 4 && std::abs(median(off)) > kMostOffS)
            return false;
        if (all >= 12 && 5 * off.size() < static_cast<std::size_t>(all))
            return false;
    }
    return true;
}

/// Where the second half of a beat (or of an eighth) is played, percent.
double swingOf(const std::vector<PlayedNote>& notes, const Tempo& tempo, double perBeat, int& count) {
    std::vector<double> places;
    for (const auto& n : notes) {
        const double at = tempo.beatAt(n.timeS) * perBeat;
        const double in = at - std::floor(at);
        if (in > 0.42 && in < 0.72)
            places.push_back(100 * in);
    }
    count = static_cast<int>(places.size());
    return places.empty() ? 50 : median(places);
}

} // namespace

Tempo findTempo(const std::vector<PlayedNote>& given, const TempoGiven& said) {
    Tempo tempo;
    std::vector<PlayedNote> notes = given;
    std::sort(notes.begin(), notes.end(),
              [](const PlayedNote& a, const PlayedNote& b) { return a.timeS < b.timeS; });
    constexpr std::size_t kFewest = 8;
    if (notes.size() < kFewest)
        return tempo;
    const double endS = notes.back().timeS;
    double periodS = said.bpm > 0 ? 60 / said.bpm : coarsePeriodS(notes);
    // The busiest twenty seconds make it exact enough to be followed.
    constexpr double kStretchS = 20;
    std::vector<PlayedNote> stretch;
    for (double from = notes.front().timeS; from == notes.front().timeS || from + kStretchS / 2 < endS;
         from += kStretchS / 2) {
        auto some = between(notes, from, from + kStretchS);
        if (some.size() > stretch.size())
            stretch = std::move(some);
    }
    if (said.bpm <= 0)
        periodS = refine(stretch, periodS, 0.025);

    // The pace of the beat and the bar: by the backbeat, among this period, its half and its double.
    Bar bar;
    bar.score = -10;
    for (const double times : {1.0, 0.5, 2.0, 1.5, 2.0 / 3}) {
        if (said.bpm > 0 && times != 1.0)
            continue;
        const double t = periodS * times;
        if (60 / t < kSlowestBpm || 60 / t > kFastestBpm)
            continue;
        const auto phases = likelyPhases(stretch, t);
        const double phase = phases.front();
        const double prior = 1.0 * std::exp(-0.5 * std::pow(std::log2(60 / t / 95) / 0.6, 2));
        // Something is played between the beats, or they are not the beats.
        double between = 0;
        for (const auto& n : stretch) {
            const double in = (n.timeS - phase) / t;
            between += std::abs(in - std::round(in)) > 0.2 ? n.weight : 0;
        }
        double all = 1e-9;
        for (const auto& n : stretch)
            all += n.weight;
        const double grid = 0.5 * gridCoherence(stretch, t) - (between < 0.22 * all ? 0.4 : 0);
        for (const double beatPhase : phases) {
            Bar candidate =
                bestBar(stretch, t, beatPhase,
                        said.beatsPerBar > 0 ? said.beatsPerBar : guessMetre(stretch, t, beatPhase));
            candidate.score += prior + grid;
            if (candidate.score > bar.score)
                bar = candidate;
        }
    }
    const int beats = bar.beats;
    periodS = bar.periodS;
    double startS = bar.phaseS;
    while (startS > notes.front().timeS - 0.25 * periodS)
        startS -= beats * periodS;
    while (startS < notes.front().timeS - (beats - 0.25) * periodS)
        startS += beats * periodS;
    // Followed from inside the stretch to both ends.
    double anchor =
        startS + std::floor((stretch.front().timeS - startS) / (beats * periodS)) * beats * periodS;
    setOut(between(notes, anchor - 0.5 * periodS, anchor + 8.5 * periodS), periodS, anchor);
    auto forward = followBeats(between(notes, anchor - 0.5 * periodS, endS + 1), periodS, anchor, endS);
    while (!forward.empty() && forward.front() < anchor - 0.5 * periodS)
        forward.erase(forward.begin());
    std::vector<double> all = forward;
    if (anchor > notes.front().timeS + periodS) {
        std::vector<PlayedNote> mirrored;
        for (const auto& n : notes)
            if (n.timeS < anchor + 0.5 * periodS)
                mirrored.push_back({anchor - n.timeS, n.weight, n.part});
        std::reverse(mirrored.begin(), mirrored.end());
        auto back = followBeats(mirrored, periodS, 0, anchor - notes.front().timeS);
        while (!back.empty() && back.front() < 0.5 * periodS)
            back.erase(back.begin());
        for (const double t : back)
            all.insert(all.begin(), anchor - t);
    }
    // To a bar line at or before the first note.
    const auto anchorAt =
        static_cast<long>(std::lower_bound(all.begin(), all.end(), anchor - 0.25 * periodS) - all.begin());
    const long over = anchorAt % beats;
    for (long i = 0; over > 0 && i < beats - over; ++i)
        all.insert(all.begin(), all.front() - periodS);
    while (all.size() > static_cast<std::size_t>(2 * beats) &&
           all[static_cast<std::size_t>(beats)] < notes.front().timeS + 0.1 * periodS)
        all.erase(all.begin(), all.begin() + beats);
    if (all.size() < 3)
        return tempo;
    // Where one line serves the whole take, it does so better than beats that were followed.
    double linePeriodS = periodS;
    double lineStartS = anchor;
    layGrid(stretch, linePeriodS, lineStartS);
    layGrid(notes, linePeriodS, lineStartS);
    lineStartS += std::round((all.front() - lineStartS) / linePeriodS) * linePeriodS;
    if (isSteady(notes, linePeriodS, lineStartS)) {
        for (std::size_t k = 0; k < all.size(); ++k)
            all[k] = lineStartS + linePeriodS * static_cast<double>(k);
    }
    if (said.firstBarS >= 0) {
        const double by = said.firstBarS - all.front();
        const double shift = by - std::round(by / linePeriodS) * linePeriodS;
        const auto skip = static_cast<long>(std::lround((by - shift) / linePeriodS));
        for (double& t : all)
            t += shift;
        if (skip > 0 && static_cast<std::size_t>(skip) + 3 < all.size())
            all.erase(all.begin(), all.begin() + skip);
        for (long k = skip; k < 0; ++k)
            all.insert(all.begin(), all.front() - linePeriodS);
    }
    tempo.isKnown = true;
    tempo.beatsPerBar = beats;
    tempo.beatsS = std::move(all);
    tempo.firstBarS = tempo.beatsS.front();
    tempo.bpm =
        60 * static_cast<double>(tempo.beatsS.size() - 1) / (tempo.beatsS.back() - tempo.beatsS.front());
    const std::size_t eightBars = static_cast<std::size_t>(8 * beats);
    double slow = tempo.bpm;
    double fast = tempo.bpm;
    for (std::size_t k = 0; k + eightBars < tempo.beatsS.size(); k += static_cast<std::size_t>(beats)) {
        const double bpm =
            60 * static_cast<double>(eightBars) / (tempo.beatsS[k + eightBars] - tempo.beatsS[k]);
        slow = std::min(slow, bpm);
        fast = std::max(fast, bpm);
    }
    tempo.driftPercent = 100 * (fast / slow - 1);
    int eighths = 0;
    int sixteenths = 0;
    const double onEighths = swingOf(notes, tempo, 1, eighths);
    const double onSixteenths = swingOf(notes, tempo, 2, sixteenths);
    constexpr double kStraightPercent = 53;
    tempo.swingPercent = onEighths;
    if (onEighths < kStraightPercent && onSixteenths > kStraightPercent &&
        sixteenths > static_cast<int>(notes.size()) / 12) {
        tempo.isSwingOnSixteenths = true;
        tempo.swingPercent = onSixteenths;
    }
    // Chance puts half of the notes within a quarter of the distance between lines.
    double near = 0;
    double weight = 1e-9;
    for (const auto& n : notes) {
        near += n.weight * (std::abs(n.timeS - tempo.nearestLineS(n.timeS)) < linePeriodS / 16 ? 1 : 0);
        weight += n.weight;
    }
    tempo.confidence = std::clamp(2 * near / weight - 1, 0.0, 1.0);
    return tempo;
}

} // namespace cask::measure
