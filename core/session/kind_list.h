// The kinds of modules: the only list. What each of them is stands in core/session/kinds.
#pragma once

#include <core/dsp/body.h>
#include <core/dsp/clipper.h>
#include <core/dsp/compressor_settings.h>
#include <core/dsp/crush.h>
#include <core/dsp/eq_settings.h>
#include <core/dsp/gate_settings.h>
#include <core/dsp/limiter.h>
#include <core/dsp/low_end.h>
#include <core/dsp/pump_settings.h>
#include <core/dsp/saturation_settings.h>
#include <core/dsp/transient_settings.h>
#ifdef CASK_EXAMPLE_KIND_SETTINGS // of tests: a kind that is never shipped
#include CASK_EXAMPLE_KIND_SETTINGS
#endif
#include <string>
#include <variant>

namespace cask::session {

template <class... T> struct TypeList {};

using Kinds = TypeList<dsp::EqSettings, dsp::LimiterSettings, dsp::GateSettings, dsp::LowEndSettings,
                       dsp::CompressorSettings, dsp::SaturationSettings, dsp::TransientSettings,
                       dsp::PumpSettings, dsp::ClipperSettings, dsp::CrushSettings, dsp::BodySettings
#ifdef CASK_EXAMPLE_KIND_SETTINGS
                       ,
                       dsp::ExampleSettings
#endif
                       >;

/// A module of a newer program, or one with a value that can't be read: it is kept as it is written, and
/// bypassed.
struct UnknownModule {
    std::string json;   ///< the whole module
    std::string type;   ///< as it is written; empty when there is none
    std::string reason; ///< why it is not understood: a sentence without its full stop
    friend bool operator==(const UnknownModule&, const UnknownModule&) = default;
};

template <class List, class... More> struct VariantOf;
template <class... T, class... More> struct VariantOf<TypeList<T...>, More...> {
    using type = std::variant<T..., More...>;
};
/// The settings of a module of any kind.
using ModuleSettings = VariantOf<Kinds, UnknownModule>::type;

} // namespace cask::session
