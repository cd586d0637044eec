// Its description: everything else follows from it.
#pragma once

#include <core/session/kind_of.h>
#include <tests/example_kind/settings.h>

namespace cask::session {

template <> struct KindOf<dsp::ExampleSettings> {
    using S = dsp::ExampleSettings;
    static constexpr std::string_view id = "example";
    static constexpr std::string_view words = "example";
    static constexpr Stage stage = Stage::Punch;
    static constexpr bool hearsKey = true;
    static constexpr ChainPlace place(int) { return ChainPlace::Dynamics; }
    static constexpr std::array fields = {
        gliding(
            number<&S::gainDb>("gain_db", "gain", Unit::Decibel, {-24, 24, 0}, 0.5, "Of the key's peaks.")),
        number<&S::lateMs>("late_ms", "late", Unit::Milliseconds, {0, 10, 0}, 0.1, "By so much."),
    };
};

} // namespace cask::session
