#include "core/graph/offline_render.h"

#include "core/graph/pipeline.h"
#include "core/graph/runner.h"

#include <algorithm>
#include <atomic>
#include <mutex>

namespace cask::graph {
namespace {

/// Blocks that may be under way at a time when several threads work.
constexpr int kSlots = 6;

class OfflineRender {
  public:
    OfflineRender(std::shared_ptr<const Plan> plan, const RenderOptions& options, Frames total,
                  const RenderSink& sink, const CancelToken& cancel, const ProgressFn& progress)
        : m_plan(std::move(plan)), m_slots(options.threads > 1 ? kSlots : 1), m_options(options),
          m_frames(total + m_plan->latencyFrames), m_sink(sink), m_cancel(cancel), m_progress(progress),
          m_runner(m_plan, options.blockFrames, m_slots),
          m_tracks(static_cast<std::size_t>(1 + m_plan->stemCount)) {}

    Status run() {
        std::vector<PipelineStage> stages;
        for (std::size_t g = 0; g < m_plan->groups.size(); ++g) {
            PipelineStage stage;
            for (const auto& mix : m_plan->mixes)
                if (mix.target == static_cast<int>(g))
                    stage.needs.push_back(mix.source);
            const auto listensTo = [&](const KeyPlan& key) {
                if (key.group >= 0)
                    stage.needs.push_back(key.group);
            };
            for (const auto& step : m_plan->groups[g].steps)
                visitKeys(step, listensTo);
            stage.run = [this, g](long long block) {
                const dsp::DenormalGuard flush;
                m_runner.runGroup(g, m_options.from + start(block), frames(block), slot(block));
            };
            stages.push_back(std::move(stage));
        }
        for (int t = 0; t < static_cast<int>(m_tracks.size()); ++t) {
            const int group = t == 0 ? m_plan->outputGroup : m_plan->stemPlace(t - 1).first;
            stages.push_back({{group}, [this, t](long long block) { deliver(t, block); }});
        }
        const long long blocks = (m_frames + m_options.blockFrames - 1) / m_options.blockFrames;
        runPipeline(stages, blocks, m_slots, m_options.threads,
                    [this] { return !m_hasFailed && !m_cancel.isCancelled(); });
        if (m_cancel.isCancelled())
            return Error{ErrorCode::Cancelled, "Rendering was stopped."};
        return m_status;
    }

  private:
    [[nodiscard]] Frames start(long long block) const { return block * m_options.blockFrames; }
    [[nodiscard]] int frames(long long block) const {
        return static_cast<int>(std::min<Frames>(m_options.blockFrames, m_frames - start(block)));
    }
    [[nodiscard]] int slot(long long block) const { return static_cast<int>(block % m_slots); }

    void deliver(int t, long long block) {
        const int count = frames(block);
        const int skipped =
            static_cast<int>(std::clamp<Frames>(m_plan->latencyFrames - start(block), 0, count));
        if (skipped == count)
            return;
        const float* from = t == 0 ? m_runner.mix(slot(block)) : m_runner.stem(t - 1, slot(block));
        auto& track = m_tracks[static_cast<std::size_t>(t)];
        track.resize(static_cast<std::size_t>(2 * (count - skipped)));
        for (int n = skipped; n < count; ++n) {
            track[static_cast<std::size_t>(2 * (n - skipped))] = from[n * dsp::kLanes];
            track[static_cast<std::size_t>(2 * (n - skipped) + 1)] = from[n * dsp::kLanes + 1];
        }
        if (auto status = m_sink(t, track); !status) {
            const std::lock_guard lock(m_statusMutex);
            if (!m_hasFailed.exchange(true))
                m_status = status;
        }
        if (t == 0 && m_progress)
            m_progress(static_cast<double>(start(block) + count) / static_cast<double>(m_frames));
    }

    std::shared_ptr<const Plan> m_plan;
    int m_slots;
    const RenderOptions& m_options;
    Frames m_frames; // with the latency that is left out in the end
    const RenderSink& m_sink;
    const CancelToken& m_cancel;
    const ProgressFn& m_progress;
    Runner m_runner;
    std::vector<std::vector<float>> m_tracks; // one block each
    std::atomic<bool> m_hasFailed{false};
    std::mutex m_statusMutex; // guards m_status
    Status m_status = Done{};
};

} // namespace

Status renderOffline(const session::Session& session, const SourceLookup& sources,
                     const RenderOptions& options, const RenderSink& sink, const CancelToken& cancel,
                     const ProgressFn& progress) {
    const auto plan = compile(session, sources, options.stems);
    if (!plan)
        return plan.error();
    const Frames total =
        options.frames > 0 ? options.frames : std::max<Frames>(0, session.lengthFrames() - options.from);
    // A source that fails is silent from there on: that is no result.
    const auto failure = [&] {
        std::string sentence;
        visitInputs(**plan, [&](const LaneInput& input) {
            if (sentence.empty() && input.source)
                sentence = input.source->failure();
        });
        return sentence;
    };
    auto rendered = OfflineRender(*plan, options, total, sink, cancel, progress).run();
    if (const auto sentence = failure(); rendered && !sentence.empty())
        return Error{ErrorCode::NotReadable, sentence};
    return rendered;
}

} // namespace cask::graph
