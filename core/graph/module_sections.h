// The filters of a module as sections, for curves and measures.
#pragma once

#include <core/dsp/section_design.h>
#include <core/session/session.h>
#include <functional>
#include <vector>

namespace cask::graph {

/// What its level adds to the gain of a dynamic band, dB, by the band's id.
using MovedDb = std::function<double(session::Id band)>;

/// What a module does to the middle or the side of a sound as sections in cascade. Empty for one that is off
/// and for one that is no filter. Dynamic bands are at rest unless it is said how far they are moved.
[[nodiscard]] std::vector<dsp::SvfCoefficients> sectionsOf(const session::Module& module,
                                                           dsp::StereoPart part, double sampleRateHz,
                                                           const MovedDb& movedDb = {});
/// The same for all modules of a chain.
[[nodiscard]] std::vector<dsp::SvfCoefficients> sectionsOf(const std::vector<session::Module>& chain,
                                                           dsp::StereoPart part, double sampleRateHz,
                                                           const MovedDb& movedDb = {});

} // namespace cask::graph
