#include "core/kit_measures/send_mix.h"

#include "core/kit_measures/node_sound.h"
#include "core/measure/punch/hit_shapes.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>

namespace cask::kit {
namespace {

constexpr std::size_t kLeastHits = 4;

/// Of an element's own hits, as its chain leaves them; nothing where too few have room for a tail.
std::optional<double> sustainOf(const session::Session& s, session::Id element, const HitAnalysis& hits,
                                const graph::SourceLookup& sources, Frames from, Frames frames,
                                const CancelToken& cancel) {
    const int input = hits.inputOf(element);
    if (input < 0)
        return std::nullopt;
    auto sound = nodeSound(s, element, sources, from, static_cast<std::size_t>(frames), cancel);
    if (!sound)
        return std::nullopt;
    measure::HitMaterial m;
    m.rateHz = s.sampleRateHz;
    m.startS = framesToSeconds(from, s.sampleRateHz);
    m.sound = std::move(*sound);
    // What rings on in another drum's hit is no tail of this one: any hit ends it.
    for (const auto& hit : hits.hits.heard)
        if (hit.input == input)
            m.hits.push_back({hit.timeS, hit.isOwn,
                              hit.stroke < 0
                                  ? measure::HitClass::Normal
                                  : hits.hits.strokes[static_cast<std::size_t>(hit.stroke)].hitClass,
                              hit.drum, hit.levelDb});
    std::stable_sort(m.hits.begin(), m.hits.end(),
                     [](const auto& a, const auto& b) { return a.timeS < b.timeS; });
    std::vector<double> tails;
    for (const auto& shape : measure::hitShapes(m, m.sound)) {
        if (shape.isGhost || shape.tailDb <= kSilenceDb)
            continue;
        const double first = 10 * std::log10(dbToPower(shape.attackDb) + dbToPower(shape.bodyDb));
        tails.push_back(shape.tailDb - first);
    }
    if (tails.size() < kLeastHits)
        return std::nullopt;
    return measure::median(std::move(tails));
}

} // namespace

std::vector<double> sendsBySustain(const std::vector<double>& sustainsDb, double loudestDb) {
    std::vector<double> sends;
    if (sustainsDb.empty())
        return sends;
    const double middle = measure::median(sustainsDb);
    for (const double sustain : sustainsDb)
        sends.push_back(std::clamp(middle - sustain, -kMostLessDb, kMostMoreDb));
    const double move = loudestDb - *std::max_element(sends.begin(), sends.end());
    for (double& send : sends)
        send = std::round(2 * (send + move)) / 2 + 0.0; // no "-0.0"
    return sends;
}

void findWantedSends(advise::PathMeasure& path, const session::Session& s, const HitAnalysis& hits,
                     const graph::SourceLookup& sources, Frames from, Frames frames,
                     const CancelToken& cancel) {
    std::vector<advise::PathShare*> shells;
    std::vector<double> sustains;
    double loudest = kSilenceDb;
    for (auto& share : path.shares) {
        const auto* e = s.element(share.element);
        // The second microphone of a snare is all wires: it goes along with the first.
        if (e == nullptr || roleInfo(e->role).group != RoleGroup::Shells || e->role == Role::SnareBottom ||
            cancel.isCancelled())
            continue;
        share.sustainDb = sustainOf(s, share.element, hits, sources, from, frames, cancel);
        if (!share.sustainDb)
            continue;
        shells.push_back(&share);
        sustains.push_back(*share.sustainDb);
        loudest = std::max(loudest, share.sendDb);
    }
    if (shells.size() < 2)
        return;
    const auto sends = sendsBySustain(sustains, loudest);
    for (std::size_t i = 0; i < shells.size(); ++i)
        shells[i]->wantedDb = sends[i];
}

} // namespace cask::kit
