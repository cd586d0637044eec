#include "core/kit_measures/hit_edits.h"

#include "core/measure/hits/hit_classes.h"
#include "core/measure/hits/loop_hits.h"

#include <algorithm>
#include <cmath>

namespace cask::kit {
namespace {

constexpr double kSameS = 0.005;

using measure::KitHits;
using session::HitEdit;

/// The drum that an edit speaks of: the one that the element stands at, or one of a loop; -1 where there is
/// none such. A loop gets the drum where it has none yet.
int drumOf(KitHits& hits, const std::vector<session::Id>& elements, std::span<const measure::HitInput> inputs,
           session::Id element, const std::string& drum) {
    const auto it = std::find(elements.begin(), elements.end(), element);
    if (it == elements.end())
        return -1;
    const auto input = static_cast<int>(it - elements.begin());
    const auto& loops = hits.kit.loops;
    if (std::find(loops.begin(), loops.end(), input) == loops.end())
        return hits.kit.drumOf[static_cast<std::size_t>(input)];
    const auto which = measure::loopDrumFromName(drum);
    return which ? measure::loopDrumIn(hits.kit, input, inputs[static_cast<std::size_t>(input)].name, *which)
                 : -1;
}

int strokeNear(const KitHits& hits, int drum, double timeS) {
    int best = -1;
    for (std::size_t s = 0; s < hits.strokes.size(); ++s)
        if (hits.strokes[s].drum == drum && std::abs(hits.strokes[s].timeS - timeS) < kSameS &&
            (best < 0 || std::abs(hits.strokes[s].timeS - timeS) <
                             std::abs(hits.strokes[static_cast<std::size_t>(best)].timeS - timeS)))
            best = static_cast<int>(s);
    return best;
}

/// What was heard of a removed stroke goes too; indices behind it move up.
void remove(KitHits& hits, int stroke) {
    std::erase_if(hits.heard, [&](const measure::HeardHit& h) { return h.stroke == stroke; });
    hits.strokes.erase(hits.strokes.begin() + stroke);
    for (auto& h : hits.heard)
        if (h.stroke > stroke)
            --h.stroke;
}

void add(KitHits& hits, int drum, double timeS, double levelDb = measure::kUnmeasuredDb) {
    const auto& struck = hits.kit.drums[static_cast<std::size_t>(drum)];
    const int input = struck.isMiked() ? struck.inputs.front() : struck.loop;
    measure::DrumHit hit;
    hit.drum = drum;
    hit.timeS = timeS;
    hit.levelDb = levelDb;
    hit.confidence = 1;
    hits.strokes.push_back(hit);
    hits.heard.push_back({input, drum, static_cast<int>(hits.strokes.size()) - 1, true, timeS, levelDb, 1});
}

} // namespace

void applyHitEdits(KitHits& hits, const std::vector<session::Id>& elements, const std::vector<HitEdit>& edits,
                   std::span<const measure::HitInput> inputs) {
    if (edits.empty())
        return;
    for (const auto& edit : edits) {
        const int drum = drumOf(hits, elements, inputs, edit.element, edit.drum);
        if (drum < 0)
            continue;
        if (edit.kind == HitEdit::Kind::Add) {
            if (strokeNear(hits, drum, edit.timeS) < 0)
                add(hits, drum, edit.timeS);
            continue;
        }
        if (edit.kind == HitEdit::Kind::Class)
            continue; // after levels and classes are measured anew
        const int stroke = strokeNear(hits, drum, edit.timeS);
        if (stroke < 0)
            continue;
        if (edit.kind == HitEdit::Kind::Remove) {
            remove(hits, stroke);
        } else if (edit.kind == HitEdit::Kind::Move) {
            auto& moved = hits.strokes[static_cast<std::size_t>(stroke)];
            for (auto& h : hits.heard)
                if (h.stroke == stroke)
                    h.timeS += edit.toS - moved.timeS;
            moved.timeS = edit.toS;
            moved.confidence = 1;
        } else if (edit.kind == HitEdit::Kind::Owner) {
            const int to = edit.toDrum.empty() ? drumOf(hits, elements, inputs, edit.toElement, {})
                                               : drumOf(hits, elements, inputs, edit.element, edit.toDrum);
            const double levelDb = hits.strokes[static_cast<std::size_t>(stroke)].levelDb;
            remove(hits, stroke);
            if (to >= 0 && strokeNear(hits, to, edit.timeS) < 0)
                add(hits, to, edit.timeS, levelDb);
        }
    }
    measure::finishHits(hits, inputs);
    for (auto& h : hits.heard) // of a loop that was added to
        if (h.stroke >= 0 && h.levelDb <= measure::kUnmeasuredDb)
            h.levelDb = hits.strokes[static_cast<std::size_t>(h.stroke)].levelDb;
    setClassesByHand(hits, elements, edits, inputs);
}

void setClassesByHand(KitHits& hits, const std::vector<session::Id>& elements,
                      const std::vector<HitEdit>& edits, std::span<const measure::HitInput> inputs) {
    for (const auto& edit : edits) {
        if (edit.kind != HitEdit::Kind::Class)
            continue;
        const int drum = drumOf(hits, elements, inputs, edit.element, edit.drum);
        if (drum < 0)
            continue;
        const int stroke = strokeNear(hits, drum, edit.timeS);
        const auto hitClass = measure::hitClassFromName(edit.hitClass);
        if (stroke >= 0 && hitClass) {
            hits.strokes[static_cast<std::size_t>(stroke)].hitClass = *hitClass;
            hits.strokes[static_cast<std::size_t>(stroke)].confidence = 1;
        }
    }
}

} // namespace cask::kit
