// Wishes for elements and buses of a session: ways to them, found on what really comes there.
#pragma once

#include <core/advise/house_style.h>
#include <core/graph/plan.h>
#include <core/kit_measures/hit_analysis.h>
#include <core/measure/punch/wishes.h>

namespace cask::kit {

/// What somebody wishes for.
struct WishAsked {
    session::Id owner = session::kNoId; ///< element or bus
    measure::Wish wish = measure::Wish::Snap;
    session::Id key = session::kNoId; ///< of Duck: under whom
};

/// Ways, the gentlest that reach it first (measure::searchWish): in front of where the first transient shaper
/// or what colours stands, behind the compressors that are there. Empty where nothing can be judged. Only
/// cancelling is an error.
[[nodiscard]] Result<std::vector<measure::WishAnswer>>
findWays(const session::Session& session, const WishAsked& asked, const HitAnalysis& hits,
         const graph::SourceLookup& sources, const advise::HouseStyle& style, const CancelToken& cancel = {});

/// The session with a way taken: its modules added, the last compressor's make-up matched (not of Duck, whose
/// point is that it is softer).
[[nodiscard]] session::Session withWay(session::Session session, const WishAsked& asked,
                                       const measure::WishAnswer& answer);

/// "a slow compressor: threshold -24 dBFS, 3:1, 15 ms, 60 ms".
[[nodiscard]] std::string wayInWords(const measure::WishWay& way);
/// What it comes to and what it costs: one sentence. `spillName`: of the drum of the spill that is raised
/// most.
[[nodiscard]] std::string answerInWords(measure::Wish wish, const measure::WishAnswer& answer,
                                        const advise::HouseStyle& style, const std::string& spillName);

} // namespace cask::kit
