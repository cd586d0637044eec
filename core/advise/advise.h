// Measures and house style to findings. Pure functions.
#pragma once

#include <core/advise/finding.h>
#include <core/advise/house_style.h>
#include <core/advise/kit_measures.h>
#include <vector>

namespace cask::advise {

/// All findings of a session, the weightiest first; notes stand behind what wants action, and what is folded
/// behind both. Those that a person laid aside carry the reason.
[[nodiscard]] std::vector<Finding> advise(const session::Session& session, const KitMeasures& measures,
                                          const HouseStyle& style);

// Its parts, one a subject.
[[nodiscard]] std::vector<Finding> fileFindings(const session::Session& session, const KitMeasures& measures,
                                                const HouseStyle& style);
[[nodiscard]] std::vector<Finding> pairFindings(const session::Session& session, const KitMeasures& measures,
                                                const HouseStyle& style);
[[nodiscard]] std::vector<Finding> hitFindings(const session::Session& session, const KitMeasures& measures,
                                               const HouseStyle& style);
/// Headroom targets that are passed: one finding, of the rung that passes its own by most.
[[nodiscard]] std::vector<Finding> balanceFindings(const session::Session& session,
                                                   const KitMeasures& measures, const HouseStyle& style);
[[nodiscard]] std::vector<Finding> gateFindings(const session::Session& session, const KitMeasures& measures,
                                                const HouseStyle& style);
/// Compressors: beginnings that they take, hits before which they have not let go, buses that they press,
/// spill that they raise, other drums that move them, lows that they bend, and those that do nothing.
[[nodiscard]] std::vector<Finding> punchFindings(const session::Session& session, const KitMeasures& measures,
                                                 const HouseStyle& style);
/// Punch of all together: what buses take back of it, kick and snare that do not stand out, pumps beside the
/// beat.
[[nodiscard]] std::vector<Finding> kitPunchFindings(const session::Session& session,
                                                    const KitMeasures& measures, const HouseStyle& style);
/// Saturation, clippers, crush and parallel paths: cymbals and spill that they raise, what folds back, what
/// does nothing or is only louder, combing at notes, and the drum that breaks first in a bus.
[[nodiscard]] std::vector<Finding> driveFindings(const session::Session& session, const KitMeasures& measures,
                                                 const HouseStyle& style);
/// Elements that would not be missed, and whether what is struck with a drum is heard as one with it.
[[nodiscard]] std::vector<Finding> crowdFindings(const session::Session& session, const KitMeasures& measures,
                                                 const HouseStyle& style);
/// Tones: fundamentals, rings, boxy and harsh humps, drums that hum along, lows that hold nothing of the
/// drum, and what the filters that are there have made of it.
[[nodiscard]] std::vector<Finding> toneFindings(const session::Session& session, const KitMeasures& measures,
                                                const HouseStyle& style);
/// Tones of all together: hum of the mains, notes of the toms, elements that mask each other.
[[nodiscard]] std::vector<Finding> mixFindings(const session::Session& session, const KitMeasures& measures,
                                               const HouseStyle& style);

} // namespace cask::advise
