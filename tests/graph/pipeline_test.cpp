#include "core/graph/offline_render.h"
#include "core/graph/pipeline.h"
#include "core/session/edits.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <atomic>
#include <map>
#include <mutex>
#include <random>
#include <thread>

namespace cask::graph {
namespace {

/// Writes down who ran what, and checks the promises while it happens.
class Watch {
  public:
    explicit Watch(std::vector<std::vector<int>> needs, int slots)
        : m_needs(std::move(needs)), m_slots(slots) {
        m_done.assign(m_needs.size(), 0);
        m_running.assign(m_needs.size(), false);
    }

    std::vector<PipelineStage> stages() {
        std::vector<PipelineStage> list;
        for (std::size_t s = 0; s < m_needs.size(); ++s)
            list.push_back({m_needs[s], [this, s](long long block) { run(s, block); }});
        return list;
    }
    [[nodiscard]] const std::vector<long long>& done() const { return m_done; }
    [[nodiscard]] int broken() const { return m_broken; }
    [[nodiscard]] long long furthestAhead() const { return m_furthestAhead; }

  private:
    void run(std::size_t s, long long block) {
        {
            const std::lock_guard lock(m_mutex);
            m_broken += m_running[s] || m_done[s] != block ? 1 : 0;
            m_running[s] = true;
            for (const int need : m_needs[s])
                m_broken += m_done[static_cast<std::size_t>(need)] <= block ? 1 : 0;
            for (std::size_t user = 0; user < m_needs.size(); ++user)
                for (const int need : m_needs[user])
                    if (need == static_cast<int>(s)) {
                        m_broken += m_done[user] <= block - m_slots ? 1 : 0;
                        m_furthestAhead = std::max(m_furthestAhead, block - m_done[user]);
                    }
        }
        // Some stages are slower than others, and not always the same ones.
        if ((s * 7 + static_cast<std::size_t>(block) * 3) % 5 == 0)
            std::this_thread::yield();
        const std::lock_guard lock(m_mutex);
        m_running[s] = false;
        ++m_done[s];
    }

