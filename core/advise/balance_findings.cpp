#include "core/advise/advise.h"

#include <fmt/format.h>

namespace cask::advise {

std::vector<Finding> balanceFindings(const session::Session& /*session*/, const KitMeasures& measures,
                                     const HouseStyle& style) {
    if (!measures.headroom)
        return {};
    constexpr double kWorthDb = 0.05; // as the ladder shows it
    const auto overDb = [&](int rung) {
        return measures.headroom->truePeakDb[static_cast<std::size_t>(rung)] -
               headroomTargetDb(style, static_cast<Rung>(rung));
    };
    int worst = 0;
    for (int r = 1; r < kRungs; ++r)
        if (overDb(r) > overDb(worst))
            worst = r;
    const double over = overDb(worst);
    if (over <= kWorthDb)
        return {};
    const auto at = static_cast<std::size_t>(worst);
    const double peakDb = measures.headroom->truePeakDb[at];
    Finding f;
    f.id = "headroom";
    f.stage = Stage::Balance;
    f.severity = Severity::Advice;
    f.sentence =
        fmt::format("With {} heard the master reaches {:.1f} dBTP, {:.1f} dB over what this style leaves "
                    "room for ({:.0f} dBTP). Turning the master down by that keeps the balance.",
                    kRungNames[at], peakDb, over, headroomTargetDb(style, static_cast<Rung>(worst)));
    f.numbers = {{"peak", peakDb, "dB"}, {"over", over, "dB"}};
    f.proposal = Proposal{fmt::format("Master down by {:.1f} dB", over), [over](session::Session x) {
                              for (auto& bus : x.buses)
                                  if (bus->isMaster)
                                      bus.edit([&](session::Bus& b) { b.out.levelDb -= over; });
                              return x;
                          }};
    return {f};
}

} // namespace cask::advise
