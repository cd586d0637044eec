// Stacks on the disk: JSON, described in docs/formats/stack.md.
#pragma once

#include <core/base/result.h>
#include <core/layers/layer.h>
#include <span>
#include <string>
#include <string_view>

namespace cask::layers {

/// How the files of stacks end.
inline constexpr std::string_view kStackEnding = ".stack.json";
[[nodiscard]] bool isStackFile(const std::filesystem::path& file);

inline constexpr std::size_t kLargestStackBytes = 64U << 20U;
inline constexpr std::size_t kMostStrikes = 1'000'000;
inline constexpr std::size_t kMostLayers = 64;
inline constexpr std::size_t kMostSounds = 256; ///< of a layer

/// A number of a layer, as it is stored and typed.
struct LayerNumber {
    std::string_view name; ///< stored: do not change
    double Layer::*value;
    double least, most;
};
[[nodiscard]] std::span<const LayerNumber> layerNumbers();

/// Whether a layer has a stored value of this name; those of its rule are "rule/NAME".
[[nodiscard]] bool isLayerValue(std::string_view name);

/// Files relative to `folder` where they lie below it or below the one that holds it (a session's), else
/// absolute.
[[nodiscard]] std::string toJson(const Stack& stack, const std::filesystem::path& folder);
/// `name` stands in what is said, `folder` is where relative files begin. Values out of their ranges, strikes
/// out of order and what is too large are errors.
[[nodiscard]] Result<Stack> stackFromJson(std::string_view text, const std::string& name,
                                          const std::filesystem::path& folder);
[[nodiscard]] Result<Stack> readStack(const std::filesystem::path& file);
/// Every file that a stack plays, once, in order.
[[nodiscard]] std::vector<std::filesystem::path> filesOf(const Stack& stack);

} // namespace cask::layers
