#include "core/kit_measures/bus_parts.h"

#include "core/kit_measures/node_sound.h"
#include "core/session/edits.h"
#include "core/session/parallel_path.h"

namespace cask::kit {

using session::Id;
using session::Session;

Result<std::vector<BusPart>> busParts(const Session& s, Id bus, const graph::SourceLookup& sources,
                                      Frames from, Frames frames, const CancelToken& cancel) {
    if (s.bus(bus) == nullptr)
        return Error{ErrorCode::BadValue, "There is no such bus."};
    const Session open =
        session::withChain(s, bus, [](std::vector<session::Module>& chain) { chain.clear(); });
    std::vector<BusPart> parts;
    for (const Id id : session::feedersOf(s, bus)) {
        if (s.element(id)->out.isMuted)
            continue;
        Session alone = open;
        for (auto& item : alone.elements)
            if (item->id != id)
                item.edit([](session::Element& e) { e.out.isMuted = true; });
        auto sound = nodeSound(alone, bus, sources, from, static_cast<std::size_t>(frames), cancel);
        if (!sound)
            return sound.error();
        parts.push_back({id, std::move(*sound)});
    }
    return parts;
}

} // namespace cask::kit
