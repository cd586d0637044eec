// Ways to a wish side by side on lanes, block by block: nothing is kept of what comes out.
#pragma once

#include <core/dsp/lane.h>
#include <core/measure/punch/wishes.h>
#include <functional>
#include <span>

namespace cask::measure {

/// Frames by which a way's look-aheads are late.
[[nodiscard]] std::ptrdiff_t latencyFrames(const WishWay& way, double rateHz);

/// What comes out for the frames of the material from `at` on: channel c of way i is lane i * channels + c.
using LanesOut = std::function<void(std::size_t at, const float* lanes, int frames)>;

/// Every frame of the material comes out once, in order, look-aheads taken out. REQUIRES: the ways fit on the
/// lanes, have their modules of the same kinds in the same order, and are equally late.
void runWays(const HitMaterial& material, std::span<const WishWay> ways, const LanesOut& out,
             const CancelToken& cancel = {});
/// A sound on the first lanes.
void runSound(const WishSound& sound, const LanesOut& out);

/// Calls for pieces [from, to) of ways that can run side by side.
void waysTogether(std::span<const WishWay> ways, std::size_t channels, double rateHz,
                  const std::function<void(std::size_t from, std::size_t to)>& run);

} // namespace cask::measure
