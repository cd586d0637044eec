// How a runner takes over from the one that played before.
#include "core/graph/glide.h"
#include "core/graph/runner.h"

#include <algorithm>

namespace cask::graph {
namespace {

using dsp::kLanes;

void captureGains(dsp::MixMatrix& m) {
    if (m.glideLeft == 0) {
        m.from = m.gain;
        return;
    }
    const float s =
        smooth(static_cast<float>(m.glideFrames - m.glideLeft) / static_cast<float>(m.glideFrames));
    for (std::size_t l = 0; l < kLanes; ++l)
        for (int t = 0; t < kLanes; ++t)
            m.from[l][t] += s * (m.gain[l][t] - m.from[l][t]);
}

} // namespace

void Runner::adopt(Runner& before) noexcept {
    if (hasSameLayout(before))
        adoptSameLayout(before);
    else
        adoptByKeys(before);
    m_notFiniteBlocks.store(before.notFiniteBlocks(), std::memory_order_relaxed);
}

void Runner::adoptSameLayout(Runner& before) noexcept {
    for (std::size_t g = 0; g < m_groups.size(); ++g) {
        GroupState& to = m_groups[g];
        GroupState& from = before.m_groups[g];
        bool gainMoves = false;
        for (int l = 0; l < kLanes; ++l) {
            const float target = from.gain[l];
            const float s = smooth(static_cast<float>(m_plan->glideFrames - from.gainGlideLeft) /
                                   static_cast<float>(m_plan->glideFrames));
            to.fromGain[l] =
                from.gainGlideLeft == 0 ? target : from.fromGain[l] + s * (target - from.fromGain[l]);
            gainMoves = gainMoves || to.fromGain[l] != to.gain[l];
        }
        to.gainGlideLeft = gainMoves ? m_plan->glideFrames : 0;
        for (std::size_t s = 0; s < to.steps.size(); ++s)
            to.steps[s]->takeOver(*from.steps[s]);
    }
    for (std::size_t i = 0; i < m_mixes.size(); ++i) {
        MixState& to = m_mixes[i];
        MixState& from = before.m_mixes[i];
        captureGains(from.matrix);
        bool moves = false;
        for (std::size_t l = 0; l < kLanes; ++l) {
            moves = moves || from.matrix.from[l].v != to.matrix.gain[l].v;
            to.matrix.isUsed[l] = to.matrix.isUsed[l] || from.matrix.isUsed[l];
        }
        to.matrix.from = from.matrix.from;
        to.matrix.glideLeft = moves ? m_plan->glideFrames : 0;
        if (to.delays && to.length == from.length) {
            std::swap(to.ring, from.ring);
            to.at = from.at;
        }
    }
}

void Runner::adoptByKeys(Runner& before) noexcept {
    auto old = before.m_places.begin();
    for (const auto& place : m_places) {
        while (old != before.m_places.end() && old->key < place.key)
            ++old;
        if (old == before.m_places.end())
            break;
        if (old->key != place.key)
            continue;
        const auto sectionAt = [](Runner& runner, const SectionPlace& at) -> dsp::SectionLanes& {
            return runner.m_groups[static_cast<std::size_t>(at.group)]
                .steps[static_cast<std::size_t>(at.step)]
                ->sections()
                .section(at.section);
        };
        const auto& from = sectionAt(before, *old);
        auto& to = sectionAt(*this, place);
        to.s1[place.lane] = from.s1[old->lane];
        to.s2[place.lane] = from.s2[old->lane];
    }
    for (auto& group : m_groups)
        for (auto& step : group.steps)
            for (const auto& oldGroup : before.m_groups)
                for (const auto& oldStep : oldGroup.steps)
                    step->copyModules(*oldStep);
}

} // namespace cask::graph
