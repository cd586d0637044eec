// Dynamic bands in eight lanes beside their law in double precision, one channel after the other.
#include "core/base/units.h"
#include "core/dsp/dynamic_lanes.h"
#include "core/dsp/eq_design.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace cask::dsp {
namespace {

/// A band as sound.md says it, on one channel or on a linked pair.
class BandLaw {
  public:
    explicit BandLaw(const DynamicBandDesign& design) : m_design(&design) {
        for (auto& level : m_levels) {
            level.prepare(kRate);
            level.set(design, kRate);
        }
    }
    void next(const std::vector<double>& heard, std::vector<double>& sound) {
        const EqBand& band = m_design->band;
        const bool isPair = sound.size() == 2;
        if (!isPair || band.part == StereoPart::Both) {
            double square = 0;
            for (std::size_t c = 0; c < heard.size(); ++c)
                square = std::max(square, m_levels[c].next(heard[c]));
            move(square);
            for (std::size_t c = 0; c < sound.size(); ++c)
                sound[c] = filter(c, sound[c]);
            return;
        }
        const double sign = band.part == StereoPart::Middle ? 1 : -1;
        move(m_levels[0].next(0.5 * (heard[0] + sign * heard[1])));
        const double x = 0.5 * (sound[0] + sign * sound[1]);
        const double change = filter(0, x) - x;
        sound[0] += change;
        sound[1] += sign * change;
    }
    [[nodiscard]] double movedDb() const { return m_movedDb; }

  private:
    void move(double square) {
        const EqBand& band = m_design->band;
        const double goal = dynamicGainDb(band, powerToDb(std::max(square, 1e-30)));
        const bool goesOut = std::abs(goal) > std::abs(m_movedDb);
        const double ms = goesOut == (band.dynamics == Dynamics::Above) ? band.attackMs : band.releaseMs;
        m_movedDb += (1 - std::exp(-1 / (0.001 * ms * kRate))) * (goal - m_movedDb);
        if (std::abs(goal - m_movedDb) < 1e-3) // nearer than this it is there
            m_movedDb = goal;
    }
    double filter(std::size_t channel, double x) {
        // Between two designs half a dB apart.
        const auto& steps = m_design->steps;
        const double at = m_movedDb / m_design->band.rangeDb * static_cast<double>(steps.size() - 1);
        const auto i = std::min(static_cast<std::size_t>(at), steps.size() - 2);
        const double t = at - static_cast<double>(i);
        const auto value = [&](float DynamicStep::*v) {
            return static_cast<double>(steps[i].*v) + t * (steps[i + 1].*v - steps[i].*v);
        };
        const double g = value(&DynamicStep::g);
        SvfState& s = m_states[channel];
        const double v1 = (s.s1 + g * (x - s.s2)) / (1 + g * (g + value(&DynamicStep::k)));
        const double v2 = s.s2 + g * v1;
        s = {2 * v1 - s.s1, 2 * v2 - s.s2};
        return x + value(&DynamicStep::n0) * x + value(&DynamicStep::m1) * v1 + value(&DynamicStep::m2) * v2;
    }
    const DynamicBandDesign* m_design;
    std::array<BandLevel, 2> m_levels;
    std::array<SvfState, 2> m_states;
    double m_movedDb = 0;
};

/// Hits with tails, each of another loudness, over a quiet floor.
std::vector<float> drum(unsigned seed, double hz, std::size_t frames) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<double> any(0, 1);
    std::vector<float> x = test::noise(0.002, frames, seed);
    for (double at = 0.05 * any(random); at < static_cast<double>(frames) / kRate;
         at += 0.1 + 0.2 * any(random)) {
        const double loud = 0.05 + 0.9 * any(random);
        const auto from = static_cast<std::size_t>(at * kRate);
        for (std::size_t n = from; n < std::min(frames, from + 9600); ++n) {
            const double t = static_cast<double>(n - from) / kRate;
            x[n] += static_cast<float>(loud * std::exp(-t / 0.04) * std::sin(2 * kPi * hz * t));
        }
    }
    return x;
}

