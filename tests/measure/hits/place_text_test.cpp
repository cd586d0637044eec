// Bars, beats and times as they are typed.
#include "core/measure/hits/place_text.h"

#include <gtest/gtest.h>

namespace cask::measure {
namespace {

Tempo steadyTempo() {
    Tempo tempo;
    tempo.isKnown = true;
    tempo.bpm = 120;
    tempo.beatsPerBar = 4;
    for (int beat = 0; beat < 64; ++beat)
        tempo.beatsS.push_back(0.25 + 0.5 * beat);
    tempo.firstBarS = 0.25;
    return tempo;
}

TEST(PlaceText, BarsAndBeatsCountFromOne) {
    const auto tempo = steadyTempo();
    EXPECT_NEAR(*parsePlace("1", tempo), 0.25, 1e-9);
    EXPECT_NEAR(*parsePlace("3", tempo), 0.25 + 4, 1e-9);
    EXPECT_NEAR(*parsePlace(" 3.4 ", tempo), 0.25 + 4 + 1.5, 1e-9);
    EXPECT_NEAR(*parsePlace("3,4", tempo), 0.25 + 4 + 1.5, 1e-9);
    EXPECT_NEAR(*parsePlace("101", tempo), 0.25 + 200, 1e-6) << "past the last beat";
    EXPECT_EQ(placeText(5.75, tempo), "bar 3, beat 4");
    EXPECT_EQ(placeText(0.1, tempo), "0:00.1") << "before the first bar";
}

TEST(PlaceText, TimesNeedNoTempo) {
    EXPECT_NEAR(*parsePlace("1:23.5", {}), 83.5, 1e-9);
    EXPECT_NEAR(*parsePlace("83.5 s", {}), 83.5, 1e-9);
    EXPECT_NEAR(*parsePlace("0:00", {}), 0, 1e-9);
    EXPECT_EQ(placeText(83.5, {}), "1:23.5");
    const auto bar = parsePlace("12", {});
    ASSERT_FALSE(bar);
    EXPECT_NE(bar.error().message.find("tempo is not known"), std::string::npos);
}

TEST(PlaceText, WhatIsNoPlaceSaysWhatIs) {
    const auto tempo = steadyTempo();
    for (const char* typed :
         {"", "x", "0", "-3", "1.0", "3.5.1", "1:75", "1:2:3", "1e9:00", "1.x", "nan", "inf s", ":"}) {
        const auto place = parsePlace(typed, tempo);
        ASSERT_FALSE(place) << typed;
        EXPECT_NE(place.error().message.find(typed), std::string::npos);
    }
    EXPECT_EQ(parsePlace("3.5", tempo).error().message, "A bar has 4 beats here; there is no beat 5.");
}

} // namespace
} // namespace cask::measure
