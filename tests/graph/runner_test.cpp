#include "core/base/units.h"
#include "core/graph/offline_render.h"
#include "core/graph/runner.h"
#include "core/session/edits.h"
#include "tests/support/allocation_counter.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>
#include <limits>

namespace cask::graph {
namespace {

using session::Session;

/// A kit in which every kind of path is in use.
test::MemoryKit busyKit(Frames frames) {
    std::vector<std::vector<std::vector<float>>> sources;
    for (unsigned i = 0; i < 11; ++i) {
        std::vector<std::vector<float>> channels{test::noise(0.1, static_cast<std::size_t>(frames), i)};
        if (i % 4 == 3)
            channels.push_back(test::noise(0.1, static_cast<std::size_t>(frames), i + 100));
        sources.push_back(std::move(channels));
    }
    auto kit = test::memoryKit(sources);
    Session& s = kit.session;
    int i = 0;
    for (const auto id : kit.elements) {
        session::addBand(s, id, {0, dsp::FilterKind::HighPass, true, 40.0 + 10 * i, 0, 1, 24});
        session::addBand(s, id, {0, dsp::FilterKind::Bell, true, 300.0 + 50 * i, -4, 2, 24});
        s = session::withOutput(s, id, [&](session::Output& out) {
            out.pan = i / 10.0 - 0.5;
            out.levelDb = -i;
        });
        s = session::withElement(s, id, [&](session::Element& e) {
            e.input.removesDc = i % 2 == 0;
            e.input.shiftMs = i == 5 ? 0.137 : 0;
        });
        ++i;
    }
    const auto crush = session::addBus(s, "Crush", s.master().id);
    session::Module m;
    m.id = s.nextId++;
    m.settings = dsp::LimiterSettings{-12, 50};
    s = session::withChain(s, crush, [&](auto& chain) { chain.push_back(m); });
    for (const auto id : kit.elements)
        s = *session::withSend(s, id, {crush, -3, id % 2 == 0});
    return kit;
}

TEST(Runner, SameBitsForAnyBlockSizeAndThreadCount) {
    const Frames frames = 12345;
    const auto kit = busyKit(frames);
    const auto reference = test::render(kit.session, kit.lookup, frames, 1024, 1);
    EXPECT_GT(test::peakOf(reference), 0.01);
    for (const int block : {1, 7, 64, 333, 4096})
        EXPECT_EQ(test::render(kit.session, kit.lookup, frames, block, 1), reference) << block;
    for (const int threads : {2, 3})
        EXPECT_EQ(test::render(kit.session, kit.lookup, frames, 512, threads), reference) << threads;
}

TEST(Runner, ProcessAndAdoptAllocateNothing) {
    const auto kit = busyKit(4096);
    auto changed = session::withOutput(kit.session, kit.elements[0], [](auto& out) { out.levelDb = -9; });
    session::addBand(changed, kit.elements[1], {0, dsp::FilterKind::Bell, true, 1000, 3, 1, 24});
    const auto same = session::withOutput(kit.session, kit.elements[0], [](auto& out) { out.levelDb = -9; });
    Runner first(*compile(kit.session, kit.lookup), 256);
    Runner second(*compile(same, kit.lookup), 256);
    Runner third(*compile(changed, kit.lookup), 256);
    EXPECT_TRUE(first.hasSameLayout(second));
    EXPECT_FALSE(first.hasSameLayout(third));
    const test::AllocationCounter counter;
    first.process(0, 256);
    second.adopt(first);
    second.process(256, 256);
    third.adopt(second);
    third.process(512, 256);
    third.reset();
    EXPECT_EQ(test::AllocationCounter::count(), 0);
}

TEST(Runner, LevelsTrimAndPolarityAreExact) {
    const auto x = test::sine(1000, 0.5, 0.5);
    auto kit = test::memoryKit({{x}});
    auto s = session::withElement(kit.session, kit.elements[0], [](session::Element& e) {
        e.input.trimDb = 6;
        e.input.isInverted = true;
        e.out.levelDb = -3;
        e.out.pan = -1;
    });
    const auto out = test::render(s, kit.lookup, 24000);
    const double gain = -dbToLinear(3);
    for (std::size_t n = 0; n < 24000; n += 101) {
        ASSERT_NEAR(out[2 * n], gain * x[n], 1e-6);
        ASSERT_NEAR(out[2 * n + 1], 0, 1e-7);
    }
}

TEST(Runner, AloneSilencesOtherElementsAndLeavesBuses) {
    auto kit = test::memoryKit({{test::sine(500, 0.5, 0.5)}, {test::sine(3000, 0.5, 0.5)}});
    session::Id shells = session::kNoId;
    for (const auto& b : kit.session.buses)
        shells = b->name == "Shells" ? b->id : shells;
    auto s = session::withRole(kit.session, kit.elements[0], Role::KickIn);
    session::addBand(s, shells, {0, dsp::FilterKind::Bell, true, 500, 6, 1, 24});
    s = session::withOutput(s, kit.elements[0], [](auto& out) { out.isAlone = true; });
    const auto out = test::render(s, kit.lookup, 24000);
    const std::span<const float> left(out);
    EXPECT_NEAR(
        linearToDb(test::amplitudeAt(left.subspan(9600, 38400), 500, 48000, 2) / (0.5 * std::sqrt(0.5))), 6,
        0.05);
    EXPECT_LT(test::amplitudeAt(left.subspan(9600, 38400), 3000, 48000, 2), 1e-6);
}

TEST(Runner, AloneOnABusHearsWhatFeedsIt) {
    auto kit = test::memoryKit({{test::sine(500, 0.5, 0.2)}, {test::sine(3000, 0.5, 0.2)}});
    auto s = session::withRole(kit.session, kit.elements[1], Role::Overhead);
    for (const auto& b : std::vector(s.buses))
        if (b->name == "Cymbals")
            s = session::withOutput(s, b->id, [](auto& out) { out.isAlone = true; });
    const auto out = test::render(s, kit.lookup, 9600);
    EXPECT_LT(test::amplitudeAt(out, 500, 48000, 2), 1e-6);
    EXPECT_GT(test::amplitudeAt(out, 3000, 48000, 2), 0.3);
}

TEST(Runner, NoNumberNeverLeaves) {
    auto x = test::sine(500, 0.5, 0.1);
    x[1000] = std::numeric_limits<float>::quiet_NaN();
    auto kit = test::memoryKit({{x}});
    session::addBand(kit.session, kit.elements[0], {0, dsp::FilterKind::Bell, true, 500, 6, 1, 24});
    const auto out = test::render(kit.session, kit.lookup, 4800, 100);
    for (const float v : out)
        ASSERT_TRUE(std::isfinite(v));
    EXPECT_GT(test::peakOf(std::span(out).subspan(6000)), 0.1)
        << "the sound must come back after the bad block";
}

TEST(Runner, DcFilterTakesTheOffsetOut) {
    auto x = test::sine(100, 0.25, 2);
    for (float& v : x)
        v += 0.2F;
    auto kit = test::memoryKit({{x}});
    const auto s =
        session::withElement(kit.session, kit.elements[0], [](auto& e) { e.input.removesDc = true; });
    const auto out = test::render(s, kit.lookup, 96000);
    double sum = 0;
    for (std::size_t n = 48000; n < 96000; ++n)
        sum += out[2 * n];
    EXPECT_NEAR(sum / 48000, 0, 1e-4);
    EXPECT_NEAR(test::amplitudeAt(std::span(out).subspan(96000), 100, 48000, 2), 0.25 * std::sqrt(0.5), 1e-3);
}

TEST(OfflineRender, CanBeStopped) {
    const auto kit = test::memoryKit({{test::sine(100, 0.1, 1)}});
    CancelToken cancel;
    int blocks = 0;
    const auto status = renderOffline(
        kit.session, kit.lookup, {},
        [&](int, auto) -> Status {
            if (++blocks == 3)
                cancel.cancel();
            return Done{};
        },
        cancel);
    ASSERT_FALSE(status);
    EXPECT_EQ(status.error().code, ErrorCode::Cancelled);
    EXPECT_EQ(blocks, 3);
}

} // namespace
} // namespace cask::graph
