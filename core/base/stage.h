// The steps of the job, in the order in which the work is done.
#pragma once

#include <array>
#include <optional>
#include <string_view>

namespace cask {

enum class Stage { Intake, Hits, Balance, Clean, Tone, Punch, Drive, Layers, Space, Buses, Proof };

/// Stored and typed: do not change. In the order of Stage.
inline constexpr std::array<std::string_view, 11> kStageNames = {
    "intake", "hits", "balance", "clean", "tone", "punch", "drive", "layers", "space", "buses", "proof"};

[[nodiscard]] constexpr std::string_view stageId(Stage stage) {
    return kStageNames[static_cast<std::size_t>(stage)];
}

[[nodiscard]] constexpr std::optional<Stage> stageFromId(std::string_view id) {
    if (id == "heat") // as it was written before
        return Stage::Drive;
    for (std::size_t i = 0; i < kStageNames.size(); ++i)
        if (kStageNames[i] == id)
            return static_cast<Stage>(i);
    return std::nullopt;
}

} // namespace cask
