// First half of compiling: who is late by how much.
#pragma once

#include <core/session/session.h>
#include <map>
#include <vector>

namespace cask::graph {

using session::Id;

/// Frames around a module.
struct ModuleTiming {
    int before = 0;   ///< by which the sound is late where it enters
    int wait = 0;     ///< that the sound must wait for a key that comes later still
    int keyDelay = 0; ///< that the sound of a bus or chain must wait as its key
};

/// Frames by which everything is late against the session's time.
struct Latencies {
    std::map<Id, int> input;  ///< of elements and buses
    std::map<Id, int> output; ///< after their chains
    std::map<Id, ModuleTiming> modules;
    int whole = 0; ///< of what is latest
};

/// Whether a module listens to a bus or to an element after its chain: it must wait for that.
[[nodiscard]] bool listensToChain(const session::Session& session, const session::Module& module);

/// `order`: elements and buses, each after those it waits for (session::nodeOrder).
[[nodiscard]] Latencies findLatencies(const session::Session& session, const std::vector<Id>& order,
                                      double sampleRateHz);

/// By element and bus: groups of this level wait only for lower ones. Elements that wait for nothing are 0.
[[nodiscard]] std::map<Id, int> findLevels(const session::Session& session, const std::vector<Id>& order);

} // namespace cask::graph
