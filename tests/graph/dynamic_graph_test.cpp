#include "core/base/units.h"
#include "core/dsp/limiter.h"
#include "core/graph/runner.h"
#include "core/session/edits.h"
#include "core/session/parameter_path.h"
#include "core/session/session_json.h"
#include "tests/support/allocation_counter.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::graph {
namespace {

using dsp::Dynamics;
using dsp::EqBand;
using session::Id;

EqBand moving(double hz, double thresholdDb, double rangeDb) {
    EqBand band;
    band.frequencyHz = hz;
    band.dynamics = Dynamics::Above;
    band.thresholdDb = thresholdDb;
    band.rangeDb = rangeDb;
    return band;
}

std::vector<float> leftOf(const std::vector<float>& stereo) {
    std::vector<float> x;
    for (std::size_t n = 0; n < stereo.size(); n += 2)
        x.push_back(stereo[n]);
    return x;
}

TEST(DynamicGraph, SameBitsHoweverTheSoundIsCutUp) {
    auto kit = test::memoryKit(
        {{test::noise(0.5, 24000, 1), test::noise(0.4, 24000, 2)}, {test::noise(0.3, 24000, 3)}});
    auto& s = kit.session;
    session::addBand(s, kit.elements[0], moving(300, -40, -12));
    auto side = moving(3000, -40, 9);
    side.part = dsp::StereoPart::Side;
    side.kind = dsp::FilterKind::HighShelf;
    session::addBand(s, kit.elements[0], side);
    session::addBand(s, kit.elements[1], moving(900, -30, -9));
    const auto whole = test::render(s, kit.lookup, 24000, 1024);
    EXPECT_NE(whole,
              test::render(session::untouched(s, session::Untouched::NoProcessing), kit.lookup, 24000));
    for (const int block : {1, 64, 333})
        EXPECT_EQ(test::render(s, kit.lookup, 24000, block), whole) << block;
}

TEST(DynamicGraph, AKeyMovesTheBand) {
    // A bass whose lows give way while another element sounds.
    std::vector<float> kick(96000, 0.0F);
    const auto tone = test::sine(60, 0.5, 2);
    std::copy(tone.begin() + 48000, tone.end(), kick.begin() + 48000);
    auto kit = test::memoryKit({{test::sine(60, 0.1, 2)}, {kick}});
    auto& s = kit.session;
    auto band = moving(60, -30, -9);
    band.isKeyed = true;
    const Id id = session::addBand(s, kit.elements[0], band);
    const Id module = s.element(kit.elements[0])->chain.front().id;
    s = *session::withKey(s, kit.elements[0], module, kit.elements[1]);
    s = session::withOutput(s, kit.elements[1], [](auto& out) { out.isMuted = true; });
    const auto flat = session::withBand(s, kit.elements[0], id, [](EqBand& b) { b.rangeDb = 0; });
    const auto with = leftOf(test::render(s, kit.lookup, 96000));
    const auto without = leftOf(test::render(flat, kit.lookup, 96000));
    const auto gainIn = [&](std::size_t from, std::size_t to) {
        const std::span a(with.data() + from, to - from);
        const std::span b(without.data() + from, to - from);
        return linearToDb(test::amplitudeAt(a, 60, 48000) / test::amplitudeAt(b, 60, 48000));
    };
    EXPECT_NEAR(gainIn(9600, 48000), 0, 0.01);
    EXPECT_NEAR(gainIn(72000, 96000), -9, 0.1);
}

TEST(DynamicGraph, OnlyTheKeyedBandsOfAnEqualiserHearItsKey) {
    auto kit = test::memoryKit({{test::sine(1000, 0.5, 2)}, {std::vector<float>(96000, 0.0F)}});
    auto& s = kit.session;
    const Id own = session::addBand(s, kit.elements[0], moving(1000, -30, -9));
    auto keyed = moving(1000, -30, -6);
    keyed.isKeyed = true;
    const Id other = session::addBand(s, kit.elements[0], keyed);
    s = *session::withKey(s, kit.elements[0], s.element(kit.elements[0])->chain.front().id, kit.elements[1]);
    Runner runner(*compile(s, kit.lookup), 512);
    for (int block = 0; block < 150; ++block)
        runner.process(512 * block, 512);
    EXPECT_NEAR(runner.movedDb(own), -9, 0.05);
    EXPECT_FLOAT_EQ(runner.movedDb(other), 0) << "its key is silent";
}

TEST(DynamicGraph, AnotherLayoutGoesOnFromWhereTheBandIs) {
    auto kit = test::memoryKit({{test::sine(1000, 0.5, 2)}, {test::sine(300, 0.1, 2)}});
    auto& s = kit.session;
    const Id band = session::addBand(s, kit.elements[0], moving(1000, -30, -9));
    Runner first(*compile(s, kit.lookup), 512);
    for (int block = 0; block < 100; ++block)
        first.process(512 * block, 512);
    ASSERT_NEAR(first.movedDb(band), -9, 0.05);
    session::addBand(s, kit.elements[1], moving(300, -30, -6));
    Runner second(*compile(s, kit.lookup), 512);
    ASSERT_FALSE(first.hasSameLayout(second));
    second.adopt(first);
    second.process(51200, 64);
    EXPECT_NEAR(second.movedDb(band), -9, 0.05) << "it does not begin at rest";
}

TEST(DynamicGraph, ALateBusAsKeyIsWaitedFor) {
    // The bus comes late by a ceiling; the band still moves with it to the frame, and all else waits along.
    std::vector<float> click(48000, 0.0F);
    const auto burst = test::sine(2000, 0.5, 0.2);
    std::copy(burst.begin(), burst.end(), click.begin() + 12000);
    const auto direct = [&](bool throughBus) {
        auto kit = test::memoryKit({{test::sine(2000, 0.05, 1)}, {click}});
        auto& s = kit.session;
        auto band = moving(2000, -40, -12);
        band.attackMs = 0.5;
        band.isKeyed = true;
        session::addBand(s, kit.elements[0], band);
        const Id module = s.element(kit.elements[0])->chain.front().id;
        const Id keys = session::addBus(s, "Keys", s.master().id);
        s = session::withOutput(s, keys, [](auto& out) { out.isMuted = true; });
        s = *session::withOutputBus(s, kit.elements[1], keys);
        session::addModule(s, keys, dsp::LimiterSettings{});
        s = *session::withKey(s, kit.elements[0], module, throughBus ? keys : kit.elements[1]);
        const auto plan = *compile(s, kit.lookup);
        const auto y = leftOf(test::render(s, kit.lookup, 48000));
        return std::vector<float>(y.begin() + plan->latencyFrames, y.end());
    };
    // The sum of a bus lies 3 dB under the file, on both sides: over the threshold by far either way.
    const auto a = direct(false);
    const auto b = direct(true);
    const auto envelope = [](const std::vector<float>& y, std::size_t at) {
        float most = 0;
        for (std::size_t n = at; n < at + 24; ++n) // a whole wave
            most = std::max(most, std::abs(y[n]));
        return linearToDb(most);
    };
    for (const std::size_t at : {11900U, 12040U, 12100U, 13000U})
        EXPECT_NEAR(envelope(a, at), envelope(b, at), 0.6) << at;
    EXPECT_NEAR(envelope(b, 14000) - envelope(b, 9000), -12, 0.2);
}

TEST(DynamicGraph, DraggedItDoesNotClick) {
    auto kit = test::memoryKit({{test::sine(1000, 0.5, 2)}});
    auto& s = kit.session;
    auto band = moving(1000, -30, -12);
    band.attackMs = 50;
    const Id id = session::addBand(s, kit.elements[0], band);
    auto runner = std::make_unique<Runner>(*compile(s, kit.lookup), 64);
    std::vector<std::unique_ptr<Runner>> old;
    std::vector<float> y;
    for (int block = 0; block < 1400; ++block) {
        if (block > 400 && block % 10 == 0) {
            s = session::withBand(s, kit.elements[0], id, [&](EqBand& b) {
                b.frequencyHz = 1000 * std::pow(2, (block - 400) / 1000.0);
                b.rangeDb = -12 + (block - 400) / 100.0;
                b.q = 1 + (block - 400) / 500.0;
            });
            auto next = std::make_unique<Runner>(*compile(s, kit.lookup), 64);
            ASSERT_TRUE(next->hasSameLayout(*runner));
            const test::AllocationCounter counter;
            next->adopt(*runner);
            EXPECT_EQ(test::AllocationCounter::count(), 0);
            old.push_back(std::move(runner));
            runner = std::move(next);
        }
        runner->process(64 * block, 64);
        for (int n = 0; n < 64; ++n)
            y.push_back(runner->mix()[n * dsp::kLanes]);
    }
    // Above the tone nothing but its smooth movement: the third difference grows with the frequency cubed.
    const auto roughness = [&](std::size_t from, std::size_t to) {
        double most = 0;
        for (std::size_t n = from; n < to; ++n)
            most = std::max<double>(most, std::abs(y[n] - 3 * y[n - 1] + 3 * y[n - 2] - y[n - 3]));
        return most;
    };
    const double w = 2 * kPi * 1000 / 48000;
    const double calm = roughness(12800, 24000);
    EXPECT_GT(calm, 0.02 * w * w * w);
    EXPECT_LT(roughness(26000, y.size()), 4 * calm); // the tone itself grows by up to 12 dB
}

TEST(DynamicGraph, StoredAndSetByPath) {
    auto kit = test::memoryKit({{test::sine(60, 0.1, 0.1)}, {test::sine(60, 0.1, 0.1)}});
    auto s = kit.session;
    const std::string name = s.elements[0]->name;
    const std::string other = s.elements[1]->name;
    for (const auto& [path, value] :
         std::vector<std::pair<std::string, std::string>>{{"/eq/add", "bell"},
                                                          {"/eq/1/frequency_hz", "400"},
                                                          {"/eq/1/dynamics", "above threshold"},
                                                          {"/eq/1/threshold_db", "-33"},
                                                          {"/eq/1/range_db", "-7"},
                                                          {"/eq/1/attack_ms", "3 ms"},
                                                          {"/eq/1/release_ms", "0.2 s"},
                                                          {"/eq/1/keyed", "on"},
                                                          {"/eq/key", other}}) {
        auto next = session::withValueAt(s, name + path, value);
        ASSERT_TRUE(next) << path << ": " << next.error().message;
        s = *next;
    }
    const auto back = session::fromJson(session::toJson(s), s.name);
    ASSERT_TRUE(back);
    EXPECT_EQ(*back, s);
    const auto& module = s.elements[0]->chain.front();
    EXPECT_EQ(module.key, s.elements[1]->id);
    const auto& band = std::get<dsp::EqSettings>(module.settings).bands.front();
    EXPECT_EQ(band.dynamics, Dynamics::Above);
    EXPECT_DOUBLE_EQ(band.thresholdDb, -33);
    EXPECT_DOUBLE_EQ(band.rangeDb, -7);
    EXPECT_DOUBLE_EQ(band.attackMs, 3);
    EXPECT_DOUBLE_EQ(band.releaseMs, 200);
    EXPECT_TRUE(band.isKeyed);
}

} // namespace
} // namespace cask::graph
