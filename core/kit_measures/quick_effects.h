// What the quick moves on an element do, measured on its own sound.
#pragma once

#include <core/advise/kit_measures.h>
#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/graph/plan.h>
#include <core/session/quick_moves.h>
#include <map>
#include <string>

namespace cask::kit {

/// In the move's own terms, dB: Level the element's integrated loudness at its level (LUFS); Pan left against
/// right; HighPass what its energy loses; Attack and Sustain what the energy of the first 10 ms, and of 120
/// to 400 ms, of its own hits gains against the rest of it (medians); Pump what it is down by on average;
/// Width what it loses in mono (monoLossLu()). Nothing of moves that do
/// nothing.
struct QuickEffects {
    std::map<session::QuickMove, double> db;
    std::map<session::QuickMove, double> lowsDb; ///< of HighPass: under 80 Hz
};

/// Over a stretch. `hits` may be null: attack and sustain are then left out. Each move is measured against
/// the same session without it.
[[nodiscard]] Result<QuickEffects> measureQuick(const session::Session& session, session::Id element,
                                                const advise::HitAnalysis* hits,
                                                const graph::SourceLookup& sources, Frames from,
                                                std::size_t frames, const CancelToken& cancel = {});

/// "-0.8 dB, lows -9.5": short, for under a value.
[[nodiscard]] std::string quickWords(session::QuickMove move, const QuickEffects& effects);

} // namespace cask::kit
