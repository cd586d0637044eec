// Making a bus denser by so much, in several ways, each at its price.
#pragma once

#include <algorithm>
#include <array>
#include <core/advise/house_style.h>
#include <core/base/progress.h>
#include <core/graph/plan.h>
#include <core/kit_measures/hit_analysis.h>
#include <string>
#include <vector>

namespace cask::kit {

/// Bus: one saturation on the bus itself. Elements: a little on every shell, each bent alike. Path: a crushed
/// parallel path, blended in at equal gain. None: the session as it is, for comparison.
enum class DenseApproach { Bus, Elements, Path, None };
/// Stored and printed: do not change.
[[nodiscard]] constexpr std::string_view denseApproachId(DenseApproach approach) {
    constexpr std::array<std::string_view, 4> kIds = {"bus", "elements", "path", "none"};
    return kIds[static_cast<std::size_t>(approach)];
}

/// One way, as it was measured.
struct DenseWay {
    DenseApproach approach = DenseApproach::Bus;
    session::Session session;   ///< with the way taken
    bool isReached = false;     ///< within kDenseToleranceDb of what was wanted
    bool sparesCymbals = false; ///< only what lies below 5 kHz is bent
    double denserDb = 0;
    double cymbalsDb = 0;    ///< raised against the shells
    double keptAttackDb = 0; ///< of the shells' first 10 ms, at equal loudness
    double sustainDb = 0;
    double amount = 0; ///< drive, dB, or blend, %
    /// What it costs: cymbals raised and beginnings lost, dB.
    [[nodiscard]] double cost() const {
        return std::max(0.0, cymbalsDb) + 0.5 * std::max(0.0, -keptAttackDb);
    }
};
inline constexpr double kDenseToleranceDb = 0.25;

/// The bus denser (loudness against true peak) by `byDb`, over the middle 20 s of it together with the paths
/// beside it. Drives and blends are searched by halving; where cymbals rise by more than the style allows,
/// only what lies below 5 kHz is bent. Those that are reached first, the cheapest in front; last, as it is
/// now, which is the way where what is wanted is no change. Errors: no such bus, the master or a path,
/// cancelling, a route that feeds itself.
[[nodiscard]] Result<std::vector<DenseWay>>
densify(const session::Session& session, session::Id bus, double byDb, const HitAnalysis& hits,
        const graph::SourceLookup& sources, const advise::HouseStyle& style, const CancelToken& cancel = {},
        const ProgressFn& progress = {});

/// "Kit: saturation of 8.5 dB below 5 kHz".
[[nodiscard]] std::string inWords(const DenseWay& way, const session::Session& session, session::Id bus);

} // namespace cask::kit
