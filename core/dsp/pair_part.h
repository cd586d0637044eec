// What a lane hears or acts on; part of kernels_impl.h.
#pragma once

#include "core/dsp/window_max_kernel.h"

namespace cask::dsp {
namespace {

/// Its own sound, or the middle or side of its pair: the bank says shares of the lane and of its neighbour.
template <class V, bool HasParts, class Bank>
inline V partOf(const Bank& b, const float* frame, int lane) noexcept {
    using O = Ops<V>;
    const V own = O::load(frame + lane);
    if constexpr (!HasParts)
        return own;
    return O::fma(at<V>(b.own, lane), own, at<V>(b.partner, lane) * O::partner(frame, lane));
}

} // namespace
} // namespace cask::dsp
