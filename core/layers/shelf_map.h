// A map of sounds: what is alike lies near.
#pragma once

#include <array>
#include <core/layers/shelf.h>
#include <span>
#include <string_view>
#include <vector>

namespace cask::layers {

/// What goes along with an axis of a map.
struct MapAxis {
    struct Along {
        std::string_view number; ///< of the shelf
        double correlation = 0;  ///< below 0: falls along the axis
    };
    std::vector<Along> along; ///< strongest first, from kLeastCorrelation on
    static constexpr double kLeastCorrelation = 0.5;
};

struct ShelfMap {
    std::array<MapAxis, 2> axes; ///< to the right, upwards
    double keptShare = 0;        ///< of the spread of all shapes, how much the map shows, 0-1
    /// One for each sound, both from -1 to 1.
    std::vector<std::array<float, 2>> places;
};

/// The plane of the greatest spread of the sounds' shapes (principal components of their power in bands and
/// times), turned so that brightness rises to the right as straight as it can; length rather up than down.
/// Sounds with their shapes. Of many, the plane is that of some thousands, and all lie in it.
[[nodiscard]] ShelfMap mapOf(std::span<const ShelfSound> sounds);

} // namespace cask::layers
