// A kind of module that exists only in a test program: what a person would set.
#pragma once

namespace cask::dsp {

struct ExampleSettings {
    double gainDb = 0;
    double lateMs = 0; ///< the sound comes later by so much
    friend bool operator==(const ExampleSettings&, const ExampleSettings&) = default;
};

} // namespace cask::dsp
