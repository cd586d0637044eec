#include "core/layers/complement.h"

#include "core/base/hash.h"
#include "core/base/parallel.h"
#include "core/layers/one_shot.h"
#include "core/measure/stack/stack_judge.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <optional>

namespace cask::layers {
namespace {

constexpr double kMostFillDb = 12;
constexpr int kMostKicks = 5000; // of each microphone's place

/// Mean rise of the bands in which the first is weak.
double fillOf(const std::vector<double>& first, const std::vector<double>& second) {
    const double least =
        *std::max_element(first.begin(), first.end()) * std::pow(10, -PairScore::kWeakDb / 10);
    double sum = 0;
    int weak = 0;
    for (std::size_t k = 0; k < first.size(); ++k) {
        if (first[k] >= least)
            continue;
        sum += std::min(kMostFillDb, 10 * std::log10((first[k] + second[k] + 1e-12) / (first[k] + 1e-12)));
        ++weak;
    }
    return weak > 0 ? sum / weak : 0;
}

/// Power of a shape by band, all of it 1.
std::vector<double> bandsOf(const measure::LookShape& shape) {
    using Shape = measure::LookShape;
    constexpr std::array<double, Shape::kTimes> kLastsS = {0.006, 0.014, 0.040, 0.090, 0.250};
    std::vector<double> bands(Shape::kBands, 0.0);
    for (std::size_t t = 0; t < Shape::kTimes; ++t)
        for (std::size_t b = 0; b < Shape::kBands; ++b)
            if (const auto value = shape.values[t * Shape::kBands + b]; value > 0)
                bands[b] += kLastsS[t] * std::pow(10, Shape::kStepDb * value / 10);
    const double all = std::accumulate(bands.begin(), bands.end(), 1e-30);
    for (double& band : bands)
        band /= all;
    return bands;
}

} // namespace

PairScore scorePair(const measure::Sound& first, const measure::Sound& second, double rateHz) {
    PairScore pair;
    const double power = measure::weightedEnergy(second, rateHz);
    if (power <= 0)
        return pair;
    const double gain = std::sqrt(measure::weightedEnergy(first, rateHz) / power);
    pair.gainDb = linearToDb(gain);
    measure::Sound louder = second;
    for (auto& channel : louder)
        for (float& x : channel)
            x *= static_cast<float>(gain);
    const auto judged = measure::judgeStack({first, louder}, rateHz);
    const auto& a = judged.layers[0];
    const auto& b = judged.layers[1];
    if (a.thirdShares.empty() || b.thirdShares.empty())
        return pair;
    pair.fillDb = fillOf(a.thirdShares, b.thirdShares);
    pair.attackDb = judged.attackInLineDb;
    pair.lowClash = std::min(a.lowShare, b.lowShare);
    pair.shiftMs = b.alignment.shiftMs;
    pair.isInverted = b.alignment.isInverted;
    pair.isCopy = b.alignment.isCopy;
    pair.score = pair.fillDb + pair.attackDb - PairScore::kLowClashDb * pair.lowClash +
                 (pair.isCopy ? PairScore::kCopyDb : 0);
    return pair;
}

Result<std::vector<Partner>> partnersOf(const Shelf& shelf, const std::filesystem::path& file, int measured,
                                        const CancelToken& cancel, const ProgressFn& progress) {
    const auto shot = readOneShot(file);
    if (!shot)
        return shot.error();
    const auto look = measure::lookOf(shot->sound, shot->rateHz);
    if (!look)
        return Error{ErrorCode::Empty,
                     fmt::format("{} is silent; nothing can complement it.", file.string())};
    const auto own = hashFile(file);
    if (!own)
        return own.error();
    auto sounds = shelf.all();
    if (!sounds)
        return sounds.error();
    const auto bands = bandsOf(look->shape);
    std::vector<std::pair<double, std::size_t>> byShape;
    for (std::size_t i = 0; i < sounds->size(); ++i) {
        if ((*sounds)[i].hash == *own)
            continue;
        const auto& other = (*sounds)[i].look;
        const double fill = fillOf(bands, bandsOf(other.shape));
        const double clash =
            std::min(look->lowShare, other.lowShare) / (look->lowShare + other.lowShare + 1e-9);
        byShape.emplace_back(-(fill - PairScore::kLowClashDb * clash), i);
    }
    std::sort(byShape.begin(), byShape.end());
    byShape.resize(std::min(byShape.size(), static_cast<std::size_t>(std::max(0, measured))));
    std::vector<std::optional<Partner>> scored(byShape.size());
    inParallel(byShape.size(), cancel, progress, [&](std::size_t i) {
        const auto& sound = (*sounds)[byShape[i].second];
        if (const auto other = readOneShot(sound.file, shot->rateHz))
            scored[i] = Partner{sound, scorePair(shot->sound, other->sound, shot->rateHz)};
    });
    if (cancel.isCancelled())
        return Error{ErrorCode::Cancelled, "Stopped; nothing was ranked."};
    std::vector<Partner> partners;
    for (auto& one : scored)
        if (one)
            partners.push_back(std::move(*one));
    std::stable_sort(partners.begin(), partners.end(),
                     [](const Partner& a, const Partner& b) { return a.score.score > b.score.score; });
    return partners;
}

Result<std::vector<KickProposal>> kicksOnBass(const Shelf& shelf, std::span<const float> bass,
                                              std::span<const double> strikesS, double kickDb, double rateHz,
                                              const CancelToken& cancel, const ProgressFn& progress) {
    std::vector<ShelfSound> kicks;
    for (const Role role : {Role::KickIn, Role::KickOut}) {
        ShelfQuery query;
        query.role = role;
        query.most = kMostKicks;
        const auto found = shelf.search(query);
        if (!found)
            return found.error();
        kicks.insert(kicks.end(), found->begin(), found->end());
    }
    std::vector<std::optional<KickProposal>> scored(kicks.size());
    inParallel(kicks.size(), cancel, progress, [&](std::size_t i) {
        const auto shot = readOneShot(kicks[i].file, rateHz);
        if (!shot)
            return; // it went since it was measured
        const double energy = measure::weightedEnergy(shot->sound, rateHz);
        if (energy <= 0)
            return;
        const double gainDb = kickDb - powerToDb(energy);
        scored[i] = KickProposal{
            kicks[i], measure::scoreKickOnBass(measure::monoOf(shot->sound), gainDb, bass, strikesS, rateHz),
            gainDb};
    });
    if (cancel.isCancelled())
        return Error{ErrorCode::Cancelled, "Stopped; nothing was ranked."};
    std::vector<KickProposal> proposals;
    for (auto& one : scored)
        if (one)
            proposals.push_back(std::move(*one));
    std::stable_sort(proposals.begin(), proposals.end(),
                     [](const auto& a, const auto& b) { return a.on.score > b.on.score; });
    return proposals;
}

} // namespace cask::layers
