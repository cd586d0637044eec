#include "core/base/units.h"
#include "core/measure/tone/tone_shape.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::measure {
namespace {

/// Points of which each has the level that the function gives for its frequency.
template <class F> Spectrum spectrumOf(F levelAt) {
    Spectrum s;
    for (int i = 0; i < kSpectrumPoints; ++i)
        s.bandDb.push_back(static_cast<float>(levelAt(Spectrum::pointHz(i))));
    return s;
}

TEST(ToneShape, ThirdsAreThoseOfTheStandard) {
    EXPECT_NEAR(thirdHz(0), 39.37, 0.01);
    EXPECT_DOUBLE_EQ(thirdHz(14), 1000);
    EXPECT_NEAR(thirdHz(kThirds - 1), 16000, 1e-6);
}

TEST(ToneShape, KeepsSlopesAndForgetsTheLevel) {
    for (const double level : {-80.0, -20.0}) {
        const auto shape = shapeOf(spectrumOf([&](double hz) { return level - 6 * std::log2(hz / 1000); }));
        ASSERT_TRUE(shape);
        EXPECT_NEAR((*shape)[13], 0, 0.05) << "the middle third of 27";
        for (std::size_t i = 1; i < kThirds; ++i)
            EXPECT_NEAR((*shape)[i] - (*shape)[i - 1], -2, 0.15) << "6 dB an octave";
    }
    EXPECT_FALSE(shapeOf({}));
}

TEST(ToneShape, ARangeHoldsItsShapesAndCastsOutTheOdd) {
    std::vector<ToneShape> shapes(3);
    for (std::size_t n = 0; n < 3; ++n)
        shapes[n].fill(5.0F * static_cast<float>(n));
    const auto few = rangeOf(shapes);
    EXPECT_FLOAT_EQ(few.fromDb[7], 0);
    EXPECT_FLOAT_EQ(few.toDb[7], 10);
    // One alone still has some room.
    const auto one = rangeOf(std::span(shapes).first(1));
    EXPECT_FLOAT_EQ(one.fromDb[0], -3);
    EXPECT_FLOAT_EQ(one.toDb[0], 3);
    // Of 21, evenly spread from 0 to 20 dB, two are cast out at each end.
    shapes.resize(21);
    for (std::size_t n = 0; n < shapes.size(); ++n)
        shapes[n].fill(static_cast<float>(n));
    const auto many = rangeOf(shapes);
    EXPECT_FLOAT_EQ(many.fromDb[3], 2);
    EXPECT_FLOAT_EQ(many.toDb[3], 18);
}

class OutOfRangeTest : public testing::Test {
  protected:
    OutOfRangeTest() {
        m_range.fromDb.fill(-4);
        m_range.toDb.fill(4);
    }
    ToneRange m_range;
    ToneShape m_shape{};
};

TEST_F(OutOfRangeTest, LevelAloneIsNone) {
    m_shape.fill(30);
    EXPECT_DOUBLE_EQ(offsetDb(m_shape, m_range), 30);
    EXPECT_TRUE(outOfRange(m_shape, m_range, 1).empty());
}

TEST_F(OutOfRangeTest, AStretchIsFoundWithItsExcess) {
    for (std::size_t i = 8; i < 12; ++i)
        m_shape[i] = 9;
    for (std::size_t i = 18; i < 21; ++i)
        m_shape[i] = -8;
    const auto found = outOfRange(m_shape, m_range, 3);
    ASSERT_EQ(found.size(), 2U);
    EXPECT_NEAR(found[0].excessDb, 5, 1e-5) << "worst first";
    EXPECT_NEAR(found[0].fromHz, thirdHz(8) / std::exp2(1.0 / 6), 1e-6);
    EXPECT_NEAR(found[0].toHz, thirdHz(11) * std::exp2(1.0 / 6), 1e-6);
    EXPECT_NEAR(found[1].excessDb, -4, 1e-5);
    EXPECT_TRUE(outOfRange(m_shape, m_range, 5.5).empty());
    // Nothing is missed below the drum's note, but too much is too much anywhere.
    EXPECT_EQ(outOfRange(m_shape, m_range, 3, thirdHz(21)).size(), 1U);
    EXPECT_GT(outOfRange(m_shape, m_range, 3, thirdHz(21))[0].excessDb, 0);
}

TEST_F(OutOfRangeTest, ANarrowPeakAndWhatIsNotHeardAreNone) {
    m_shape[8] = m_shape[9] = 20; // two thirds of an octave
    EXPECT_TRUE(outOfRange(m_shape, m_range, 1).empty());
    // Far under the loudest it does not matter how soft it is, as long as softness is usual there.
    m_shape[8] = m_shape[9] = 50;
    for (std::size_t i = 20; i < 27; ++i)
        m_shape[i] = -30;
    auto quiet = m_range;
    for (std::size_t i = 20; i < 27; ++i) {
        quiet.fromDb[i] = -20;
        quiet.toDb[i] = -12;
    }
    EXPECT_TRUE(outOfRange(m_shape, quiet, 1).empty());
    for (std::size_t i = 20; i < 27; ++i) // but where it usually is heard, it is missed
        quiet.toDb[i] = 12;
    EXPECT_FALSE(outOfRange(m_shape, quiet, 1).empty());
}

} // namespace
} // namespace cask::measure
