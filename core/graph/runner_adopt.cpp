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

/// Lanes with any gain, now or soon.
void noteUsed(dsp::MixMatrix& matrix) {
    const auto isSounding = [](float gain) { return gain != 0; };
    for (std::size_t l = 0; l < kLanes; ++l)
        matrix.isUsed[l] = std::any_of(matrix.gain[l].v.begin(), matrix.gain[l].v.end(), isSounding) ||
                           std::any_of(matrix.from[l].v.begin(), matrix.from[l].v.end(), isSounding);
}

} // namespace

void Runner::takeGains(dsp::MixMatrix& matrix, const MixPlan& plan) noexcept {
    for (std::size_t l = 0; l < kLanes; ++l)
        std::copy(plan.gain[l].begin(), plan.gain[l].end(), matrix.gain[l].v.begin());
    noteUsed(matrix);
}

void Runner::settleMix(MixState& mix, const MixPlan& plan, Frames frame) noexcept {
    takeGains(mix.matrix, plan);
    for (const auto& moment : mix.clock.settle(frame))
        mix.matrix.gain[static_cast<std::size_t>(moment.source)][moment.target] = moment.gain;
    noteUsed(mix.matrix);
}

void Runner::takeMoments(MixState& mix, Frames frame) noexcept {
    // One glide serves all lanes: it is as long as the longest that is under way.
    int glide = 0;
    while (const auto* moment = mix.clock.take(frame)) {
        if (glide == 0) {
            glide = std::max(1, mix.matrix.glideLeft);
            captureGains(mix.matrix);
        }
        mix.matrix.gain[static_cast<std::size_t>(moment->source)][moment->target] = moment->gain;
        glide = std::max(glide, moment->glideFrames);
    }
    if (glide == 0)
        return;
    mix.matrix.glideFrames = mix.matrix.glideLeft = glide;
    noteUsed(mix.matrix);
}

void Runner::adopt(Runner& before) noexcept {
    if (hasSameLayout(before)) {
        std::swap(m_groups, before.m_groups);
        std::swap(m_mixes, before.m_mixes);
        std::swap(m_plan, before.m_plan);
        retarget(before.m_plan);
    } else {
        adoptByKeys(before);
    }
    m_notFiniteBlocks.store(before.notFiniteBlocks(), std::memory_order_relaxed);
}

void Runner::retarget(std::shared_ptr<const Plan>& plan) noexcept {
    m_plan.swap(plan);
    const int glide = m_plan->glideFrames;
    for (std::size_t g = 0; g < m_groups.size(); ++g) {
        GroupState& group = m_groups[g];
        const GroupPlan& to = m_plan->groups[g];
        const float share =
            smooth(static_cast<float>(glide - group.gainGlideLeft) / static_cast<float>(glide));
        bool moves = false;
        for (int l = 0; l < kLanes; ++l) {
            float& from = group.fromGain[l];
            from = group.gainGlideLeft == 0 ? group.gain[l] : from + share * (group.gain[l] - from);
            group.gain[l] = to.inputs[static_cast<std::size_t>(l)].gain;
            moves = moves || from != group.gain[l];
        }
        group.gainGlideLeft = moves ? glide : 0;
        for (std::size_t s = 0; s < group.steps.size(); ++s)
            group.steps[s]->retarget(to.steps[s]);
    }
    for (std::size_t i = 0; i < m_mixes.size(); ++i) {
        MixState& mix = m_mixes[i];
        dsp::MixMatrix& matrix = mix.matrix;
        captureGains(matrix);
        mix.clock.follow(m_plan->mixes[i].moments);
        settleMix(mix, m_plan->mixes[i], mix.clock.expected());
        const bool moves = !std::equal(matrix.from.begin(), matrix.from.end(), matrix.gain.begin(),
                                       [](const auto& a, const auto& b) { return a.v == b.v; });
        matrix.glideFrames = glide;
        matrix.glideLeft = moves ? glide : 0;
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