EqBand bandOf(int id, FilterKind kind, double hz, Dynamics dynamics, double rangeDb, double attackMs,
              double releaseMs) {
    EqBand band;
    band.id = id;
    band.kind = kind;
    band.frequencyHz = hz;
    band.q = kind == FilterKind::Bell ? 2 : 0.7;
    band.gainDb = id % 3 == 0 ? 2.5 : 0;
    band.dynamics = dynamics;
    band.thresholdDb = -28;
    band.rangeDb = rangeDb;
    band.attackMs = attackMs;
    band.releaseMs = releaseMs;
    return band;
}

/// Lanes 0, 1, 2 alone; 4 and 5, and 6 and 7, in pairs; lane 3 empty.
struct Case {
    int lane;
    std::vector<EqBand> bands;
};
std::vector<Case> cases() {
    using enum FilterKind;
    std::vector<Case> all{{0,
                           {bandOf(1, Bell, 60, Dynamics::Above, -12, 0.1, 40),
                            bandOf(2, HighShelf, 6000, Dynamics::Above, 9, 5, 120)}},
                          {1, {bandOf(3, LowShelf, 120, Dynamics::Below, -24, 20, 300)}},
                          {2,
                           {bandOf(4, HighShelf, 3000, Dynamics::Above, -18, 1, 4000),
                            bandOf(5, Bell, 400, Dynamics::Below, 6, 2, 60),
                            bandOf(6, Bell, 8000, Dynamics::Above, -3, 10, 80)}},
                          {4,
                           {bandOf(7, Bell, 200, Dynamics::Above, -10, 3, 90),
                            bandOf(8, Bell, 5000, Dynamics::Above, 8, 3, 90)}},
                          {6,
                           {bandOf(9, LowShelf, 100, Dynamics::Above, -9, 3, 90),
                            bandOf(10, HighShelf, 9000, Dynamics::Above, -6, 3, 90)}}};
    all[3].bands[1].part = StereoPart::Side;
    all[4].bands[0].part = StereoPart::Middle;
    return all;
}

TEST(DynamicLanes, FollowTheLawFrameByFrameOnEveryProcessor) {
    constexpr std::size_t kFrames = 96000;
    std::vector<std::vector<float>> sound;
    for (unsigned lane = 0; lane < kLanes; ++lane)
        sound.push_back(drum(lane + 1, 60 * std::pow(2, lane), kFrames));
    const auto all = cases();
    std::vector<DynamicBandDesigns> designs(all.size());
    for (std::size_t i = 0; i < all.size(); ++i)
        for (const auto& band : all[i].bands)
            designs[i].push_back(designDynamicBand(band, 100, true, kRate));
    for (const Kernels* k : allKernels()) {
        DynamicLanes lanes(kRate);
        for (std::size_t i = 0; i < all.size(); ++i)
            lanes.place(all[i].lane, all[i].lane < 4 ? 1 : 2, designs[i], true, 0);
        lanes.prepare();
        LaneBuffer io(kFrames * kLanes);
        for (std::size_t n = 0; n < kFrames; ++n)
            for (std::size_t l = 0; l < kLanes; ++l)
                io[n * kLanes + l] = sound[l][n];
        std::vector<std::vector<BandLaw>> laws(all.size());
        for (std::size_t i = 0; i < all.size(); ++i)
            for (const auto& design : designs[i])
                laws[i].emplace_back(design);
        double worstDb = 0;
        double worstSound = 0;
        double most = 0;
        for (std::size_t n = 0; n < kFrames; ++n) {
            lanes.processWith(*k, nullptr, io.data() + n * kLanes, 1);
            for (std::size_t i = 0; i < all.size(); ++i) {
                const auto lane = static_cast<std::size_t>(all[i].lane);
                std::vector<double> heard{sound[lane][n]};
                if (lane >= 4)
                    heard.push_back(sound[lane + 1][n]);
                auto x = heard;
                for (std::size_t b = 0; b < laws[i].size(); ++b) {
                    laws[i][b].next(heard, x);
                    const double moved = lanes.movedDb(all[i].bands[b].id);
                    worstDb = std::max(worstDb, std::abs(moved - laws[i][b].movedDb()));
                    most = std::max(most, std::abs(moved));
                }
                for (std::size_t c = 0; c < x.size(); ++c)
                    worstSound = std::max(worstSound, std::abs(io[n * kLanes + lane + c] - x[c]));
            }
            for (const std::size_t empty : {3U})
                ASSERT_EQ(io[n * kLanes + empty], sound[empty][n]) << n;
        }
        EXPECT_GT(most, 11.5) << "they moved";
        EXPECT_LT(worstDb, 0.01) << k->name;
        EXPECT_LT(worstSound, 1e-3) << k->name; // 0.01 dB of a sample of 0.9
    }
}

