// Stems of a programmed kit, which hear nothing but their own drum.
#pragma once

#include <core/measure/hits/kit_model.h>
#include <vector>

namespace cask::measure {

/// By input: nothing at all (digital silence) is in it for a good part of the time, also while other drums
/// are struck. No microphone is like that: all it holds is its own, whatever else sounds at the same instant.
/// Where some of a kit is so, nothing hears all and no file has noise at its beginning or end, all of it is.
[[nodiscard]] std::vector<bool> findDryStems(const KitModel& kit, std::span<const HitInput> inputs,
                                             const std::vector<std::vector<Arrival>>& arrivals);

/// Stems that were joined by their role but are not struck together (closed and open hats) become drums of
/// their own. Then the kit in parts that are explained apart: each dry drum alone, and all the rest together.
struct KitPart {
    KitModel kit;           ///< all inputs; those of other parts are not listened to
    std::vector<int> drums; ///< by drum of the part: its index in the whole kit
};
[[nodiscard]] std::vector<KitPart> partsOf(KitModel& kit, const std::vector<bool>& isDry,
                                           std::span<const HitInput> inputs,
                                           const std::vector<std::vector<Arrival>>& arrivals);

} // namespace cask::measure
