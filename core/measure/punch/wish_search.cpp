#include "core/base/units.h"
#include "core/dsp/compressor.h"
#include "core/dsp/eq_design.h"
#include "core/dsp/pump.h"
#include "core/dsp/transient.h"
#include "core/measure/punch/wishes.h"

#include <algorithm>
#include <cmath>
#include <span>

namespace cask::measure {
namespace {

using dsp::kLanes;

// Ways are tried on so much, and on less where it has so many own hits.
constexpr double kMostStretchS = 15;
constexpr double kLeastStretchS = 6;
constexpr std::size_t kEnoughHits = 20;
// What is found on a stretch is to hold on all.
constexpr double kSpareDb = 0.05;
constexpr double kSparePercent = 1;
constexpr int kMostAsked = 3;       // times, each time for what was missing on all of it
constexpr double kAskedOver = 1.25; // times what was missing
constexpr double kOverDb = 0.2;     // so much more than is wished for is let be
constexpr int kMostRounds = 4;      // from one way to a better one, at each width of the steps
constexpr std::array kSteps = {1.0, 0.5, 0.25};
constexpr double kNearDb = 0.4;     // missing of a wish
constexpr int kMostRoundsOnAll = 2; // takes are long

/// The filters of all lanes' detectors.
dsp::SectionBank detectorsOf(const std::vector<std::vector<dsp::EqBand>>& byLane, double rateHz) {
    std::vector<std::vector<dsp::SvfCoefficients>> lanes;
    std::size_t most = 0;
    for (const auto& bands : byLane) {
        auto& sections = lanes.emplace_back();
        for (const auto& band : bands)
            for (const auto& section : dsp::designBand(band, rateHz))
                sections.push_back(section);
        most = std::max(most, sections.size());
    }
    auto bank = dsp::makeBank(static_cast<int>(most));
    for (std::size_t lane = 0; lane < lanes.size(); ++lane)
        for (std::size_t i = 0; i < lanes[lane].size(); ++i)
            dsp::setTarget(bank.sections[i], static_cast<int>(lane), lanes[lane][i]);
    dsp::settle(bank);
    return bank;
}

/// One module of some ways, side by side: in[i] through settings[i]. REQUIRES: all fit on the lanes.
template <class Lanes>
std::vector<WishSound> runSide(const std::vector<const WishSound*>& in, const WishSound& key,
                               const std::vector<typename Lanes::Settings>& settings, double rateHz,
                               const CancelToken& cancel) {
    const std::size_t channels = in.front()->size();
    const auto frames = static_cast<std::ptrdiff_t>(in.front()->front().size());
    Lanes lanes(rateHz);
    constexpr bool kStands = requires {
        lanes.standAt(0);
    }; // somewhere in the take
    std::vector<std::vector<dsp::EqBand>> detectors;
    std::vector<std::ptrdiff_t> waits;
    std::ptrdiff_t longest = 0;
    for (std::size_t i = 0; i < in.size(); ++i) {
        lanes.place(static_cast<int>(i * channels), static_cast<int>(channels), settings[i], true, 0);
        waits.push_back(Lanes::latencyFrames(settings[i], rateHz));
        longest = std::max(longest, waits.back());
        for (std::size_t c = 0; c < channels; ++c)
            detectors.push_back(Lanes::detectorBands(settings[i]));
    }
    lanes.prepare();
    auto filter = detectorsOf(detectors, rateHz);
    std::vector<WishSound> out(in.size(),
                               WishSound(channels, std::vector<float>(in.front()->front().size())));
    constexpr std::ptrdiff_t kBlock = 2048;
    dsp::LaneBuffer io(kBlock * kLanes);
    dsp::LaneBuffer heard(kBlock * kLanes);
    const dsp::DenormalGuard flush;
    for (std::ptrdiff_t at = 0; at < frames + longest && !cancel.isCancelled(); at += kBlock) {
        const std::ptrdiff_t count = std::min(kBlock, frames + longest - at);
        const std::ptrdiff_t there = std::clamp<std::ptrdiff_t>(frames - at, 0, count);
        std::fill(io.begin(), io.end(), 0.0F);
        std::fill(heard.begin(), heard.end(), 0.0F);
        for (std::size_t i = 0; i < in.size(); ++i)
            for (std::size_t c = 0; c < channels; ++c) {
                const float* sound = (*in[i])[c].data() + at;
                const float* listened = key.empty() ? sound : key[c % key.size()].data() + at;
                for (std::ptrdiff_t n = 0; n < there; ++n) {
                    const auto place = static_cast<std::size_t>(n) * kLanes + i * channels + c;
                    io[place] = sound[n];
                    heard[place] = listened[n];
                }
            }
        if (!filter.sections.empty())
            dsp::kernels().filter(filter, heard.data(), static_cast<int>(count));
        if constexpr (kStands)
            lanes.standAt(at);
        lanes.process(heard.data(), io.data(), static_cast<int>(count));
        for (std::size_t i = 0; i < in.size(); ++i)
            for (std::size_t c = 0; c < channels; ++c)
                for (std::ptrdiff_t n = 0; n < count; ++n)
                    if (const std::ptrdiff_t to = at + n - waits[i]; to >= 0 && to < frames)
                        out[i][c][static_cast<std::size_t>(to)] =
                            io[static_cast<std::size_t>(n) * kLanes + i * channels + c];
    }
    return out;
}

/// How long a stretch around the middle has to be.
double stretchS(const HitMaterial& m) {
    const double middleS = (m.startS + m.endS()) / 2;
    std::vector<double> away;
    for (const auto& hit : m.hits)
        if (hit.isOwn)
            away.push_back(std::abs(hit.timeS - middleS));
    if (away.size() <= kEnoughHits)
        return kMostStretchS;
    std::nth_element(away.begin(), away.begin() + kEnoughHits, away.end());
    return std::clamp(2 * away[kEnoughHits], kLeastStretchS, kMostStretchS);
}

/// The stretch of the middle, with the hits that are in it.
HitMaterial stretchOf(const HitMaterial& m) {
    const auto most = static_cast<std::size_t>(stretchS(m) * m.rateHz);
    if (m.frames() <= most)
        return m;
    const std::size_t from = (m.frames() - most) / 2;
    HitMaterial part;
    part.rateHz = m.rateHz;
    part.startS = m.startS + static_cast<double>(from) / m.rateHz;
    const auto cut = [&](const WishSound& sound) {
        WishSound out;
        for (const auto& channel : sound)
            out.emplace_back(channel.begin() + static_cast<std::ptrdiff_t>(from),
                             channel.begin() + static_cast<std::ptrdiff_t>(from + most));
        return out;
    };
    part.sound = cut(m.sound);
    part.key = cut(m.key);
    part.beatsS = m.beatsS;
    for (const auto& hit : m.hits)
        if (hit.timeS >= part.startS && hit.timeS < part.endS())
            part.hits.push_back(hit);
    return part;
}

/// The goals with so much more on all of them.
WishGoals withMore(WishGoals goals, double db, double percent) {
    for (double* goal : {&goals.snapDb, &goals.thickDb, &goals.evenDb, &goals.glueDb, &goals.controlDb,
                         &goals.tailDb, &goals.duckDb, &goals.harshDb})
        *goal += db;
    goals.evenRangeDb -= db;
    goals.recoverPercent = std::min(100.0, goals.recoverPercent + percent);
    return goals;
}

/// How far a way is from its goal, dB: what is missing of it, and of its conditions.
double missing(Wish wish, const WishMeasure& m, const WishGoals& goals) {
    double db = std::max(0.0, goals.of(wish) - m.reachedDb);
    if (mustKeepAttack(wish))
        db += std::max(0.0, goals.keptAttackDb - m.keptAttackDb);
    if (mustRecover(wish))
        db += 0.05 * std::max(0.0, goals.recoverPercent - m.recoveredPercent);
    if (wish == Wish::DeHarsh)
        db += std::max(0.0, -goals.otherLossDb - m.otherDb);
    return db;
}

/// The search for one wish on a stretch.
class Search {
  public:
    Search(Wish wish, const HitMaterial& stretch, const WishJudge& judge, const CancelToken& cancel,
           const ParallelFor& parallel)
        : m_wish(wish), m_stretch(stretch), m_judge(judge), m_cancel(cancel), m_parallel(parallel) {}

