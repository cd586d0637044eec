#include "core/kit_measures/kit_listening.h"

#include "core/graph/offline_render.h"
#include "core/measure/integrated_loudness.h"
#include "core/session/open_outputs.h"

#include <optional>

namespace cask::kit {

bool goesByLoudness(const session::Element& e) {
    return roleInfo(e.role).group == RoleGroup::Context || e.role == Role::Loop || e.role == Role::Effect;
}

namespace {

using session::Id;
using session::Session;

/// Every element behind its chain; buses are not listened to where no key is one.
Session laidOpen(const Session& s) {
    bool hasKeyedBus = false;
    const auto look = [&](const std::vector<session::Module>& chain) {
        for (const auto& m : chain)
            hasKeyedBus = hasKeyedBus || s.bus(m.key) != nullptr;
    };
    for (const auto& e : s.elements)
        look(e->chain);
    auto open = session::withOpenOutputs(s);
    for (auto& item : open.buses)
        item.edit([&](session::Bus& b) {
            if (!hasKeyedBus)
                b.chain.clear();
        });
    return open;
}

class Listener {
  public:
    Listener(const Session& s, const std::vector<Id>& elements, const advise::HitAnalysis& hits)
        : m_session(laidOpen(s)), m_ids(elements) {
        for (std::size_t e = 0; e < elements.size(); ++e) {
            const auto& element = *s.element(elements[e]);
            for (int side = 0; !goesByLoudness(element) && side < (element.isStereo() ? 2 : 1); ++side) {
                m_heard.channelElement.push_back(static_cast<int>(e));
                m_heard.channelSide.push_back(side);
            }
            m_loudness.emplace_back(s.sampleRateHz, element.isStereo() ? 2 : 1);
            m_isMetered.push_back(goesByLoudness(element));
        }
        std::vector<Role> roles;
        for (const auto& drum : hits.hits.kit.drums)
            roles.push_back(drum.role);
        std::vector<measure::BalanceStroke> strokes;
        for (const auto& stroke : hits.hits.strokes)
            if (hits.hits.kit.drums[static_cast<std::size_t>(stroke.drum)].loop < 0)
                strokes.push_back(
                    {stroke.drum, stroke.timeS, stroke.levelDb, stroke.hitClass != measure::HitClass::Ghost});
        m_meter.emplace(s.sampleRateHz, std::move(roles), std::move(strokes),
                        static_cast<int>(m_heard.channelElement.size()));
        m_waiting.resize(m_heard.channelElement.size());
    }

    Result<HeardKit> listen(const graph::SourceLookup& sources, const CancelToken& cancel,
                            const ProgressFn& progress) {
        graph::RenderOptions options;
        options.threads = 1; // one track at a time, in any order
        options.stems = m_ids;
        const auto status = graph::renderOffline(
            m_session, sources, options,
            [&](int track, std::span<const float> block) -> Status {
                if (track > 0)
                    take(static_cast<std::size_t>(track - 1), block);
                return Done{};
            },
            cancel, progress);
        if (!status)
            return status.error();
        m_heard.powers = m_meter->powers();
        for (const auto& meter : m_loudness)
            m_heard.lufs.push_back(meter.lufs());
        return std::move(m_heard);
    }

  private:
    void take(std::size_t element, std::span<const float> block) {
        const bool isStereo = m_session.element(m_ids[element])->isStereo();
        const std::size_t frames = block.size() / 2;
        const auto side = [&](int right) {
            std::vector<float> channel(frames);
            for (std::size_t n = 0; n < frames; ++n)
                channel[n] = block[2 * n + static_cast<std::size_t>(right)];
            return channel;
        };
        for (std::size_t c = 0; c < m_waiting.size(); ++c)
            if (m_heard.channelElement[c] == static_cast<int>(element)) {
                const auto sound = side(m_heard.channelSide[c]);
                m_waiting[c].insert(m_waiting[c].end(), sound.begin(), sound.end());
            }
        if (m_isMetered[element]) {
            if (isStereo)
                m_loudness[element].add(block);
            else
                m_loudness[element].add(side(0));
        }
        hear();
    }

    /// What all channels have: a track may come a block before another one.
    void hear() {
        std::size_t ready = m_waiting.empty() ? 0 : m_waiting.front().size();
        for (const auto& channel : m_waiting)
            ready = std::min(ready, channel.size());
        if (ready == 0)
            return;
        std::vector<std::span<const float>> block;
        for (const auto& channel : m_waiting)
            block.push_back(std::span(channel).first(ready));
        m_meter->add(block);
        for (auto& channel : m_waiting)
            channel.erase(channel.begin(), channel.begin() + static_cast<std::ptrdiff_t>(ready));
    }

    Session m_session;
    std::vector<Id> m_ids;
    HeardKit m_heard;
    std::vector<measure::IntegratedLoudness> m_loudness;
    std::vector<bool> m_isMetered;
    std::optional<measure::KitPowerMeter> m_meter;
    std::vector<std::vector<float>> m_waiting; ///< not heard yet, by channel
};

} // namespace

Result<HeardKit> listenToKit(const Session& session, const std::vector<Id>& elements,
                             const advise::HitAnalysis& hits, const graph::SourceLookup& sources,
                             const CancelToken& cancel, const ProgressFn& progress) {
    return Listener(session, elements, hits).listen(sources, cancel, progress);
}

} // namespace cask::kit
