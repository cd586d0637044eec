// Who drives a compressor: whose sound its gain reduction is due to.
#pragma once

#include <core/measure/punch/compression.h>

namespace cask::measure {

/// One of the sounds that add up to what comes to the compressor: as many channels and frames as that.
using Contribution = std::vector<std::vector<float>>;

/// Shares of the gain reduction, 0 to 1, by contribution; they add up to 1. All 0 where there is no
/// reduction.
///
/// Millisecond by millisecond the reduction that there is (dB, from the compressor's own gain) is owned by
/// those who made it: what is owned dies away with the release; what the reduction is more than that is
/// shared out by the energy that each contribution has in the detector in that millisecond, its cuts counted.
/// Where drums do not overlap, each owns exactly what follows its own hits. REQUIRES: the material has no
/// key.
[[nodiscard]] std::vector<double> driverShares(const HitMaterial& material,
                                               const dsp::CompressorSettings& settings,
                                               const std::vector<Contribution>& contributions,
                                               const CancelToken& cancel = {});

} // namespace cask::measure