    [[nodiscard]] bool isBetter(const WishAnswer& a, const WishAnswer& b, const WishGoals& goals) const {
        const bool isReached = fulfils(m_wish, a.measured, goals);
        if (isReached != fulfils(m_wish, b.measured, goals))
            return isReached;
        return isReached ? costDb(a) < costDb(b)
                         : missing(m_wish, a.measured, goals) < missing(m_wish, b.measured, goals);
    }

    /// What each way comes to. Ways have their modules of the same kinds in the same order.
    [[nodiscard]] std::vector<WishAnswer> tried(const std::vector<WishWay>& ways) const {
        std::vector<WishAnswer> answers;
        for (const auto& way : ways)
            answers.push_back({way, {}});
        inPieces(m_parallel, ways.size(), kLanes / m_stretch.sound.size(),
                 [&](std::size_t from, std::size_t to) {
                     const std::vector<WishWay> some(ways.begin() + static_cast<std::ptrdiff_t>(from),
                                                     ways.begin() + static_cast<std::ptrdiff_t>(to));
                     const auto sounds = soundsBehind(m_stretch, some, m_cancel);
                     for (std::size_t i = 0; i < sounds.size() && !m_cancel.isCancelled(); ++i)
                         answers[from + i].measured = m_judge.measure(sounds[i]);
                 });
        return answers;
    }

