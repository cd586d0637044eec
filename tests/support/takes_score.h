// How well the program does on takes with a known truth: folders as docs/formats/takes.md describes them.
#pragma once

#include <filesystem>
#include <map>
#include <string>
#include <vector>

namespace cask::test {

struct Share {
    int right = 0;
    int of = 0;
    void add(bool isRight) {
        right += isRight ? 1 : 0;
        ++of;
    }
    [[nodiscard]] double share() const { return of > 0 ? static_cast<double>(right) / of : 1; }
};

/// Hits of one drum, or of all.
struct HitCounts {
    int found = 0; ///< within 10 ms, one to one
    int extra = 0;
    int missed = 0;
    int near = 0; ///< within 3 ms, of those that stand 3 dB clear of everything else
    int clear = 0;
    int others = 0; ///< extra ones that are strokes of another drum
    Share ghosts;
    [[nodiscard]] double f() const {
        return found + extra + missed > 0 ? 2.0 * found / (2 * found + extra + missed) : 1;
    }
    void add(const HitCounts& other);
};

struct TakesScore {
    HitCounts hits;
    std::map<std::string, HitCounts> drums; ///< "TAKE DRUM"
    /// Kick, snare, hat and tom of takes that are one mix, within 20 ms, ghosts left out.
    std::map<std::string, HitCounts> mixed;
    std::map<std::string, Share> faults;   ///< by kind
    std::vector<std::string> missedFaults; ///< "TAKE KIND FILE"
    std::vector<std::string> falseFaults;  ///< "TAKE FINDING"
    std::vector<int> findings;             ///< wanting action, by take
    std::vector<int> findingsOfSound;      ///< the same of takes with no fault
    Share kept, ghostsKept;                ///< own hits behind the proposed gates, within 3 dB over 20 ms
    std::vector<double> betweenDb;         ///< change of the sound between own hits, by gate
    [[nodiscard]] std::string text() const;
};

/// Every folder in `root` (or `root`/sessions) that has a truth.json. `gates`: also takes all proposed gates
/// and measures the rendered files, which needs most of the time. Throws std::runtime_error where a command
/// fails.
[[nodiscard]] TakesScore scoreTakes(const std::filesystem::path& root, bool gates);

} // namespace cask::test
