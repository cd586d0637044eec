// How many inputs of a fuzzer were accepted: one that refuses everything finds nothing.
#pragma once

#include <cstdio>
#include <cstdlib>

namespace cask::fuzz {

inline long g_inputs = 0;
inline long g_accepted = 0;

/// Counts an input; tells the share when the program ends.
inline void count(bool isAccepted) {
    if (g_inputs++ == 0)
        std::atexit([] {
            std::fprintf(stderr, "inputs %ld, accepted %ld (%.1f %%)\n", g_inputs, g_accepted,
                         100.0 * static_cast<double>(g_accepted) / static_cast<double>(g_inputs));
        });
    g_accepted += isAccepted ? 1 : 0;
}

} // namespace cask::fuzz
