#include "core/base/units.h"
#include "core/graph/module_sections.h"
#include "core/graph/runner.h"
#include "core/session/edits.h"
#include "tests/support/allocation_counter.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::graph {
namespace {

using dsp::EqBand;
using dsp::FilterKind;
using dsp::StereoPart;
using session::Id;

EqBand bell(double hz, double gainDb, StereoPart part = StereoPart::Both) {
    EqBand band;
    band.frequencyHz = hz;
    band.gainDb = gainDb;
    band.part = part;
    return band;
}

/// One channel of an interleaved stereo sound, from a moment on.
std::vector<float> channelOf(const std::vector<float>& stereo, std::size_t channel, std::size_t from = 0) {
    std::vector<float> x;
    for (std::size_t n = from; 2 * n + channel < stereo.size(); ++n)
        x.push_back(stereo[2 * n + channel]);
    return x;
}

double gainDbAt(const std::vector<float>& stereo, std::size_t channel, double hz, double amplitude) {
    return linearToDb(test::amplitudeAt(channelOf(stereo, channel, 24000), hz, kRate) / amplitude);
}

TEST(ToneGraph, MiddleAndSideAreReachedApart) {
    // Left: middle and side; right: middle less side.
    const auto middle = test::sine(400, 0.2, 1);
    const auto side = test::sine(1500, 0.1, 1);
    std::vector<float> left(middle.size());
    std::vector<float> right(middle.size());
    for (std::size_t n = 0; n < left.size(); ++n) {
        left[n] = middle[n] + side[n];
        right[n] = middle[n] - side[n];
    }
    auto kit = test::memoryKit({{left, right}});
    auto& s = kit.session;
    for (auto band : {bell(400, -6, StereoPart::Middle), bell(1500, 6, StereoPart::Side),
                      bell(400, 12, StereoPart::Side), bell(1500, 12, StereoPart::Middle)}) {
        band.q = 10; // leaves the other tone alone
        session::addBand(s, kit.elements[0], band);
    }
    const auto out = test::render(s, kit.lookup, 48000);
    for (const std::size_t channel : {0U, 1U}) {
        EXPECT_NEAR(gainDbAt(out, channel, 400, 0.2), -6, 0.05);
        EXPECT_NEAR(gainDbAt(out, channel, 1500, 0.1), 6, 0.05);
    }
    // However the sound is cut up.
    for (const int block : {1, 64, 333})
        EXPECT_EQ(test::render(s, kit.lookup, 9600, block), test::render(s, kit.lookup, 9600, 1024));
}

TEST(ToneGraph, IdleMovesOnMiddleAndSideLeaveEveryBit) {
    const auto left = test::noise(0.4, 9600, 1);
    const auto right = test::noise(0.3, 9600, 2);
    auto kit = test::memoryKit({{left, right}});
    const auto before = test::render(kit.session, kit.lookup, 9600);
    session::addBand(kit.session, kit.elements[0], bell(400, 0, StereoPart::Middle));
    session::addBand(kit.session, kit.elements[0], bell(900, 0, StereoPart::Side));
    EXPECT_EQ(test::render(kit.session, kit.lookup, 9600), before);
}

TEST(ToneGraph, AMonoSoundIsAllMiddle) {
    auto kit = test::memoryKit({{test::noise(0.4, 9600, 1)}});
    auto both = kit.session;
    auto middle = kit.session;
    auto side = kit.session;
    session::addBand(both, kit.elements[0], bell(400, -9));
    session::addBand(middle, kit.elements[0], bell(400, -9, StereoPart::Middle));
    session::addBand(side, kit.elements[0], bell(400, -9, StereoPart::Side));
    EXPECT_EQ(test::render(middle, kit.lookup, 9600), test::render(both, kit.lookup, 9600));
    EXPECT_EQ(test::render(side, kit.lookup, 9600), test::render(kit.session, kit.lookup, 9600));
}

TEST(ToneGraph, TheAmountScalesWhatSounds) {
    auto kit = test::memoryKit({{test::sine(400, 0.1, 1)}});
    session::addBand(kit.session, kit.elements[0], bell(400, -6));
    for (const double amount : {-100.0, 0.0, 50.0, 200.0}) {
        const Id module = kit.session.elements[0]->chain[0].id;
        const auto s = session::withModule(kit.session, module, [&](session::Module& m) {
            std::get<dsp::EqSettings>(m.settings).amountPercent = amount;
        });
        EXPECT_NEAR(gainDbAt(test::render(s, kit.lookup, 48000), 0, 400, 0.1 * std::sqrt(0.5)),
                    -0.06 * amount, 0.05)
            << amount;
    }
}

TEST(ToneGraph, TheLowEndBoostsUnderTheCornerAndDipsAboveIt) {
    const dsp::LowEndSettings settings{50, 8, 5};
    for (const double hz : {12.0, 50.0, 120.0, 1000.0}) {
        auto kit = test::memoryKit({{test::sine(hz, 0.05, 3)}});
        session::addModule(kit.session, kit.elements[0], settings);
        const double seen =
            gainDbAt(test::render(kit.session, kit.lookup, 144000), 0, hz, 0.05 * std::sqrt(0.5));
        const auto drawn = sectionsOf(kit.session.elements[0]->chain, StereoPart::Middle, kRate);
        EXPECT_NEAR(seen, responseDb(drawn, hz, kRate), 0.05) << hz;
        if (hz < 20) {
            EXPECT_NEAR(seen, 8 - 5, 0.3);
        } else if (hz > 500) {
            EXPECT_NEAR(seen, 0, 0.1);
        } else if (hz > 100) {
            EXPECT_LT(seen, -2);
        }
    }
}

TEST(ToneGraph, ABodyRingsAtItsNoteForItsDecay) {
    for (const double decayMs : {150.0, 600.0}) {
        std::vector<float> click(96000, 0.0F);
        click[0] = 0.5F;
        auto kit = test::memoryKit({{click}});
        session::addModule(kit.session, kit.elements[0], dsp::BodySettings{55, decayMs, 12});
        const auto out = channelOf(test::render(kit.session, kit.lookup, 96000), 0);
        // Energy of whole waves, a tenth of the decay apart, and the time of 60 dB from their fall.
        const auto wave = static_cast<std::size_t>(kRate / 55);
        const auto energy = [&](double s) {
            double sum = 0;
            for (std::size_t n = 0; n < wave; ++n)
                sum += std::pow(out[static_cast<std::size_t>(s * kRate) + n], 2);
            return sum;
        };
        const double first = 0.02;
        const double second = first + 0.0005 * decayMs;
        const double fallenDb = powerToDb(energy(first) / energy(second));
        EXPECT_NEAR(60 * (second - first) * 1000 / fallenDb, decayMs, 0.05 * decayMs);
        // Its note: crossings upwards.
        int crossings = 0;
        std::size_t from = 0;
        std::size_t to = 0;
        for (std::size_t n = 100; n < 9600 && crossings < 5; ++n)
            if (out[n - 1] < 0 && out[n] >= 0) {
                to = n;
                from = crossings++ == 0 ? n : from;
            }
        EXPECT_NEAR(4 * kRate / static_cast<double>(to - from), 55, 0.6);
    }
    auto kit = test::memoryKit({{test::sine(55, 0.05, 4)}});
    session::addModule(kit.session, kit.elements[0], dsp::BodySettings{55, 300, -6});
    auto out = test::render(kit.session, kit.lookup, 192000);
    out.erase(out.begin(), out.begin() + 96000);
    EXPECT_NEAR(gainDbAt(out, 0, 55, 0.05 * std::sqrt(0.5)), linearToDb(1 + dbToLinear(-6)), 0.05);
}

TEST(ToneGraph, SwappedTwiceEveryBitIsBackAndFiltersCommute) {
    auto kit = test::memoryKit({{test::bursts(180, 0.25, 0.05, 0.04, 1)}});
    auto& s = kit.session;
    const Id owner = kit.elements[0];
    session::addBand(s, owner, bell(200, 9));
    session::addBand(s, owner, bell(3000, 4), session::EqPlace::Colour);
    dsp::GateSettings gate;
    gate.openDb = -12;
    gate.closeDb = -18;
    session::addModule(s, owner, gate);
    const auto& chain = s.elements[0]->chain;
    ASSERT_EQ(chain.size(), 3U);
    const auto before = test::render(s, kit.lookup, 48000);
    const Id gateId = chain[0].id;
    const Id repair = chain[1].id;
    const Id colour = chain[2].id;
    const auto equalisers = session::withModulesSwapped(s, owner, repair, colour);
    const auto late = session::withModulesSwapped(s, owner, gateId, colour);
    EXPECT_EQ(session::withModulesSwapped(late, owner, colour, gateId), s);
    EXPECT_EQ(test::render(session::withModulesSwapped(late, owner, gateId, colour), kit.lookup, 48000),
              before);
    const auto most = [&](const std::vector<float>& a) {
        double worst = 0;
        for (std::size_t n = 0; n < a.size(); ++n)
            worst = std::max(worst, static_cast<double>(std::abs(a[n] - before[n])));
        return worst;
    };
    EXPECT_LT(most(test::render(equalisers, kit.lookup, 48000)), 2e-6);
    EXPECT_GT(most(test::render(late, kit.lookup, 48000)), 0.01); // the gate hears a boosted sound
}

TEST(ToneGraph, TakingOverAllocatesNothing) {
    auto kit = test::memoryKit({{test::noise(0.2, 48000, 3), test::noise(0.2, 48000, 4)}});
    auto& s = kit.session;
    session::addBand(s, kit.elements[0], bell(400, -6, StereoPart::Middle));
    session::addModule(s, kit.elements[0], dsp::BodySettings{});
    Runner first(*compile(s, kit.lookup), 256);
    const auto other = session::withBand(
        s, kit.elements[0], std::get<dsp::EqSettings>(s.elements[0]->chain[0].settings).bands[0].id,
        [](EqBand& b) { b.gainDb = 6; });
    Runner second(*compile(other, kit.lookup), 256);
    EXPECT_TRUE(second.hasSameLayout(first)); // it glides
    first.process(0, 256);
    const test::AllocationCounter counter;
    second.adopt(first);
    second.process(256, 256);
    EXPECT_EQ(counter.count(), 0);
}

} // namespace
} // namespace cask::graph
