// The trained part of telling the drums of a loop apart: two small nets, the second of which knows what the
// first said.
#pragma once

#include <core/measure/hits/loop_looks.h>
#include <core/measure/hits/stroke_net.h>

namespace cask::measure {

/// Several pairs of nets that were taught apart, whose opinions are averaged.
struct LoopEar {
    std::vector<StrokeNet> first;  ///< hear the first look
    std::vector<StrokeNet> second; ///< hear both looks
    [[nodiscard]] std::vector<LoopShares> firstShares(std::span<const float> firstLook) const;
    [[nodiscard]] std::vector<LoopShares> shares(std::span<const float> firstLook,
                                                 std::span<const Arrival> arrivals) const;
};

/// See StrokeNet: first and second net of each pair in turn. Error: what is wrong with it.
[[nodiscard]] Result<LoopEar> parseLoopEar(std::string_view text);
[[nodiscard]] std::string writeLoopEar(const LoopEar& ear);

/// The one that ships (resources/ear), made by bench/teach_loop_ear.
[[nodiscard]] const LoopEar& shippedLoopEar();

} // namespace cask::measure
