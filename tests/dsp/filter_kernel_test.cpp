// The filter kernel on every instruction set this machine has.
#include "core/base/units.h"
#include "core/dsp/eq_design.h"
#include "core/dsp/kernels.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::dsp {
namespace {

class FilterKernel : public testing::TestWithParam<const Kernels*> {
  protected:
    /// A bank with different bands in every lane.
    static SectionBank bankOf(const std::vector<EqBand>& bands, double rate) {
        std::size_t most = 0;
        std::vector<std::vector<SvfCoefficients>> lanes;
        for (const auto& band : bands) {
            lanes.push_back(designBand(band, rate));
            most = std::max(most, lanes.back().size());
        }
        auto bank = makeBank(static_cast<int>(most));
        for (std::size_t lane = 0; lane < lanes.size(); ++lane)
            for (std::size_t s = 0; s < lanes[lane].size(); ++s)
                setTarget(bank.sections[s], static_cast<int>(lane), lanes[lane][s]);
        settle(bank);
        return bank;
    }
    static LaneBuffer spread(const std::vector<float>& x) {
        LaneBuffer io(x.size() * kLanes);
        for (std::size_t n = 0; n < x.size(); ++n)
            for (std::size_t lane = 0; lane < kLanes; ++lane)
                io[n * kLanes + lane] = x[n];
        return io;
    }
    const Kernels& m_kernels = *GetParam();
};

const std::vector<EqBand> kEightBands = {
    {1, FilterKind::HighPass, true, 40, 0, 1, 48},    {2, FilterKind::Bell, true, 417, -9, 6, 24},
    {3, FilterKind::LowShelf, true, 120, 6, 0.7, 24}, {4, FilterKind::HighShelf, true, 7000, 5, 0.7, 24},
    {5, FilterKind::LowPass, true, 9000, 0, 1, 18},   {6, FilterKind::Notch, true, 1000, 0, 8, 24},
    {7, FilterKind::Bell, true, 12000, 12, 0.5, 24},  {8, FilterKind::Bell, false, 100, 12, 1, 24}};

TEST_P(FilterKernel, MeasuredResponseIsTheDrawnCurveWithin0_05Db) {
    const double rate = 48000;
    auto bank = bankOf(kEightBands, rate);
    std::vector<float> impulse(65536, 0);
    impulse[0] = 1;
    auto io = spread(impulse);
    m_kernels.filter(bank, io.data(), static_cast<int>(impulse.size()));
    for (std::size_t lane = 0; lane < kLanes; ++lane) {
        for (const double hz : {30.0, 60.0, 100.0, 300.0, 420.0, 2000.0, 8000.0, 16000.0}) {
            const double drawn = responseDb({{kEightBands[lane]}}, hz, rate);
            if (drawn < -60)
                continue;
            const double measured = linearToDb(
                test::amplitudeAt(std::span<const float>(io).subspan(lane), hz, rate, kLanes) * 65536 / 2);
            EXPECT_NEAR(measured, drawn, 0.05) << "lane " << lane << " at " << hz;
        }
    }
}

TEST_P(FilterKernel, OddPiecesGiveTheSameBits) {
    const auto x = test::noise(0.5, 5000, 11);
    auto whole = spread(x);
    auto pieces = whole;
    auto a = bankOf(kEightBands, 48000);
    auto b = a;
    for (auto* bank : {&a, &b}) { // in the middle of a glide as well
        setTarget(bank->sections[0], 1, designBand({2, FilterKind::Bell, true, 800, 9, 2, 24}, 48000)[0]);
        beginGlide(*bank, 960);
    }
    m_kernels.filter(a, whole.data(), 5000);
    for (int at = 0, n = 1; at < 5000; at += n, n = n * 3 % 701 + 1) {
        n = std::min(n, 5000 - at);
        m_kernels.filter(b, pieces.data() + at * kLanes, n);
    }
    EXPECT_EQ(whole, pieces);
}

/// However many work at once: pieces as long as one call of the player, and shorter than the cascade.
TEST_P(FilterKernel, ACascadeIsItsSectionsOneAfterTheOther) {
    const auto x = test::noise(0.5, 900, 12);
    for (int count = 1; count <= 9; ++count) {
        auto together = makeBank(count);
        std::vector<SectionBank> alone;
        for (int s = 0; s < count; ++s) {
            for (int lane = 0; lane < kLanes; ++lane)
                setTarget(together.sections[static_cast<std::size_t>(s)], lane,
                          designBand({1, FilterKind::Bell, true, 60.0 * (s + 1) + 900 * lane,
                                      3.0 - 2 * ((s + lane) % 4), 0.7 + s, 24},
                                     48000)[0]);
            alone.push_back(makeBank(1));
            alone.back().sections[0] = together.sections[static_cast<std::size_t>(s)];
            settle(alone.back());
        }
        settle(together);
        auto a = spread(x);
        auto b = a;
        for (int at = 0, n = 3; at < 900; at += n, n = n == 3 ? 128 : n == 128 ? 33 : 3) {
            n = std::min(n, 900 - at);
            m_kernels.filter(together, a.data() + at * kLanes, n);
        }
        for (auto& bank : alone)
            m_kernels.filter(bank, b.data(), 900);
        EXPECT_EQ(a, b) << count << " sections";
    }
}

TEST_P(FilterKernel, PassesAnUnusedLaneBitForBit) {
    const auto x = test::noise(0.5, 2000, 12);
    auto io = spread(x);
    auto bank =
        bankOf({kEightBands[0], kEightBands[7]}, 48000); // lane 1 off, lanes 2 to 7 without any filter
    m_kernels.filter(bank, io.data(), 2000);
    for (std::size_t n = 0; n < x.size(); ++n)
        for (std::size_t lane = 1; lane < kLanes; ++lane)
            ASSERT_EQ(io[n * kLanes + lane], x[n]);
}

TEST_P(FilterKernel, StaysWithinNoiseOfDoubleAtLowCornersAndHighRates) {
    // The state-variable form in double as the reference, at the hardest place: 20 Hz at 192 kHz.
    const double rate = 192000;
    const EqBand band{1, FilterKind::HighPass, true, 20, 0, 1, 24};
    const auto x = test::sine(100, 0.5, 2, rate);
    auto io = spread(x);
    auto bank = bankOf({band}, rate);
    m_kernels.filter(bank, io.data(), static_cast<int>(x.size()));
    std::vector<double> reference(x.begin(), x.end());
    for (const auto& c : designBand(band, rate)) {
        double s1 = 0;
        double s2 = 0;
        const double a1 = 1 / (1 + c.g * (c.g + c.k));
        for (double& v : reference) {
            const double v3 = v - s2;
            const double v1 = a1 * s1 + c.g * a1 * v3;
            const double v2 = s2 + c.g * a1 * s1 + c.g * c.g * a1 * v3;
            s1 = 2 * v1 - s1;
            s2 = 2 * v2 - s2;
            v = c.m0 * v + c.m1 * v1 + c.m2 * v2;
        }
    }
    double sum = 0;
    for (std::size_t n = 0; n < x.size(); ++n)
        sum += std::pow(io[n * kLanes] - reference[n], 2);
    const double db = 10 * std::log10(sum / static_cast<double>(x.size()) / 0.125);
    printf("%s: error against double %.1f dB\n", m_kernels.name, db);
    EXPECT_LT(db, -90);
}

TEST_P(FilterKernel, DraggingLeavesNoClickAbove80DbUnderTheTone) {
    // A bell dragged by 12 dB and an octave in steps of 16 ms under a 1 kHz tone: what is more than an octave
    // from the tone and its sidebands of the drag must stay 80 dB under it.
    const double rate = 48000;
    const auto x = test::sine(1000, 0.5, 2, rate);
    auto io = spread(x);
    auto bank = bankOf({{1, FilterKind::Bell, true, 1000, 0, 1, 24}}, rate);
    const int step = 768;
    for (int at = 0, i = 0; at < static_cast<int>(x.size()); at += step, ++i) {
        if (i > 20 && i < 60) {
            const double share = (i - 20) / 40.0;
            captureCurrent(bank);
            setTarget(bank.sections[0], 0,
                      designBand({1, FilterKind::Bell, true, 1000 * std::pow(2, share), 12 * share, 1, 24},
                                 rate)[0]);
            beginGlide(bank, 960);
        }
        m_kernels.filter(bank, io.data() + at * kLanes, std::min(step, static_cast<int>(x.size()) - at));
    }
    // Windowed spectrum of the drag: Blackman-Harris, so that the tone itself does not leak.
    const int size = 65536;
    std::vector<float> windowed(size);
    for (int n = 0; n < size; ++n) {
        const double p = 2 * kPi * n / size;
        const double w =
            0.35875 - 0.48829 * std::cos(p) + 0.14128 * std::cos(2 * p) - 0.01168 * std::cos(3 * p);
        windowed[static_cast<std::size_t>(n)] =
            static_cast<float>(w * io[static_cast<std::size_t>((n + 14000) * kLanes)]);
    }
    const double tone = test::amplitudeAt(windowed, 1000, rate);
    double residual = 0;
    for (double hz = 2500; hz < 20000; hz += 187.3)
        residual = std::max(residual, test::amplitudeAt(windowed, hz, rate));
    const double db = 20 * std::log10(residual / tone);
    printf("%s: residual of a drag %.1f dB\n", m_kernels.name, db);
    EXPECT_LT(db, -80);
}

TEST_P(FilterKernel, SilenceStaysSilentAndDecaysWithoutDenormals) {
    const DenormalGuard flush;
    std::vector<float> x(200000, 0);
    x[0] = 1;
    auto io = spread(x);
    auto bank = bankOf(kEightBands, 48000);
    m_kernels.filter(bank, io.data(), 200000);
    for (std::size_t i = io.size() - 800; i < io.size(); ++i)
        ASSERT_TRUE(io[i] == 0 || std::abs(io[i]) >= std::numeric_limits<float>::min());
}

TEST_P(FilterKernel, LevelsOfBandsAreThoseOfEightFilteredCopies) {
    auto apart = bankOf(kEightBands, 48000);
    apart.sections.resize(kBandSections, makeBank(1).sections.front());
    auto bank = apart;
    const auto x = test::noise(1, 700, 5);
    // Runs of all lengths around four, of which four are taken side by side.
    const std::vector<int> runs = {12, 11, 1, 2, 3, 4, 5, 6, 7, 300, 13};
    auto io = spread(x);
    m_kernels.filter(apart, io.data(), static_cast<int>(x.size()));
    std::vector<LaneLevels> levels(runs.size());
    m_kernels.levelsOfBands(bank, x.data(), runs, levels.data());
    int at = 0;
    for (std::size_t r = 0; r < runs.size(); ++r) {
        LaneLevels wanted;
        m_kernels.levels(io.data() + at * kLanes, runs[r], wanted);
        EXPECT_EQ(levels[r].peak.v, wanted.peak.v) << "run " << r;
        EXPECT_EQ(levels[r].sumSquares.v, wanted.sumSquares.v) << "run " << r;
        EXPECT_GT(wanted.peak[0], 0);
        at += runs[r];
    }
    // Where it stopped, it goes on.
    const std::array rest = {700 - at};
    m_kernels.levelsOfBands(bank, x.data() + at, rest, levels.data());
    LaneLevels wanted;
    m_kernels.levels(io.data() + at * kLanes, rest.front(), wanted);
    EXPECT_EQ(levels.front().sumSquares.v, wanted.sumSquares.v);
}

TEST_P(FilterKernel, LevelsOfAGainAreThoseOfTheSoundItMakes) {
    constexpr int kFrames = 45;
    const auto sound = test::noise(1, kFrames * kLanes, 6);
    std::vector<float> gain(sound.size());
    for (std::size_t i = 0; i < gain.size(); ++i) // another least and greatest in each lane
        gain[i] = 0.1F + 0.01F * static_cast<float>((i * 37) % 101) + 0.3F * static_cast<float>(i % kLanes);
    GainLevels levels;
    m_kernels.gainLevels(sound.data(), gain.data(), 0.25F, 1.5F, kFrames, levels);
    for (std::size_t lane = 0; lane < kLanes; ++lane) {
        double peak = 0;
        double squares = 0;
        double before = 0;
        float least = 1e9F;
        float most = 0;
        for (std::size_t i = lane; i < sound.size(); i += kLanes) {
            const double out = static_cast<double>(sound[i]) * (0.25 + 1.5 * static_cast<double>(gain[i]));
            peak = std::max(peak, std::abs(out));
            squares += out * out;
            before += static_cast<double>(sound[i]) * static_cast<double>(sound[i]);
            least = std::min(least, gain[i]);
            most = std::max(most, gain[i]);
        }
        EXPECT_NEAR(levels.after.peak.v[lane], peak, 1e-5 * peak);
        EXPECT_NEAR(levels.after.sumSquares.v[lane], squares, 1e-5 * squares);
        EXPECT_NEAR(levels.before.sumSquares.v[lane], before, 1e-5 * before);
        EXPECT_EQ(levels.least.v[lane], least);
        EXPECT_EQ(levels.most.v[lane], most);
    }
}

INSTANTIATE_TEST_SUITE_P(Sets, FilterKernel, testing::ValuesIn(allKernels().begin(), allKernels().end()),
                         [](const auto& tested) { return std::string(tested.param->name); });

} // namespace
} // namespace cask::dsp
