// A made-up take as one stereo file.
#pragma once

#include <tests/support/random_take.h>

namespace cask::test {

/// Left and right. Each microphone at about the peak that its drum has in a mix, up to `spreadDb` off, by the
/// seed; toms and hats to their sides.
[[nodiscard]] std::vector<std::vector<float>> mixOf(const RandomTake& take, unsigned long long seed,
                                                    double spreadDb = 4);

} // namespace cask::test
