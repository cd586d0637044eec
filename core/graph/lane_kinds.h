// The kinds of modules that run eight lanes side by side.
#pragma once

#include <core/dsp/clipper.h>
#include <core/dsp/compressor.h>
#include <core/dsp/crush.h>
#include <core/dsp/dynamic_lanes.h>
#include <core/dsp/gate_lanes.h>
#include <core/dsp/pitch.h>
#include <core/dsp/pump.h>
#include <core/dsp/resonator.h>
#include <core/dsp/saturation.h>
#include <core/dsp/transient.h>
#include <core/session/kind_list.h>
#ifdef CASK_EXAMPLE_KIND_LANES // of tests: a kind that is never shipped
#include CASK_EXAMPLE_KIND_LANES
#endif

namespace cask::graph {

/// What runs them. Each has
///   Settings, latencyFrames(settings, rate), and of whole kinds detectorBands(settings): filter of its
///   detector
///   place, prepare, set, copyLanes, reset, process, hearsApart, gainNow: see dsp::CompressorLanes
using LaneKinds = session::TypeList<dsp::DynamicLanes, dsp::GateLanes, dsp::CompressorLanes,
                                    dsp::SaturationLanes, dsp::TransientLanes, dsp::PumpLanes,
                                    dsp::ClipperLanes, dsp::CrushLanes, dsp::ResonatorLanes, dsp::PitchLanes
#ifdef CASK_EXAMPLE_KIND_LANES
                                    ,
                                    dsp::ExampleLanes
#endif
                                    >;

template <class Settings, class List> struct LanesFor { using type = void; };
template <class Settings, class First, class... Rest>
struct LanesFor<Settings, session::TypeList<First, Rest...>> {
    using type = std::conditional_t<std::is_same_v<Settings, typename First::Settings>, First,
                                    typename LanesFor<Settings, session::TypeList<Rest...>>::type>;
};
/// What runs modules with these settings eight lanes side by side; void when they do not run so.
template <class Settings> using LanesOf = typename LanesFor<Settings, LaneKinds>::type;
template <class Settings>
concept RunsInLanes = !std::is_void_v<LanesOf<Settings>>;

} // namespace cask::graph