TEST(DynamicLanes, AnySplitOfTheFramesGivesTheSameBits) {
    // Over rest, movement and the way back, in pieces that begin anywhere; after a change as well.
    const auto x = drum(5, 400, 40000);
    const DynamicBandDesigns one{
        designDynamicBand(bandOf(1, FilterKind::Bell, 400, Dynamics::Above, -12, 1, 20), 100, true, kRate)};
    const DynamicBandDesigns two{
        designDynamicBand(bandOf(1, FilterKind::Bell, 600, Dynamics::Above, -6, 1, 20), 100, true, kRate)};
    for (const Kernels* k : allKernels()) {
        const auto run = [&](int piece) {
            DynamicLanes lanes(kRate);
            lanes.place(2, 1, one, true, 0);
            lanes.prepare();
            LaneBuffer io(x.size() * kLanes);
            for (std::size_t n = 0; n < x.size(); ++n)
                io[n * kLanes + 2] = x[n];
            const auto until = [&](int from, int end) {
                for (int n = from; n < end; n += piece)
                    lanes.processWith(*k, nullptr, io.data() + n * kLanes, std::min(piece, end - n));
            };
            until(0, 20011);
            lanes.set(2, two, true, 480);
            until(20011, static_cast<int>(x.size()));
            return io;
        };
        const auto whole = run(40000);
        for (const int piece : {1, 7, 64, 333})
            EXPECT_EQ(run(piece), whole) << k->name << " " << piece;
    }
}

TEST(DynamicLanes, TheSlowestReleaseArrives) {
    // At 192 kHz a frame of 4 s goes a millionth of the way: less than single precision adds to 1.
    auto band = bandOf(1, FilterKind::Bell, 8000, Dynamics::Above, -20, 1, 4000);
    band.gainDb = 0;
    const double rate = 192000;
    const DynamicBandDesigns designs{designDynamicBand(band, 100, true, rate)};
    DynamicLanes lanes(rate);
    lanes.place(0, 1, designs, true, 0);
    lanes.prepare();
    const auto play = [&](double amplitude, double seconds) {
        const auto x = test::sine(8000, amplitude, seconds, rate);
        LaneBuffer io(x.size() * kLanes);
        for (std::size_t n = 0; n < x.size(); ++n)
            io[n * kLanes] = x[n];
        lanes.process(nullptr, io.data(), static_cast<int>(x.size()));
    };
    play(dbToLinear(-8.5), 1); // moved by 19.5 dB
    const double from = lanes.movedDb(1);
    EXPECT_NEAR(from, -19.5, 0.05);
    play(dbToLinear(-9), 2); // half of the release, half a dB back
    const double expected = -19 + (from + 19) * std::exp(-0.5);
    EXPECT_NEAR(lanes.movedDb(1), expected, 0.01);
}

} // namespace
} // namespace cask::dsp
