#include "core/kit_measures/punch.h"

#include "core/kit_measures/gates.h"
#include "core/kit_measures/node_sound.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"

#include <algorithm>

namespace cask::kit {
namespace {

using measure::HitMaterial;
using session::Id;
using session::Session;

std::vector<measure::MaterialHit> allStrokes(const HitAnalysis& hits) {
    std::vector<measure::MaterialHit> all;
    for (const auto& stroke : hits.hits.strokes)
        all.push_back({stroke.timeS, true, measure::HitClass::Normal, stroke.drum, stroke.levelDb});
    std::stable_sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.timeS < b.timeS; });
    return all;
}

/// An element's own hits; of what has none, such as a bus or a bass, those of all drums.
std::vector<measure::MaterialHit> hitsOf(const Session& s, Id node, const HitAnalysis& hits) {
    const int input = s.element(node) == nullptr ? -1 : hits.inputOf(node);
    auto found = input < 0 ? std::vector<measure::MaterialHit>() : measure::materialHitsOf(hits.hits, input);
    const bool hasOwn = std::any_of(found.begin(), found.end(), [](const auto& hit) { return hit.isOwn; });
    return hasOwn ? found : allStrokes(hits);
}

} // namespace

Result<std::shared_ptr<const HitMaterial>> punchMaterial(const Session& s, Id node, Id module,
                                                         const HitAnalysis& hits,
                                                         const graph::SourceLookup& sources,
                                                         const CancelToken& cancel) {
    auto material = std::make_shared<HitMaterial>();
    material->rateHz = s.sampleRateHz;
    if (s.chain(node) == nullptr)
        return std::shared_ptr<const HitMaterial>(material);
    Id key = session::kNoId;
    session::KeyTap tap = session::KeyTap::Source;
    const Session before = session::withChain(s, node, [&](std::vector<session::Module>& chain) {
        auto end = std::find_if(chain.begin(), chain.end(), [&](const auto& m) { return m.id == module; });
        if (end != chain.end()) {
            key = end->key;
            tap = end->keyTap;
        } else {
            end = std::find_if(chain.begin(), chain.end(), [](const auto& m) {
                return session::placeOf(m.settings, m.ordinal) > session::ChainPlace::Dynamics;
            });
        }
        chain.erase(end, chain.end());
    });
    Frames from = 0;
    Frames end = s.lengthFrames();
    if (const auto* e = s.element(node)) {
        const auto first = graph::laneInput(*e, 0, sources, s.sampleRateHz);
        from = first.delayFrames;
        end = from + (first.source ? std::max<Frames>(0, first.source->frames()) : 0);
    }
    const auto frames = static_cast<std::size_t>(std::max<Frames>(0, end - from));
    material->startS = framesToSeconds(from, s.sampleRateHz);
    auto sound = nodeSound(before, node, sources, from, frames, cancel);
    if (!sound)
        return sound.error();
    material->sound = std::move(*sound);
    if (key != session::kNoId) {
        auto heard =
            keySound(s, key, tap, sources, from, frames, static_cast<int>(material->sound.size()), cancel);
        if (!heard)
            return heard.error();
        material->key = std::move(*heard);
    }
    material->hits = hitsOf(s, s.element(key) != nullptr ? key : node, hits);
    if (cancel.isCancelled())
        return Error{ErrorCode::Cancelled, "Measuring the compressor was stopped."};
    return std::shared_ptr<const HitMaterial>(material);
}

std::vector<measure::CompressionTurn> compressionTurns(const Session& s, const session::Module& module) {
    std::vector<measure::CompressionTurn> turns;
    for (const auto& moment : graph::momentsOf(module, s))
        turns.push_back({framesToSeconds(moment.frame, s.sampleRateHz),
                         std::get<dsp::CompressorSettings>(moment.value),
                         framesToSeconds(moment.glideFrames, s.sampleRateHz)});
    return turns;
}

} // namespace cask::kit
