// Gates of a session's elements: what they hear, what they do, and what could be better.
#pragma once

#include <core/advise/house_style.h>
#include <core/advise/kit_measures.h>
#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/graph/plan.h>
#include <core/kit_measures/hit_analysis.h>
#include <memory>

namespace cask::kit {

/// An element's sound as it enters its chain, what a gate listens to (`key`: an element or bus, none for the
/// sound itself), and its hits. Parts of a frame of shift and the removal of DC are left out. Only cancelling
/// is an error.
[[nodiscard]] Result<std::shared_ptr<const measure::HitMaterial>>
hitMaterial(const session::Session& session, session::Id element, session::Id key, const HitAnalysis& hits,
            const graph::SourceLookup& sources, const CancelToken& cancel = {},
            session::KeyTap tap = session::KeyTap::Source);

/// What a module with one or two channels hears of a key over a stretch of the session, in as many channels
/// or in one.
[[nodiscard]] Result<std::vector<std::vector<float>>> keySound(const session::Session& session,
                                                               session::Id key, session::KeyTap tap,
                                                               const graph::SourceLookup& sources,
                                                               Frames from, std::size_t frames, int channels,
                                                               const CancelToken& cancel = {});

/// What a module's settings become at the sections it changes in.
[[nodiscard]] std::vector<measure::GateTurn> gateTurns(const session::Session& session,
                                                       const session::Module& module);

/// Whether an element is a close microphone of a drum that is gated: kick, snare, tom.
[[nodiscard]] bool canBeGated(const session::Element& element);
/// Its microphone is gated only where that is safe.
[[nodiscard]] bool isHat(const session::Element& element);
/// Whether it hears all drums, so that an expander keyed by the shells can hold the cymbals down between
/// their hits.
[[nodiscard]] bool canBeOpenedByShells(const session::Element& element);

/// Searches every way of gating an element, and judges the gate that it has. `known`: a measure of the same
/// sound, hits and style, whose ways need no new search.
[[nodiscard]] Result<advise::GateMeasure>
measureGate(const session::Session& session, session::Id element, const HitAnalysis& hits,
            const graph::SourceLookup& sources, const advise::HouseStyle& style,
            const CancelToken& cancel = {}, const advise::GateMeasure* known = nullptr);
/// The same for all close microphones, on two threads; `known` by element.
[[nodiscard]] Result<std::vector<advise::GateMeasure>>
measureGates(const session::Session& session, const HitAnalysis& hits, const graph::SourceLookup& sources,
             const advise::HouseStyle& style, const CancelToken& cancel = {}, const ProgressFn& progress = {},
             const std::vector<advise::GateMeasure>& known = {});

} // namespace cask::kit
