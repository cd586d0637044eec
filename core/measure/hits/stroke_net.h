// A small trained net: numbers that describe a rise in, how sure it is a stroke of each drum out.
#pragma once

#include <core/base/parallel.h>
#include <core/base/result.h>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace cask::measure {

/// Layers of weights; between them what is negative counts as nothing (rectified linear units). Numbers that
/// enter are first moved and scaled to what was usual in the lessons.
struct StrokeNet {
    struct Layer {
        std::size_t inputs = 0;
        std::size_t outputs = 0;
        std::vector<float> weights; ///< [input * outputs + output]
        std::vector<float> bias;    ///< by output
    };
    std::vector<float> mean;  ///< by input
    std::vector<float> scale; ///< by input: 1 / spread
    std::vector<Layer> layers;

    [[nodiscard]] std::size_t inputs() const { return mean.size(); }
    [[nodiscard]] std::size_t outputs() const { return layers.empty() ? 0 : layers.back().outputs; }
    /// The logistic function of what comes out. REQUIRES: row.size() == inputs(), shares.size() == outputs().
    void listen(std::span<const float> row, std::span<float> shares) const;
};

/// A text of numbers: a title, the number of nets, then each net: number of layers and their sizes, means,
/// scales, and each layer's weights and bias; three digits each.
[[nodiscard]] std::string writeNets(std::string_view title, std::span<const StrokeNet> nets);
/// Error: what is wrong with it.
[[nodiscard]] Result<std::vector<StrokeNet>> parseNets(std::string_view title, std::string_view text);

/// The average opinion of some nets on each row of `rows`; [row * outputs + output].
[[nodiscard]] std::vector<float> averageShares(std::span<const StrokeNet> nets, std::span<const float> rows,
                                               const ParallelFor& parallel = oneByOne);

} // namespace cask::measure
