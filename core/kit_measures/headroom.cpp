#include "core/kit_measures/headroom.h"

#include "core/dsp/true_peak.h"
#include "core/graph/offline_render.h"
#include "core/session/edits.h"

#include <algorithm>

namespace cask::kit {
namespace {

bool belongs(Role role, Rung rung) {
    if (!isMixed(role))
        return false;
    switch (rung) {
    case Rung::Kick:
        return role == Role::KickIn || role == Role::KickOut || role == Role::SubKick;
    case Rung::Kit:
        return isOfKit(role);
    case Rung::KitAndBass:
        return isOfKit(role) || role == Role::Bass;
    case Rung::Master:
        return true;
    }
    return true;
}

} // namespace

Result<Headroom> measureHeadroom(const session::Session& session, const graph::SourceLookup& sources,
                                 const CancelToken& cancel, const std::array<bool, kRungs>& rungs) {
    Headroom headroom;
    for (int r = 0; r < kRungs; ++r) {
        if (!rungs[static_cast<std::size_t>(r)])
            continue;
        session::Session s = session;
        for (auto& b : s.buses)
            b.edit([](session::Bus& bus) { bus.out.isAlone = false; });
        for (auto& item : s.elements)
            item.edit([&](session::Element& e) {
                e.out.isAlone = false;
                e.out.isMuted = e.out.isMuted || !belongs(e.role, static_cast<Rung>(r));
            });
        const bool isSilent =
            std::all_of(s.elements.begin(), s.elements.end(), [](const auto& e) { return e->out.isMuted; });
        if (isSilent)
            continue;
        std::array<dsp::TruePeakMeter, 2> meters;
        const auto status = graph::renderOffline(
            s, sources, {},
            [&](int, std::span<const float> mix) -> Status {
                meters[0].add(mix, 2);
                meters[1].add(mix.subspan(1), 2);
                return Done{};
            },
            cancel);
        if (!status)
            return status.error();
        const float peak = std::max(meters[0].peak(), meters[1].peak());
        headroom.truePeakDb[static_cast<std::size_t>(r)] = linearToDb(static_cast<double>(peak));
    }
    return headroom;
}

} // namespace cask::kit
