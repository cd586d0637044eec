// Other values in sections of the song, as moments.
#pragma once

#include <algorithm>
#include <cmath>
#include <core/graph/moments.h>
#include <core/session/session.h>
#include <vector>

namespace cask::graph {

/// The values that hold from the start and the end of each section that has a change, by frame of the
/// session. `changed(base, change)`: the values in a section.
template <class Value, class Changed>
[[nodiscard]] std::vector<Moment<Value>> sectionMoments(const session::Session& s, const Value& base,
                                                        const std::vector<session::SectionChange>& changes,
                                                        const Changed& changed) {
    std::vector<Moment<Value>> moments;
    const auto frameAt = [&](double t) { return static_cast<Frames>(std::llround(t * s.sampleRateHz)); };
    for (const auto& section : s.sections)
        for (const auto& change : changes) {
            if (change.section != section.name)
                continue;
            const int glide = static_cast<int>(frameAt(0.001 * change.glideMs));
            // A section that begins where the last one ended takes over from it.
            if (!moments.empty() && moments.back().frame == frameAt(section.startS))
                moments.pop_back();
            moments.push_back({frameAt(section.startS), changed(base, change), glide});
            moments.push_back({frameAt(section.endS), base, glide});
        }
    // A foreign writer's sections may stand in any order.
    std::stable_sort(moments.begin(), moments.end(),
                     [](const auto& a, const auto& b) { return a.frame < b.frame; });
    return moments;
}

} // namespace cask::graph
