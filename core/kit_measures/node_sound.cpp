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

int nodeChannels(const Session& session, Id node) {
    const auto* element = session.element(node);
    return element != nullptr ? static_cast<int>(element->channels.size()) : 2;
}

Status renderNode(const Session& session, Id node, const graph::SourceLookup& sources, Frames from,
                  Frames frames, const NodeSink& sink, const CancelToken& cancel,
                  const ProgressFn& progress) {
    Session s = session;
    for (auto& item : s.elements)
        item.edit([](session::Element& e) { e.out.isAlone = false; });
    for (auto& item : s.buses)
        item.edit([](session::Bus& b) { b.out.isAlone = false; });
    const int channels = nodeChannels(s, node);
    s = session::withOutput(std::move(s), node, [&](session::Output& out) {
        out.isMuted = false;
        out.levelDb = 0;
        out.changes.clear();
        out.rides.clear();
        out.pan = channels == 1 ? -1 : 0; // mono on the left alone is the sound itself
        out.widthPercent = 100;
    });
    leaveAlone(s, node);
    graph::RenderOptions options;
    options.stems = {node};
    options.from = from;
    options.frames = frames;
    std::vector<float> left;
    return graph::renderOffline(
        s, sources, options,
        [&](int track, std::span<const float> block) -> Status {
            if (track != 1)
                return Done{};
            if (channels == 2)
                return sink(block);
            left.clear();
            for (std::size_t n = 0; n < block.size(); n += 2)
                left.push_back(block[n]);
            return sink(left);
        },
        cancel, progress);
}

Result<std::vector<std::vector<float>>> nodeSound(const Session& session, Id node,
                                                  const graph::SourceLookup& sources, Frames from,
                                                  std::size_t frames, const CancelToken& cancel) {
    const auto channels = static_cast<std::size_t>(nodeChannels(session, node));
    std::vector<std::vector<float>> sound(channels);
    const auto status = renderNode(
        session, node, sources, from, static_cast<Frames>(frames),
        [&](std::span<const float> block) -> Status {
            for (std::size_t n = 0; n < block.size(); ++n)
                sound[n % channels].push_back(block[n]);
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
