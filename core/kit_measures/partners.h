// Microphones of one drum, and close microphones against the overheads: how they stand to each other.
#pragma once

#include <core/graph/plan.h>
#include <core/kit_measures/hit_analysis.h>
#include <vector>

namespace cask::kit {

/// Pairs of elements that hear one drum from near (the first kick microphone with the other ones, the first
/// of the snare likewise), then each drum's first microphone with the overheads.
[[nodiscard]] std::vector<std::pair<session::Id, session::Id>> partners(const session::Session& session);
[[nodiscard]] bool isNearPair(const session::Session& session, session::Id first, session::Id second);

/// What an element sends to its bus without its chain, in session time: trim, level, polarity and shift
/// count. The session and the source must outlive the reader.
[[nodiscard]] measure::SoundReader inputSound(const session::Session& session, session::Id element,
                                              const graph::SourceLookup& sources, int channel = 0);
/// Own hits of an element that no other drum's are near, for measuring pairs; all where there are hardly any
/// such (a kick that hats always go with): what differs from hit to hit then has little weight.
[[nodiscard]] std::vector<measure::Arrival> clearHits(const HitAnalysis& hits, session::Id element);

/// Where the note of an element's drum may lie, for judging its sums.
[[nodiscard]] measure::AlignmentSettings noteOf(const session::Session& session, session::Id element);

/// Measures one pair around the strongest own hits of the first; a pair without hits says so.
[[nodiscard]] measure::Alignment alignPartner(const session::Session& session, const HitAnalysis& hits,
                                              const graph::SourceLookup& sources, session::Id first,
                                              session::Id second);
/// Measures every pair. Only cancelling is an error.
[[nodiscard]] Result<std::vector<advise::PairMeasure>>
alignPartners(const session::Session& session, const HitAnalysis& hits, const graph::SourceLookup& sources,
              const CancelToken& cancel = {}, const ProgressFn& progress = {});

/// Left and right of every stereo element that hears all, around the strongest hits of each shell drum.
[[nodiscard]] std::vector<advise::SideMeasure> measureSides(const session::Session& session,
                                                            const HitAnalysis& hits,
                                                            const graph::SourceLookup& sources,
                                                            const CancelToken& cancel = {});

} // namespace cask::kit
