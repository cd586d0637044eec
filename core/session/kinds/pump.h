// The pump.
#pragma once

#include <fmt/format.h>

#include <core/dsp/pump_settings.h>
#include <core/session/kind_of.h>
#include <string>

namespace cask::session {

template <> struct KindOf<dsp::PumpSettings> {
    using S = dsp::PumpSettings;
    static constexpr std::string_view id = "pump"; // stored: do not change
    static constexpr std::string_view words = "pump";
    static constexpr Stage stage = Stage::Punch;
    static constexpr bool hearsKey = false;
    static constexpr ChainPlace place(int) { return ChainPlace::Shaping; }

    static std::string cell(const S& s) {
        return fmt::format("{:.1f} dB {}", s.depthDb, kNoteWords[static_cast<std::size_t>(s.note)]);
    }

    // In the order of PumpNote: do not change.
    static constexpr std::array<std::string_view, 7> kNotes = {
        "bar", "half", "quarter", "eighth", "sixteenth", "quarter_triplet", "eighth_triplet"};
    static constexpr std::array<std::string_view, 7> kNoteWords = {"bar",  "1/2",         "1/4",        "1/8",
                                                                   "1/16", "1/4 triplet", "1/8 triplet"};

    static constexpr std::array fields = {
        gliding(number<&S::depthDb>("depth_db", "depth", Unit::DecibelSpan, {0, 48, 6}, 0.5,
                                    "What the lowest point of the drawn gain is down by.")),
        withStandard(static_cast<int>(dsp::PumpNote::Quarter),
                     choice<&S::note>(
                         "note", "over", kNotes, kNoteWords,
                         "The note over which the gain is drawn, on the grid of the take, again and again.")),
        gliding(number<&S::smoothMs>("smooth_ms", "smoothing", Unit::Milliseconds, {0.5, 200, 8}, 0.05,
                                     "Over which a bend or a jump of the gain is spread.",
                                     Scale::Logarithmic)),
    };

    static constexpr std::string_view itemsId = "points"; // stored: do not change
    static constexpr bool isWholeWithoutItems = true;     // setting a value makes one
    template <class Pump> static constexpr auto& items(Pump& pump) { return pump.points; }
    static constexpr std::array itemFields = {
        gliding(number<&dsp::PumpPoint::placePercent>("place_percent", "place", Unit::Percent, {0, 100, 0}, 1,
                                                      "Place in the note.")),
        gliding(
            number<&dsp::PumpPoint::openPercent>("open_percent", "open", Unit::Percent, {0, 100, 0}, 1,
                                                 "At 0 % down by the whole depth, at 100 % open; straight "
                                                 "lines in dB lie between the points. Without points it "
                                                 "is down at the start of the note and open from 70 % "
                                                 "on. Eight points are heard at the most.")),
    };
    static constexpr bool isAlwaysTold(std::string_view /*field*/) { return true; }
};

} // namespace cask::session
