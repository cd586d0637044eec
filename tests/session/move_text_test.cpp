#include "core/session/move_text.h"

#include <gtest/gtest.h>

namespace cask::session {
namespace {

using dsp::FilterKind;

TEST(MoveText, OneLineSetsABand) {
    struct Case {
        const char* text;
        FilterKind kind;
        double hz, gainDb, q;
    };
    for (const auto& c :
         {Case{"60 3dB q1.2", FilterKind::Bell, 60, 3, 1.2},
          Case{"350 Hz, -4 dB, q 2", FilterKind::Bell, 350, -4, 2},
          Case{"-4dB 350hz", FilterKind::Bell, 350, -4, 1},
          Case{"q0.7 1.2k +2", FilterKind::Bell, 1200, 2, 0.7},
          Case{"250 -3 4", FilterKind::Bell, 250, -3, 4},
          Case{"high shelf 8k 2.5 dB", FilterKind::HighShelf, 8000, 2.5, 1},
          Case{"Low-Shelf 90 -2dB", FilterKind::LowShelf, 90, -2, 1},
          Case{"A1 2 dB", FilterKind::Bell, 55, 2, 1}, Case{"notch 417", FilterKind::Notch, 417, 0, 1}}) {
        const auto band = parseMove(c.text);
        ASSERT_TRUE(band) << c.text << ": " << band.error().message;
        EXPECT_EQ(band->kind, c.kind) << c.text;
        EXPECT_NEAR(band->frequencyHz, c.hz, 1e-9) << c.text;
        EXPECT_DOUBLE_EQ(band->gainDb, c.gainDb) << c.text;
        EXPECT_DOUBLE_EQ(band->q, c.q) << c.text;
    }
    const auto pass = parseMove("high-pass 80 36 dB/oct");
    ASSERT_TRUE(pass);
    EXPECT_EQ(pass->kind, FilterKind::HighPass);
    EXPECT_DOUBLE_EQ(pass->slopeDbPerOct, 36);
}

TEST(MoveText, WhatIsNotSaidStays) {
    dsp::EqBand base;
    base.id = 7;
    base.kind = FilterKind::HighShelf;
    base.frequencyHz = 5000;
    base.gainDb = 2;
    const auto band = parseMove("-1 dB", base);
    ASSERT_TRUE(band);
    EXPECT_EQ(band->id, 7);
    EXPECT_EQ(band->kind, FilterKind::HighShelf);
    EXPECT_DOUBLE_EQ(band->frequencyHz, 5000);
    EXPECT_DOUBLE_EQ(band->gainDb, -1);
}

TEST(MoveText, NonsenseIsSaidPlainly) {
    for (const char* text : {"", "loud", "350 -4 1 2", "350 Hz -90 dB", "q0", "3 5 dB dB", "99999 Hz"})
        EXPECT_FALSE(parseMove(text)) << text;
    EXPECT_NE(parseMove("350 -90 dB").error().message.find("-24"), std::string::npos);
}

} // namespace
} // namespace cask::session
