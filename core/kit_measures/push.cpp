#include "core/kit_measures/push.h"

#include "core/base/parallel.h"
#include "core/graph/offline_render.h"
#include "core/kit_measures/node_sound.h"
#include "core/session/edits.h"

#include <algorithm>

namespace cask::kit {

using session::Id;
using session::Session;

namespace {

constexpr double kPushS = 20;

/// A sound that is there already.
class HeardSource final : public AudioSource {
  public:
    explicit HeardSource(const measure::Sound& sound) : m_sound(sound) {}
    [[nodiscard]] int channels() const noexcept override { return static_cast<int>(m_sound.size()); }
    [[nodiscard]] Frames frames() const noexcept override {
        return static_cast<Frames>(m_sound.front().size());
    }
    bool read(int channel, Frames start, std::span<float> out) noexcept override {
        const auto& from = m_sound[static_cast<std::size_t>(channel)];
        for (std::size_t n = 0; n < out.size(); ++n) {
            const Frames at = start + static_cast<Frames>(n);
            out[n] = at < 0 || at >= frames() ? 0.0F : from[static_cast<std::size_t>(at)];
        }
        return true;
    }

  private:
    const measure::Sound& m_sound;
};

/// A session of one element that has the sound and the chain.
Session chainAlone(const Session& s, Id node, std::size_t channels, Frames frames) {
    Session alone = session::emptySession(s.sampleRateHz);
    session::SourceFile file;
    file.id = alone.nextId++;
    file.path = "sound";
    file.frames = frames;
    file.channels = static_cast<int>(channels);
    file.sampleRateHz = s.sampleRateHz;
    session::Element element;
    element.id = s.nextId + 1; // no module has that
    element.name = "sound";
    for (std::size_t c = 0; c < channels; ++c)
        element.channels.push_back({file.id, static_cast<int>(c), {}});
    element.chain = *s.chain(node);
    for (auto& module : element.chain)
        module.key = session::kNoId;
    alone.nextId = s.nextId + 2;
    alone.tempo = s.tempo;
    element.out.bus = alone.master().id;
    alone.files.emplace_back(std::move(file));
    alone.elements.emplace_back(std::move(element));
    return alone;
}

} // namespace

Result<advise::PushMeasure> pushKit(const Session& s, Id node, const HitAnalysis& hits,
                                    const graph::SourceLookup& sources, const measure::PushLimits& limits,
                                    const CancelToken& cancel) {
    if (s.chain(node) == nullptr)
        return Error{ErrorCode::BadValue, "There is no such element or bus to push."};
    const Frames length = s.lengthFrames();
    const Frames frames = std::min(length, secondsToFrames(kPushS, s.sampleRateHz));
    measure::HitMaterial m;
    m.rateHz = s.sampleRateHz;
    const Frames from = (length - frames) / 2;
    m.startS = framesToSeconds(from, s.sampleRateHz);
    const Session open =
        session::withChain(s, node, [](std::vector<session::Module>& chain) { chain.clear(); });
    auto sound = nodeSound(open, node, sources, from, static_cast<std::size_t>(frames), cancel);
    if (!sound)
        return sound.error();
    m.sound = std::move(*sound);
    for (const auto& stroke : hits.hits.strokes)
        m.hits.push_back({stroke.timeS, true, stroke.hitClass, stroke.drum, stroke.levelDb});
    std::stable_sort(m.hits.begin(), m.hits.end(),
                     [](const auto& a, const auto& b) { return a.timeS < b.timeS; });
    const auto source = std::make_shared<HeardSource>(m.sound);
    const Session alone = chainAlone(s, node, m.sound.size(), frames);
    const Id element = alone.elements.front()->id;
    const auto pushed = [&](double driveDb) -> measure::Sound {
        const auto driven =
            session::withElement(alone, element, [&](session::Element& e) { e.input.trimDb = driveDb; });
        auto out = nodeSound(
            driven, element, [&](Id) { return source; }, 0, static_cast<std::size_t>(frames), cancel);
        return out ? std::move(*out) : measure::Sound();
    };
    advise::PushMeasure push;
    push.node = node;
    push.chain = *s.chain(node);
    push.drums = measure::pushTest(
        m, pushed, limits, cancel,
        [](std::size_t count, const std::function<void(std::size_t)>& run) { inParallel(count, run); });
    if (cancel.isCancelled())
        return Error{ErrorCode::Cancelled, "The push test was stopped."};
    push.lowerFirstDb = measure::lowerFirstByDb(push.drums);
    return push;
}

} // namespace cask::kit