    [[nodiscard]] const WishAnswer& best(const std::vector<WishAnswer>& answers,
                                         const WishGoals& goals) const {
        return *std::min_element(
            answers.begin(), answers.end(),
            [&](const WishAnswer& a, const WishAnswer& b) { return isBetter(a, b, goals); });
    }

    /// From one answer on to better ones next to it, by ever smaller steps.
    [[nodiscard]] WishAnswer refined(WishAnswer at, const WishGoals& goals,
                                     std::span<const double> steps = kSteps,
                                     int mostRounds = kMostRounds) const {
        for (const double step : steps)
            for (int round = 0; round < mostRounds && !m_cancel.isCancelled(); ++round) {
                const auto near = tried(waysNear(at.way, step));
                if (near.empty())
                    return at;
                const WishAnswer& next = best(near, goals);
                if (m_cancel.isCancelled() || !isBetter(next, at, goals))
                    break;
                at = next;
            }
        return at;
    }

  private:
    Wish m_wish;
    const HitMaterial& m_stretch;
    const WishJudge& m_judge;
    const CancelToken& m_cancel;
    const ParallelFor& m_parallel;
};

} // namespace

double costDb(const WishAnswer& answer) {
    constexpr double kSlowEnoughMs = 80;
    constexpr double kDbPerHalf = 0.25;
    double quickDb = 0;
    for (const auto& module : answer.way.modules)
        if (const auto* c = std::get_if<dsp::CompressorSettings>(&module))
            quickDb += kDbPerHalf * std::max(0.0, std::log2(kSlowEnoughMs / c->releaseMs));
    return answer.measured.effortDb + quickDb / static_cast<double>(answer.way.modules.size());
}

std::vector<WishSound> soundsBehind(const HitMaterial& material, const std::vector<WishWay>& ways,
                                    const CancelToken& cancel) {
    std::vector<WishSound> all;
    if (material.frames() == 0)
        return std::vector<WishSound>(ways.size(), material.sound);
    dsp::BeatGrid grid;
    for (const double atS : material.beatsS)
        grid.beatFrames.push_back((atS - material.startS) * material.rateHz);
    const std::size_t atOnce = kLanes / material.sound.size();
    for (std::size_t first = 0; first < ways.size() && !cancel.isCancelled(); first += atOnce) {
        const std::size_t end = std::min(ways.size(), first + atOnce);
        std::vector<WishSound> sounds;
        for (std::size_t module = 0; module < ways[first].modules.size(); ++module) {
            std::vector<const WishSound*> in;
            for (std::size_t w = first; w < end; ++w)
                in.push_back(module == 0 ? &material.sound : &sounds[w - first]);
            const auto run = [&]<class Lanes>(std::type_identity<Lanes>) {
                std::vector<typename Lanes::Settings> settings;
                for (std::size_t w = first; w < end; ++w)
                    settings.push_back(std::get<typename Lanes::Settings>(ways[w].modules[module]));
                if constexpr (std::is_same_v<Lanes, dsp::PumpLanes>)
                    for (auto& pump : settings)
                        pump.grid = grid.isKnown() ? &grid : nullptr;
                return runSide<Lanes>(in, material.key, settings, material.rateHz, cancel);
            };
            const WishModule& kind = ways[first].modules[module];
            sounds = std::holds_alternative<dsp::CompressorSettings>(kind)
                         ? run(std::type_identity<dsp::CompressorLanes>{})
                     : std::holds_alternative<dsp::TransientSettings>(kind)
                         ? run(std::type_identity<dsp::TransientLanes>{})
                         : run(std::type_identity<dsp::PumpLanes>{});
        }
        for (auto& sound : sounds)
            all.push_back(std::move(sound));
    }
    return all;
}

std::vector<WishAnswer> searchWish(Wish wish, const WishGoals& goals, const HitMaterial& material,
                                   const CancelToken& cancel, const ParallelFor& parallel) {
    std::vector<WishAnswer> best;
    if (material.frames() == 0)
        return best;
    const HitMaterial stretch = stretchOf(material);
    const WishJudge onStretch(wish, goals, stretch);
    const WishJudge onAll(wish, goals, material);
    if (!onStretch.canJudge() || !onAll.canJudge() || cancel.isCancelled())
        return best;
    // Ways of one sort together, as they run side by side.
    std::vector<std::vector<WishWay>> sorts;
    for (auto& way : wishWays(wish, stretch)) {
        if (sorts.empty() || sorts.back().front().id != way.id)
            sorts.emplace_back();
        sorts.back().push_back(std::move(way));
    }
    const Search search(wish, stretch, onStretch, cancel, parallel);
    const Search onWhole(wish, material, onAll, cancel, parallel);
    for (const auto& ways : sorts) {
        WishGoals strict = withMore(goals, kSpareDb, kSparePercent);
        const auto all = search.tried(ways);
        if (cancel.isCancelled())
            return {};
        WishAnswer at = search.best(all, strict);
        std::optional<WishAnswer> found;
        for (int asked = 0; asked < kMostAsked; ++asked) {
            at = search.refined(std::move(at), strict);
            const auto sounds = soundsBehind(material, {at.way}, cancel);
            if (cancel.isCancelled())
                return {};
            const WishAnswer heard{at.way, onAll.measure(sounds.front())};
            if (!found || search.isBetter(heard, *found, goals))
                found = heard;
            const WishMeasure& m = heard.measured;
            if (!fulfils(wish, at.measured, strict))
                break;
            if (m.isReached) {
                // Where less would do as well on the stretch, as much less is asked for there.
                const double overDb = m.reachedDb - goals.of(wish);
                if (overDb < kOverDb || at.measured.reachedDb > strict.of(wish) + kOverDb)
                    break;
                strict = withMore(strict, kSpareDb - overDb, 0);
                continue;
            }
            strict = withMore(strict, kAskedOver * std::max(0.0, goals.of(wish) - m.reachedDb),
                              std::max(0.0, goals.recoverPercent - m.recoveredPercent));
            strict.keptAttackDb += kAskedOver * std::max(0.0, goals.keptAttackDb - m.keptAttackDb);
        }
        // What is so near is looked for where it counts.
        if (!found->measured.isReached && missing(wish, found->measured, goals) < kNearDb)
            found = onWhole.refined(std::move(*found), goals, std::span(kSteps).subspan(1), kMostRoundsOnAll);
        best.push_back(std::move(*found));
    }
    if (cancel.isCancelled())
        return {};
    std::stable_sort(best.begin(), best.end(),
                     [&](const WishAnswer& a, const WishAnswer& b) { return search.isBetter(a, b, goals); });
    return best;
}

} // namespace cask::measure
