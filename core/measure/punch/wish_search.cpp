#include "core/base/units.h"
#include "core/dsp/compressor.h"
#include "core/dsp/eq_design.h"
#include "core/dsp/transient.h"
#include "core/measure/punch/wishes.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

using dsp::kLanes;

constexpr double kStretchS = 15;         // ways are tried on so much ...
constexpr std::size_t kMostVerified = 6; // ... and the best so many of each on all of it
// What is found on a stretch is to hold on all.
constexpr double kSpareDb = 0.2;
constexpr double kSparePercent = 2;

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

/// The stretch of the middle, with the hits that are in it.
HitMaterial stretchOf(const HitMaterial& m) {
    const auto most = static_cast<std::size_t>(kStretchS * m.rateHz);
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
    for (const auto& hit : m.hits)
        if (hit.timeS >= part.startS && hit.timeS < part.endS())
            part.hits.push_back(hit);
    return part;
}

WishGoals withSpare(WishGoals goals) {
    for (double* db : {&goals.snapDb, &goals.thickDb, &goals.evenDb, &goals.glueDb, &goals.controlDb,
                       &goals.tailDb, &goals.duckDb, &goals.harshDb, &goals.keptAttackDb})
        *db += kSpareDb;
    goals.evenRangeDb -= kSpareDb;
    goals.recoverPercent = std::min(100.0, goals.recoverPercent + kSparePercent);
    return goals;
}

/// How far a way is from its goal, dB: what is missing of it, and of its conditions.
double missing(const WishMeasure& m, const WishGoals& goals) {
    return std::max(0.0, m.goalDb - m.reachedDb) + std::max(0.0, goals.keptAttackDb - m.keptAttackDb) +
           0.05 * std::max(0.0, goals.recoverPercent - m.recoveredPercent);
}

/// What quick releases cost beside the effort, dB: they bend the lows of what they let go.
double quicknessDb(const WishWay& way) {
    constexpr double kSlowEnoughMs = 80;
    constexpr double kDbPerHalf = 0.25;
    double db = 0;
    for (const auto& module : way.modules)
        if (const auto* c = std::get_if<dsp::CompressorSettings>(&module))
            db += kDbPerHalf * std::max(0.0, std::log2(kSlowEnoughMs / c->releaseMs));
    return db / static_cast<double>(way.modules.size());
}

bool isBetter(const WishAnswer& a, const WishAnswer& b, const WishGoals& goals) {
    if (a.measured.isReached != b.measured.isReached)
        return a.measured.isReached;
    const auto cost = [](const WishAnswer& x) { return x.measured.effortDb + quicknessDb(x.way); };
    return a.measured.isReached ? cost(a) < cost(b) : missing(a.measured, goals) < missing(b.measured, goals);
}

} // namespace

std::vector<WishSound> soundsBehind(const HitMaterial& material, const std::vector<WishWay>& ways,
                                    const CancelToken& cancel) {
    std::vector<WishSound> all;
    if (material.frames() == 0)
        return std::vector<WishSound>(ways.size(), material.sound);
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
                return runSide<Lanes>(in, material.key, settings, material.rateHz, cancel);
            };
            sounds = std::holds_alternative<dsp::CompressorSettings>(ways[first].modules[module])
                         ? run(std::type_identity<dsp::CompressorLanes>{})
                         : run(std::type_identity<dsp::TransientLanes>{});
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
    const WishGoals strict = withSpare(goals);
    const WishJudge onStretch(wish, strict, stretch);
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
    for (const auto& ways : sorts) {
        std::vector<WishAnswer> tried;
        for (const auto& way : ways)
            tried.push_back({way, {}});
        const std::size_t atOnce = kLanes / material.sound.size();
        inPieces(parallel, ways.size(), atOnce, [&](std::size_t from, std::size_t to) {
            const std::vector<WishWay> some(ways.begin() + static_cast<std::ptrdiff_t>(from),
                                            ways.begin() + static_cast<std::ptrdiff_t>(to));
            const auto sounds = soundsBehind(stretch, some, cancel);
            for (std::size_t i = 0; i < sounds.size() && !cancel.isCancelled(); ++i)
                tried[from + i].measured = onStretch.measure(sounds[i]);
        });
        if (cancel.isCancelled())
            return {};
        std::vector<std::size_t> order(ways.size());
        for (std::size_t i = 0; i < order.size(); ++i)
            order[i] = i;
        std::stable_sort(order.begin(), order.end(),
                         [&](std::size_t a, std::size_t b) { return isBetter(tried[a], tried[b], strict); });
        std::optional<WishAnswer> found;
        for (std::size_t i = 0; i < std::min(order.size(), kMostVerified) && !cancel.isCancelled(); ++i) {
            const auto sounds = soundsBehind(material, {ways[order[i]]}, cancel);
            if (cancel.isCancelled())
                return {};
            const WishAnswer onWhole{ways[order[i]], onAll.measure(sounds.front())};
            if (!found || isBetter(onWhole, *found, goals))
                found = onWhole;
            if (onWhole.measured.isReached)
                break;
        }
        if (found)
            best.push_back(std::move(*found));
    }
    std::stable_sort(best.begin(), best.end(),
                     [&](const WishAnswer& a, const WishAnswer& b) { return isBetter(a, b, goals); });
    return best;
}

} // namespace cask::measure
