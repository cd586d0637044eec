#include "core/base/units.h"
#include "core/graph/runner.h"
#include "core/session/edits.h"
#include "tests/support/allocation_counter.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::graph {
namespace {

using session::Id;
using session::Session;

Id busNamed(const Session& s, std::string_view name) {
    for (const auto& b : s.buses)
        if (b->name == name)
            return b->id;
    return session::kNoId;
}

dsp::GateSettings hardGate(double floorDb = dsp::kSilentFloorDb) {
    dsp::GateSettings g;
    g.openDb = -30;
    g.closeDb = -36;
    g.floorDb = floorDb;
    g.holdMs = 10;
    g.releaseMs = 20;
    g.lookAheadMs = 2;
    return g;
}

/// A tone that is always there, and pulses of 50 ms at 0.2, 0.6, ... s, both mono.
test::MemoryKit toneAndPulses() {
    auto pulses = std::vector<float>(96000, 0.0F);
    for (double at = 0.2; at < 1.9; at += 0.4)
        for (std::size_t n = 0; n < 2400; ++n)
            pulses[static_cast<std::size_t>(at * 48000) + n] = n % 2 == 0 ? 0.5F : -0.5F;
    auto kit = test::memoryKit({{test::sine(300, 0.1, 2)}, {pulses}});
    // The second is listened to, not heard.
    kit.session = session::withOutput(kit.session, kit.elements[1], [](auto& out) { out.isMuted = true; });
    return kit;
}

double levelDb(const std::vector<float>& stereo, double fromS, double toS) {
    double sum = 0;
    int count = 0;
    for (auto n = static_cast<std::size_t>(fromS * 48000); n < static_cast<std::size_t>(toS * 48000);
         ++n, ++count)
        sum += static_cast<double>(stereo[2 * n]) * stereo[2 * n];
    return 10 * std::log10(sum / count + 1e-30);
}

TEST(GateGraph, LookAheadIsMadeUpForToTheSample) {
    // The same sound twice, one inverted, one through a gate that is open all the time.
    const auto sound = test::noise(0.2, 24000, 21);
    for (const auto reach : {dsp::GateReach::All, dsp::GateReach::Above}) {
        auto kit = test::memoryKit({{sound}, {sound}});
        auto s = session::withElement(kit.session, kit.elements[1],
                                      [](session::Element& e) { e.input.isInverted = true; });
        auto gate = hardGate();
        gate.openDb = -90;
        gate.closeDb = -96;
        gate.holdMs = 2000;
        gate.attackMs = 0;
        gate.lookAheadMs = 7.3;
        gate.reach = reach;
        session::addModule(s, kit.elements[0], gate);
        EXPECT_LT(linearToDb(test::peakOf(test::render(s, kit.lookup, 24000)) / test::peakOf(sound) + 1e-20),
                  -120);
    }
}

TEST(GateGraph, AMutedElementOpensAnother) {
    auto kit = toneAndPulses();
    auto& s = kit.session;
    const Id gate = session::addModule(s, kit.elements[0], hardGate());
    const auto own = test::render(s, kit.lookup, 96000); // the tone itself is loud enough to open it
    s = session::withGate(s, gate, [](auto& g) {
        g.openDb = -10;
        g.closeDb = -16;
    });
    s = *session::withKey(s, kit.elements[0], gate, kit.elements[1]);
    const auto out = test::render(s, kit.lookup, 96000);
    const double open = -20 - 3.01 - 3.01; // the tone's RMS, in the centre
    EXPECT_NEAR(levelDb(out, 0.205, 0.245), open, 0.1);
    EXPECT_LT(levelDb(out, 0.30, 0.59), -150);
    EXPECT_NEAR(levelDb(out, 0.605, 0.645), open, 0.1);
    // Look-ahead: open before the pulse, by the clock of the session.
    EXPECT_NEAR(levelDb(out, 0.6, 0.602), levelDb(own, 0.6, 0.602), 0.1);
}

TEST(GateGraph, ABusThatIsLateOpensAtTheSameInstant) {
    for (const bool isLate : {false, true}) {
        auto kit = toneAndPulses();
        auto& s = kit.session;
        const Id keys = session::addBus(s, "Keys", s.master().id);
        s = session::withOutput(s, kit.elements[1], [](auto& out) { out.isMuted = false; });
        s = *session::withOutputBus(s, kit.elements[1], keys);
        s = session::withOutput(s, keys, [](auto& out) { out.isMuted = true; });
        if (isLate) {
            session::Module ceiling;
            ceiling.id = s.nextId++;
            ceiling.settings = dsp::LimiterSettings{0, 80};
            s = session::withChain(s, keys, [&](auto& chain) { chain.push_back(ceiling); });
        }
        auto settings = hardGate();
        settings.openDb = -20;
        settings.lookAheadMs = 0;
        settings.attackMs = 0;
        const Id gate = session::addModule(s, kit.elements[0], settings);
        s = *session::withKey(s, kit.elements[0], gate, keys);
        const auto out = test::render(s, kit.lookup, 96000);
        const auto opens = static_cast<std::size_t>(0.6 * 48000);
        double before = 0;
        for (std::size_t n = opens - 4800; n < opens; ++n)
            before = std::max(before, static_cast<double>(std::abs(out[2 * n])));
        EXPECT_EQ(before, 0) << isLate;
        for (const int after : {2, 20, 100})
            EXPECT_NEAR(out[2 * (opens + static_cast<std::size_t>(after))],
                        0.1 * std::sin(2 * kPi * 300 * after / 48000) * std::sqrt(0.5), 1e-4)
                << isLate << " " << after;
        // However it is shared out.
        for (const int threads : {2, 3})
            EXPECT_EQ(test::render(s, kit.lookup, 96000, 333, threads), out);
    }
}

TEST(GateGraph, AKeyThatWouldGoRoundIsRefusedWithItsPath) {
    auto kit = toneAndPulses();
    auto& s = kit.session;
    const Id shells = busNamed(s, "Shells");
    s = *session::withOutputBus(s, kit.elements[0], shells);
    const Id gate = session::addModule(s, kit.elements[0], hardGate());
    const auto refused = session::withKey(s, kit.elements[0], gate, shells);
    ASSERT_FALSE(refused);
    EXPECT_NE(refused.error().message.find("Shells"), std::string::npos);
    EXPECT_FALSE(session::withKey(s, kit.elements[0], gate, busNamed(s, "Kit")));
    EXPECT_TRUE(session::withKey(s, kit.elements[0], gate, busNamed(s, "Rooms")));
    // A route that would close the circle afterwards is refused too.
    s = *session::withKey(s, kit.elements[0], gate, busNamed(s, "Rooms"));
    EXPECT_FALSE(session::withOutputBus(s, kit.elements[0], busNamed(s, "Rooms")));
    EXPECT_FALSE(session::withOutputBus(s, shells, busNamed(s, "Rooms")));
    // What was listened to and goes leaves a gate that hears its own sound.
    s = *session::withKey(s, kit.elements[0], gate, kit.elements[1]);
    s = session::withoutElement(s, kit.elements[1]);
    EXPECT_EQ(s.element(kit.elements[0])->chain.front().key, session::kNoId);
}

TEST(GateGraph, TheDetectorFilterDecidesWhatOpensIt) {
    auto kit = test::memoryKit({{test::sine(300, 0.1, 1)}});
    auto& s = kit.session;
    const Id gate = session::addModule(s, kit.elements[0], hardGate());
    const double open = levelDb(test::render(s, kit.lookup, 48000), 0.2, 0.9);
    EXPECT_NEAR(open, -26.02, 0.1);
    s = session::withGate(s, gate, [](auto& g) { g.lowCutHz = 2000; });
    EXPECT_LT(levelDb(test::render(s, kit.lookup, 48000), 0.2, 0.9), -150);
}

TEST(GateGraph, TheDetectorCanBeHeard) {
    auto kit = toneAndPulses();
    auto& s = kit.session;
    const Id gate = session::addModule(s, kit.elements[0], hardGate());
    s = *session::withKey(s, kit.elements[0], gate, kit.elements[1]);
    Runner runner(*compile(s, kit.lookup, {}, {gate, ModuleOutput::Detector}), 4096);
    std::vector<float> out;
    for (Frames at = 0; at < 16384; at += 4096) {
        runner.process(at, 4096);
        for (int n = 0; n < 4096; ++n)
            out.push_back(runner.mix()[n * dsp::kLanes]);
    }
    const auto pulse = static_cast<std::size_t>(0.2 * 48000) + 96; // late by the look-ahead
    EXPECT_EQ(out[pulse - 1], 0.0F);
    EXPECT_NEAR(out[pulse], 0.5 * std::sqrt(0.5), 1e-5);
}

TEST(GateGraph, WhatIsTakenAwayCanBeHeard) {
    auto x = test::bursts(200, 0.25, 0.1, 0.03, 1);
    const auto hiss = test::noise(0.003, x.size(), 5);
    for (std::size_t n = 0; n < x.size(); ++n)
        x[n] += hiss[n];
    for (const auto reach : {dsp::GateReach::All, dsp::GateReach::Above}) {
        auto kit = test::memoryKit({{x}});
        auto s =
            session::withOutput(kit.session, kit.elements[0], [](session::Output& out) { out.pan = -1; });
        dsp::GateSettings settings;
        settings.reach = reach;
        settings.lookAheadMs = 3;
        const Id gate = session::addModule(s, kit.elements[0], settings);
        std::array<std::vector<float>, 2> heard;
        for (std::size_t i = 0; i < 2; ++i) {
            Runner runner(
                *compile(s, kit.lookup, {}, {gate, i == 0 ? ModuleOutput::Sound : ModuleOutput::Removed}),
                480);
            for (Frames at = 0; at < 48000; at += 480) {
                runner.process(at, 480);
                for (int n = 0; n < 480; ++n)
                    heard[i].push_back(runner.mix()[n * dsp::kLanes]);
            }
        }
        for (std::size_t n = 144; n < x.size(); ++n)
            ASSERT_NEAR(heard[0][n] + heard[1][n], x[n - 144], 1e-6);
        EXPECT_GT(test::peakOf(heard[1]), 0.001);
    }
}

TEST(GateGraph, ASectionHasAFloorOfItsOwn) {
    auto kit = test::memoryKit({{test::sine(300, 0.01, 3)}});
    auto& s = kit.session;
    const Id gate = session::addModule(s, kit.elements[0], hardGate(-40));
    s.sections = {{"verse", 0, 1, {}}, {"fill", 1, 2, {}}};
    session::SectionChange change;
    change.section = "fill";
    change.glideMs = 100;
    change.values = {{"floor_db", -6.0}};
    s = session::withSectionChange(s, gate, change);
    const auto out = test::render(s, kit.lookup, 144000);
    const double open = -46.02;
    EXPECT_NEAR(levelDb(out, 0.5, 0.9), open - 40, 0.1);
    EXPECT_NEAR(levelDb(out, 1.045, 1.055), open - 23, 1.0); // half of the glide, evenly in dB
    EXPECT_NEAR(levelDb(out, 1.2, 1.9), open - 6, 0.1);
    EXPECT_NEAR(levelDb(out, 2.2, 2.9), open - 40, 0.1);
    for (const int block : {64, 333})
        EXPECT_EQ(test::render(s, kit.lookup, 144000, block), out);
    // Begun in the middle of the section.
    Runner runner(*compile(s, kit.lookup), 4800);
    runner.process(72000, 4800);
    runner.process(76800, 4800);
    double peak = 0;
    for (int n = 0; n < 4800; ++n)
        peak = std::max(peak, static_cast<double>(std::abs(runner.mix()[n * dsp::kLanes])));
    EXPECT_NEAR(linearToDb(peak), open + 3.01 - 6, 0.1);
}

TEST(GateGraph, ASectionThatBeginsWhereAnotherEndsTakesOverFromIt) {
    auto kit = test::memoryKit({{test::sine(300, 0.01, 3)}});
    auto& s = kit.session;
    const Id gate = session::addModule(s, kit.elements[0], hardGate(-40));
    s.sections = {{"fill", 0, 1, {}}, {"end", 1, 2, {}}};
    for (const auto& [name, floorDb] : {std::pair{"fill", -6.0}, std::pair{"end", -12.0}}) {
        session::SectionChange change;
        change.section = name;
        change.glideMs = 100;
        change.values = {{"floor_db", floorDb}};
        s = session::withSectionChange(s, gate, change);
    }
    const auto* module = session::findModule<dsp::GateSettings>(s.elements[0]->chain);
    const auto moments = momentsOf(*module, s);
    ASSERT_EQ(moments.size(), 3U);
    EXPECT_EQ(moments[1].frame, 48000);
    EXPECT_EQ(std::get<dsp::GateSettings>(moments[1].value).floorDb, -12);
    // Half way from the one to the other, with no way round by the floor outside.
    const auto out = test::render(s, kit.lookup, 144000);
    EXPECT_NEAR(levelDb(out, 1.045, 1.055), -46.02 - 9, 0.5);
}

TEST(GateGraph, EditsWhilePlayingGoOnWithoutAClickAndWithoutAllocating) {
    auto kit = test::memoryKit({{test::sine(200, 0.05, 3)}});
    auto& s = kit.session;
    const Id gate = session::addModule(s, kit.elements[0], hardGate(-30));
    const auto higher = session::withGate(s, gate, [](auto& g) {
        g.openDb = -20;
        g.closeDb = -22;
    });
    const auto floored = session::withGate(higher, gate, [](auto& g) { g.floorDb = -6; });
    const auto off = session::withModule(floored, gate, [](auto& m) { m.isOn = false; });
    std::vector<std::unique_ptr<Runner>> runners;
    for (const auto& session : {s, s, higher, floored, off})
        runners.push_back(std::make_unique<Runner>(*compile(session, kit.lookup), 64));
    std::vector<float> out;
    out.reserve(100000);
    Frames at = 0;
    for (std::size_t r = 0; r < runners.size(); ++r) {
        if (r > 0) {
            ASSERT_TRUE(runners[r]->hasSameLayout(*runners[r - 1]));
        }
        const test::AllocationCounter counter;
        if (r > 0)
            runners[r]->adopt(*runners[r - 1]);
        for (int i = 0; i < 250; ++i, at += 64) {
            runners[r]->process(at, 64);
            for (int n = 0; n < 64; ++n)
                out.push_back(runners[r]->mix()[n * dsp::kLanes]);
        }
        EXPECT_EQ(test::AllocationCounter::count(), 0);
    }
    // A 200 Hz tone of 0.05 curves by 0.05 (2 pi 200 / 48000)^2; gains that move over 20 ms add little.
    const std::vector<float> later(out.begin() + 4000, out.end());
    EXPECT_LT(test::roughness(later), 3 * 0.05 * std::sqrt(0.5) * std::pow(2 * kPi * 200 / 48000, 2));
    const auto level = [&](std::size_t r) {
        double peak = 0;
        for (std::size_t n = 0; n < 4000; ++n)
            peak = std::max(peak, static_cast<double>(std::abs(out[(r + 1) * 16000 - 1 - n])));
        return linearToDb(peak);
    };
    const double open = linearToDb(0.05) - 3.01;
    EXPECT_NEAR(level(1), open, 0.1);
    EXPECT_NEAR(level(2), open - 30, 0.1);
    EXPECT_NEAR(level(3), open - 6, 0.1);
    EXPECT_NEAR(level(4), open, 0.1);
    // The second has the first one's settings: nothing may differ.
    Runner alone(*compile(s, kit.lookup), 64);
    for (Frames n = 0; n < 32000; n += 64) {
        alone.process(n, 64);
        for (int i = 0; i < 64; ++i)
            ASSERT_EQ(alone.mix()[i * dsp::kLanes], out[static_cast<std::size_t>(n + i)]);
    }
}

TEST(GateGraph, StereoAndKeysOfEveryKindMakeTheSameBitsInAnyBlock) {
    std::vector<std::vector<std::vector<float>>> sources;
    for (unsigned i = 0; i < 7; ++i) {
        auto hits = test::bursts(150 + 40 * i, 0.21, 0.01 * i, 0.03, 1);
        auto second = hits;
        for (std::size_t n = 0; n < second.size(); ++n)
            second[n] *= 0.5F;
        sources.push_back(i % 3 == 2 ? std::vector<std::vector<float>>{hits, second}
                                     : std::vector<std::vector<float>>{hits});
    }
    auto kit = test::memoryKit(sources);
    auto& s = kit.session;
    for (std::size_t i = 0; i < kit.elements.size(); ++i) {
        auto settings = hardGate(-20.0 - static_cast<double>(i));
        settings.lookAheadMs = static_cast<double>(i);
        settings.lowCutHz = i == 1 ? 100 : 10;
        settings.ratio = i == 3 ? 2 : dsp::kHardRatio;
        settings.detector = i == 4 ? dsp::GateDetector::Rms : dsp::GateDetector::Peak;
        settings.reach = i == 5 ? dsp::GateReach::Between : dsp::GateReach::All;
        const Id gate = session::addModule(s, kit.elements[i], settings);
        if (i > 0 && i < 6) // mono by stereo and the other way round
            s = *session::withKey(s, kit.elements[i], gate, kit.elements[i - 1]);
    }
    const Id rooms = busNamed(s, "Rooms");
    s = *session::withOutputBus(s, kit.elements[6], rooms);
    s = *session::withOutputBus(s, kit.elements[0], busNamed(s, "Shells"));
    s = *session::withKey(s, kit.elements[6], s.element(kit.elements[6])->chain.front().id,
                          busNamed(s, "Shells"));
    const auto reference = test::render(s, kit.lookup, 30000, 1024, 1);
    EXPECT_GT(test::peakOf(reference), 0.1);
    for (const int block : {1, 64, 333})
        EXPECT_EQ(test::render(s, kit.lookup, 30000, block, 1), reference) << block;
    EXPECT_EQ(test::render(s, kit.lookup, 30000, 512, 3), reference);
}

} // namespace
} // namespace cask::graph