    std::vector<std::vector<int>> m_needs;
    int m_slots;
    std::mutex m_mutex;
    std::vector<long long> m_done;
    std::vector<bool> m_running;
    int m_broken = 0;
    long long m_furthestAhead = 0;
};

const auto kAlways = [] { return true; };

TEST(Pipeline, KeepsOrderNeedsAndSlotsForAnyNumberOfThreads) {
    for (const int threads : {1, 2, 3, 8}) {
        for (const int slots : {1, 2, 6}) {
            Watch watch({{}, {}, {0, 1}, {0}, {2, 3}, {4}, {4}}, slots);
            const auto stages = watch.stages();
            runPipeline(stages, 200, slots, threads, kAlways);
            EXPECT_EQ(watch.broken(), 0) << threads << " threads, " << slots << " slots";
            for (const long long done : watch.done())
                EXPECT_EQ(done, 200);
            EXPECT_LE(watch.furthestAhead(), slots - 1);
        }
    }
}

TEST(Pipeline, RandomGraphsKeepTheirPromises) {
    std::mt19937 random(12);
    for (int trial = 0; trial < 30; ++trial) {
        const int count = 1 + static_cast<int>(random() % 12);
        std::vector<std::vector<int>> needs(static_cast<std::size_t>(count));
        for (int s = 1; s < count; ++s)
            for (int n = 0; n < s; ++n)
                if (random() % 3 == 0)
                    needs[static_cast<std::size_t>(s)].push_back(n);
        const int slots = 1 + static_cast<int>(random() % 5);
        Watch watch(needs, slots);
        const auto stages = watch.stages();
        runPipeline(stages, 40, slots, 1 + static_cast<int>(random() % 4), kAlways);
        EXPECT_EQ(watch.broken(), 0) << "trial " << trial;
        for (const long long done : watch.done())
            EXPECT_EQ(done, 40) << "trial " << trial;
    }
}

TEST(Pipeline, NothingToDoReturnsAtOnce) {
    runPipeline({}, 10, 2, 2, kAlways);
    int runs = 0;
    const PipelineStage stage{{}, [&](long long) { ++runs; }};
    runPipeline(std::span(&stage, 1), 0, 2, 2, kAlways);
    EXPECT_EQ(runs, 0);
}

TEST(Pipeline, StopsBetweenTwoJobs) {
    for (const int threads : {1, 3}) {
        std::atomic<int> runs{0};
        std::vector<PipelineStage> stages{{{}, [&](long long) { ++runs; }},
                                          {{0}, [&](long long) { ++runs; }}};
        runPipeline(stages, 1000000, 2, threads, [&] { return runs < 50; });
        EXPECT_GE(runs, 50);
        EXPECT_LE(runs, 50 + threads);
    }
}

TEST(OfflineRender, StemsComeInOrderWithTheSameBitsForAnyNumberOfThreads) {
    auto kit = test::memoryKit(
        {{test::noise(0.3, 20000, 1)}, {test::noise(0.3, 20000, 2)}, {test::noise(0.3, 20000, 3)}});
    session::addBand(kit.session, kit.elements[0], {0, dsp::FilterKind::Bell, true, 800, 6, 1, 24});
    session::Module ceiling;
    ceiling.id = kit.session.nextId++;
    ceiling.settings = dsp::LimiterSettings{-12, 50};
    kit.session = session::withChain(kit.session, kit.session.master().id,
                                     [&](auto& chain) { chain.push_back(ceiling); });
    RenderOptions options;
    options.stems = {kit.elements[0], kit.elements[2], kit.session.buses[0]->id};
    const auto rendered = [&](int threads, int block) {
        options.threads = threads;
        options.blockFrames = block;
        std::vector<std::vector<float>> tracks(4);
        const auto status = renderOffline(kit.session, kit.lookup, options,
                                          [&](int t, std::span<const float> piece) -> Status {
                                              auto& track = tracks[static_cast<std::size_t>(t)];
                                              track.insert(track.end(), piece.begin(), piece.end());
                                              return Done{};
                                          });
        EXPECT_TRUE(status);
        return tracks;
    };
    const auto reference = rendered(1, 512);
    for (const auto& track : reference)
        EXPECT_EQ(track.size(), 40000U);
    EXPECT_GT(test::peakOf(reference[1]), 0.1);
    for (const auto& [threads, block] : {std::pair{2, 512}, {4, 64}, {3, 333}, {1, 4096}})
        EXPECT_EQ(rendered(threads, block), reference) << threads << " threads, blocks of " << block;
}

TEST(OfflineRender, AFailingSinkEndsItWithItsError) {
    const auto kit = test::memoryKit({{test::sine(100, 0.1, 5)}});
    for (const int threads : {1, 2}) {
        RenderOptions options;
        options.threads = threads;
        std::atomic<int> blocks{0};
        const auto status = renderOffline(kit.session, kit.lookup, options, [&](int, auto) -> Status {
            if (++blocks == 4)
                return Error{ErrorCode::NotWritable, "mix.wav: the disk is full."};
            return Done{};
        });
        ASSERT_FALSE(status);
        EXPECT_EQ(status.error().message, "mix.wav: the disk is full.");
        EXPECT_LT(blocks, 4 + 8);
    }
}

TEST(OfflineRender, ProgressGrowsToTheEnd) {
    const auto kit = test::memoryKit({{test::sine(100, 0.1, 1)}});
    for (const int threads : {1, 2}) {
        RenderOptions options;
        options.threads = threads;
        double last = 0;
        bool grows = true;
        const auto status = renderOffline(
            kit.session, kit.lookup, options, [](int, auto) -> Status { return Done{}; }, {},
            [&](double share) {
                grows = grows && share > last;
                last = share;
            });
        EXPECT_TRUE(status);
        EXPECT_TRUE(grows);
        EXPECT_DOUBLE_EQ(last, 1);
    }
}

} // namespace
} // namespace cask::graph
