#include "tests/support/hit_score.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace cask::test {
namespace {

constexpr double kNearS = 0.010;

double fOf(int right, int extra, int missed) {
    const int all = 2 * right + extra + missed;
    return all == 0 ? 1 : 2.0 * right / all;
}

/// Truth index for every found time, -1 for none: each truth once, nearest first in order of time.
std::vector<int> match(const std::vector<double>& truth, const std::vector<double>& found) {
    std::vector<int> of(found.size(), -1);
    std::vector<bool> taken(truth.size(), false);
    std::vector<std::tuple<double, int, int>> pairs;
    for (std::size_t f = 0; f < found.size(); ++f) {
        const auto from = std::lower_bound(truth.begin(), truth.end(), found[f] - kNearS);
        for (auto t = from; t != truth.end() && *t <= found[f] + kNearS; ++t)
            pairs.emplace_back(std::abs(*t - found[f]), static_cast<int>(f),
                               static_cast<int>(t - truth.begin()));
    }
    std::sort(pairs.begin(), pairs.end());
    for (const auto& [error, f, t] : pairs)
        if (of[static_cast<std::size_t>(f)] < 0 && !taken[static_cast<std::size_t>(t)]) {
            of[static_cast<std::size_t>(f)] = t;
            taken[static_cast<std::size_t>(t)] = true;
        }
    return of;
}

/// Whether a drum without a microphone is rightly called so: toms are one there, and cymbals.
bool isCalled(const std::string& found, const std::string& truth) {
    const auto family = [](const std::string& name) -> std::string {
        if (name == "ride" || name == "crash")
            return "cymbal";
        return name.find("tom") != std::string::npos ? "tom" : name;
    };
    return family(found) == family(truth);
}

std::vector<const TrueHit*> hitsOf(const RandomTake& take, int drum) {
    std::vector<const TrueHit*> list;
    for (const auto& h : take.hits)
        if (h.drum == drum)
            list.push_back(&h);
    return list;
}

} // namespace

TakeTrails trailsOf(const RandomTake& take) {
    TakeTrails all;
    for (const auto& mic : take.microphones) {
        auto& trails = all.trails.emplace_back();
        for (const auto& channel : mic.channels) {
            measure::BandTrailMeter meter(take.recipe.sampleRateHz);
            meter.add(channel);
            trails.push_back(meter.take());
        }
    }
    for (std::size_t m = 0; m < take.microphones.size(); ++m) {
        measure::HitInput input{take.microphones[m].name, take.microphones[m].role, {}, 0};
        for (const auto& trail : all.trails[m])
            input.channels.push_back(&trail);
        all.inputs.push_back(input);
    }
    return all;
}

void Score::add(const Score& o) {
    right += o.right;
    extra += o.extra;
    missed += o.missed;
    ghostsRight += o.ghostsRight;
    ghostsMissed += o.ghostsMissed;
    ownersRight += o.ownersRight;
    ownersWrong += o.ownersWrong;
    openHatsRight += o.openHatsRight;
    openHatsMissed += o.openHatsMissed;
    openHatsExtra += o.openHatsExtra;
    errorsMs.insert(errorsMs.end(), o.errorsMs.begin(), o.errorsMs.end());
    if (o.worstF < worstF) {
        worstF = o.worstF;
        worst = o.worst;
    }
}

double Score::f() const {
    return fOf(right, extra, missed);
}
double Score::ghostRecall() const {
    const int all = ghostsRight + ghostsMissed;
    return all == 0 ? 1 : static_cast<double>(ghostsRight) / all;
}
double Score::ownerShare() const {
    const int all = ownersRight + ownersWrong;
    return all == 0 ? 1 : static_cast<double>(ownersRight) / all;
}
double Score::medianErrorMs() const {
    if (errorsMs.empty())
        return 0;
    auto sorted = errorsMs;
    std::nth_element(sorted.begin(), sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2),
                     sorted.end());
    return sorted[sorted.size() / 2];
}
std::string Score::text() const {
    std::string s = fmt::format("F {:.3f} (-{} +{} of {}) ghosts {:.3f} of {} error {:.2f} ms owner {:.3f}",
                                f(), missed, extra, right + missed, ghostRecall(), ghostsRight + ghostsMissed,
                                medianErrorMs(), ownerShare());
    if (openHatsRight + openHatsMissed > 0)
        s += fmt::format(" hats without mic F {:.3f}", fOf(openHatsRight, openHatsExtra, openHatsMissed));
    if (!worst.empty())
        s += fmt::format("; worst {} {:.3f}", worst, worstF);
    return s;
}

