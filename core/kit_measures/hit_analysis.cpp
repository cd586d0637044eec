#include "core/kit_measures/hit_analysis.h"

#include "core/base/parallel.h"
#include "core/kit_measures/hit_edits.h"
#include "core/measure/hits/hit_classes.h"

#include <algorithm>
#include <cmath>

namespace cask::kit {

Result<std::shared_ptr<const HitAnalysis>> analyseHits(const session::Session& s, const TrailLookup& trails,
                                                       const CancelToken& cancel) {
    auto analysis = std::make_shared<HitAnalysis>();
    std::vector<measure::HitInput> inputs;
    std::vector<std::shared_ptr<const measure::FileTrails>> held;
    for (const auto& e : s.elements) {
        if (!isMixed(e->role))
            continue;
        measure::HitInput input{e->name, e->role, {}, 0};
        for (const auto& ref : e->channels) {
            auto found = trails(ref.file);
            // A file's own arrivals are in all of its channels together.
            if (found && e->channels.size() == found->channels.size() &&
                e->channels.front().file == e->channels.back().file)
                input.arrivals = &found->arrivals;
            if (found && found->given) {
                input.given = &*found->given;
                input.hasSpill = found->hasSpill;
            }
            if (found && ref.channel < static_cast<int>(found->channels.size())) {
                input.channels.push_back(&found->channels[static_cast<std::size_t>(ref.channel)]);
                held.push_back(std::move(found));
            }
        }
        if (input.channels.empty())
            continue;
        input.offsetS = framesToSeconds(e->startFrame, s.sampleRateHz) + 0.001 * e->input.shiftMs;
        input.rightLaterS = 0.001 * e->input.rightShiftMs;
        inputs.push_back(std::move(input));
        analysis->elements.push_back(e->id);
    }
    const ParallelFor onAllCores = [](std::size_t count, const std::function<void(std::size_t)>& run) {
        inParallel(count, run);
    };
    analysis->hits = measure::findKitHits(inputs, cancel, onAllCores);
    if (cancel.isCancelled())
        return Error{ErrorCode::Cancelled, "The search for hits was stopped."};
    applyHitEdits(analysis->hits, analysis->elements, s.hitEdits, inputs);
    analysis->spill = measure::makeSpillTable(analysis->hits, inputs);
    analysis->tempo = measure::findTempo(measure::playedNotes(analysis->hits),
                                         {s.tempo.bpm, s.tempo.beatsPerBar, s.tempo.firstBarS});
    measure::tieRollsToTempo(analysis->hits, analysis->tempo);
    setClassesByHand(analysis->hits, analysis->elements, s.hitEdits, inputs);
    analysis->timing = measure::measureTiming(analysis->hits, analysis->tempo);
    return std::shared_ptr<const HitAnalysis>(std::move(analysis));
}

} // namespace cask::kit
