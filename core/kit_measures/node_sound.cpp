#include "core/kit_measures/node_sound.h"

#include "core/graph/offline_render.h"
#include "core/session/edits.h"

#include <algorithm>

namespace cask::kit {
namespace {

using session::Id;
using session::Session;

/// Only what the sound of an element needs, where nothing listens to anything else.
void leaveAlone(Session& s, Id element) {
    const auto* chain = s.chain(element);
    if (s.element(element) == nullptr ||
        std::any_of(chain->begin(), chain->end(), [](const auto& m) { return m.key != session::kNoId; }))
        return;
    std::erase_if(s.elements, [&](const auto& e) { return e->id != element; });
    for (auto& bus : s.buses)
        bus.edit([](session::Bus& b) { b.chain.clear(); });
}

} // namespace

Result<std::vector<std::vector<float>>> nodeSound(const Session& session, Id node,
                                                  const graph::SourceLookup& sources, Frames from,
                                                  std::size_t frames, const CancelToken& cancel) {
    Session s = session;
    for (auto& item : s.elements)
        item.edit([](session::Element& e) { e.out.isAlone = false; });
    for (auto& item : s.buses)
        item.edit([](session::Bus& b) { b.out.isAlone = false; });
    const auto* element = s.element(node);
    const std::size_t channels = element != nullptr ? element->channels.size() : 2;
    s = session::withOutput(std::move(s), node, [&](session::Output& out) {
        out.isMuted = false;
        out.levelDb = 0;
        out.changes.clear();
        out.rides.clear();
        out.pan = channels == 1 ? -1 : 0; // mono on the left alone is the sound itself
        out.widthPercent = 100;
    });
    leaveAlone(s, node);
    std::vector<std::vector<float>> sound(channels);
    graph::RenderOptions options;
    options.stems = {node};
    options.from = from;
    options.frames = static_cast<Frames>(frames);
    const auto status = graph::renderOffline(
        s, sources, options,
        [&](int track, std::span<const float> block) -> Status {
            for (std::size_t n = 0; track == 1 && n < block.size(); ++n)
                if (n % 2 < channels)
                    sound[n % 2].push_back(block[n]);
            return Done{};
        },
        cancel);
    if (!status)
        return status.error();
    for (auto& channel : sound)
        channel.resize(frames, 0.0F);
    return sound;
}

} // namespace cask::kit
