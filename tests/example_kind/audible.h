// Settings of it with which every value that glides is heard.
#pragma once

#include <core/session/session.h>

namespace cask::dsp { // found by its argument

inline void makeAudible(ExampleSettings& example, session::Session& /*session*/) {
    example.gainDb = 3;
}

} // namespace cask::dsp