Score scoreTake(const RandomTake& take, const measure::KitHits& hits, bool prints) {
    Score score;
    std::vector<bool> isCounted(take.drums.size(), false);
    for (std::size_t m = 0; m < take.microphones.size(); ++m) {
        const auto& mic = take.microphones[m];
        if (mic.drum < 0 || isCounted[static_cast<std::size_t>(mic.drum)])
            continue;
        isCounted[static_cast<std::size_t>(mic.drum)] = true;
        const auto truth = hitsOf(take, mic.drum);
        std::vector<double> truthS;
        for (const auto* h : truth)
            truthS.push_back(h->onsetS + take.delayS[static_cast<std::size_t>(mic.drum)][m]);
        std::vector<double> foundS;
        for (const auto& stroke : hits.strokes)
            if (stroke.drum == hits.kit.drumOf[m])
                foundS.push_back(stroke.timeS + hits.lagS[m]);
        std::sort(foundS.begin(), foundS.end());
        const auto of = match(truthS, foundS);
        Score own;
        std::vector<bool> isFound(truth.size(), false);
        for (std::size_t f = 0; f < of.size(); ++f) {
            if (of[f] < 0) {
                ++own.extra;
                if (prints)
                    fmt::print("  {} extra at {:.4f}\n", mic.name, foundS[f]);
                continue;
            }
            ++own.right;
            isFound[static_cast<std::size_t>(of[f])] = true;
            own.errorsMs.push_back(1000 * std::abs(truthS[static_cast<std::size_t>(of[f])] - foundS[f]));
        }
        for (std::size_t t = 0; t < truth.size(); ++t) {
            const bool isGhost = truth[t]->kind == "ghost" || truth[t]->kind == "drag";
            if (isGhost)
                ++(isFound[t] ? own.ghostsRight : own.ghostsMissed);
            if (!isFound[t]) {
                ++own.missed;
                if (prints)
                    fmt::print("  {} missed {} at {:.4f} ({:.2f})\n", mic.name, truth[t]->kind, truthS[t],
                               truth[t]->velocity);
            }
        }
        own.worstF = own.f();
        own.worst = own.worstF < 1 ? mic.name : "";
        if (prints)
            fmt::print("  {:14} {}\n", mic.name, own.text());
        score.add(own);
    }
    std::map<std::string, int> wrongOwners;
    for (const auto& h : hits.heard) {
        const auto& mic = take.microphones[static_cast<std::size_t>(h.input)];
        if (mic.drum < 0)
            continue;
        // Which drums sounded here at that moment?
        bool isStruck = false;
        bool isOwnStruck = false;
        bool any = false;
        std::string struck;
        const auto& drum = hits.kit.drums[static_cast<std::size_t>(h.drum)];
        for (const auto& t : take.hits) {
            const double at =
                t.onsetS + take.delayS[static_cast<std::size_t>(t.drum)][static_cast<std::size_t>(h.input)];
            if (std::abs(at - h.timeS) > kNearS)
                continue;
            any = true;
            isOwnStruck |= t.drum == mic.drum;
            const std::string& name = take.drums[static_cast<std::size_t>(t.drum)];
            struck += (struck.empty() ? "" : "+") + name;
            isStruck |= drum.isMiked()
                            ? take.microphones[static_cast<std::size_t>(drum.inputs.front())].drum == t.drum
                            : isCalled(drum.name, name);
        }
        if (!any)
            continue; // not found: counted as extra when own
        const bool isRight = isStruck && (h.isOwn || !isOwnStruck);
        ++(isRight ? score.ownersRight : score.ownersWrong);
        if (!isRight)
            ++wrongOwners[fmt::format("{} for {} in {}", drum.name, struck, mic.name)];
    }
    if (prints)
        for (const auto& [what, count] : wrongOwners)
            if (count > 1)
                fmt::print("  owner {} times {}\n", count, what);
    for (std::size_t d = 0; d < take.drums.size(); ++d) {
        if (isCounted[d] || take.drums[d] != "hat")
            continue;
        std::vector<double> truthS;
        for (const auto* h : hitsOf(take, static_cast<int>(d)))
            truthS.push_back(h->onsetS);
        std::vector<double> foundS;
        for (const auto& h : hits.strokes)
            if (hits.kit.drums[static_cast<std::size_t>(h.drum)].name == "hat")
                foundS.push_back(h.timeS - 0.004); // about the way to the overheads
        std::sort(foundS.begin(), foundS.end());
        for (const int t : match(truthS, foundS))
            ++(t >= 0 ? score.openHatsRight : score.openHatsExtra);
        score.openHatsMissed += static_cast<int>(truthS.size()) - score.openHatsRight;
    }
    return score;
}

} // namespace cask::test
