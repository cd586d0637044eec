#include "core/kit_measures/measure_kit.h"

#include "core/kit_measures/crowding.h"
#include "core/kit_measures/drive.h"
#include "core/kit_measures/gates.h"
#include "core/kit_measures/mix.h"
#include "core/kit_measures/partners.h"
#include "core/kit_measures/punch.h"
#include "core/kit_measures/same_audio.h"
#include "core/kit_measures/tones.h"

namespace cask::kit {
namespace {

Error stopped() {
    return {ErrorCode::Cancelled, "Measuring was stopped."};
}

} // namespace

Result<advise::KitMeasures> measureKit(const session::Session& s, const TrailLookup& trails,
                                       const graph::SourceLookup& sources, const advise::HouseStyle& style,
                                       KitDepth depth, const CancelToken& cancel,
                                       const ProgressFn& progress) {
    advise::KitMeasures measures;
    const auto hits = analyseHits(s, trails, cancel);
    if (!hits)
        return stopped();
    measures.hits = *hits;
    auto pairs = alignPartners(s, *measures.hits, sources, cancel, partOf(progress, 0, 0.3));
    if (!pairs)
        return stopped();
    measures.pairs = std::move(*pairs);
    measures.sides = measureSides(s, *measures.hits, sources, cancel);
    measures.sames = findSameAudio(s, trails, sources, cancel);
    if (cancel.isCancelled())
        return stopped();
    if (depth == KitDepth::Files)
        return measures;
    auto gates = measureGates(s, *measures.hits, sources, style, cancel, partOf(progress, 0.3, 0.65));
    if (!gates || cancel.isCancelled())
        return stopped();
    measures.gates = std::move(*gates);
    auto tones = measureTones(s, *measures.hits, sources, cancel, partOf(progress, 0.65, 0.85));
    if (!tones)
        return stopped();
    measures.tones = std::move(*tones);
    auto tracks = measureTracks(s, sources, cancel, partOf(progress, 0.85, 1));
    if (!tracks)
        return stopped();
    measures.mix = measureMix(s, tracks->cells, measures.hits.get());
    measures.cells = std::move(tracks->cells);
    measures.hums = std::move(tracks->hums);
    auto punch = measurePunch(s, *measures.hits, sources, style, cancel);
    if (!punch)
        return stopped();
    measures.punch = std::move(*punch);
    auto drive = measureDrive(s, *measures.hits, sources, style, cancel);
    if (!drive)
        return stopped();
    measures.drive = std::move(*drive);
    auto crowd = measureCrowding(s, sources, cancel);
    if (!crowd)
        return stopped();
    measures.crowd = std::move(*crowd);
    if (progress)
        progress(1);
    return measures;
}

} // namespace cask::kit
