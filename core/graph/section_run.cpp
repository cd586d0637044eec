#include "core/graph/section_run.h"

#include <algorithm>

namespace cask::graph {
namespace {

using dsp::kLanes;

bool sameTargets(const dsp::SectionLanes& a, const dsp::SectionLanes& b) {
    return a.g.v == b.g.v && a.k.v == b.k.v && a.m0.v == b.m0.v && a.m1.v == b.m1.v && a.m2.v == b.m2.v;
}

} // namespace

SectionRun::SectionRun(const StepPlan& plan, int glideFrames)
    : m_plan(&plan), m_bank(dsp::makeBank(static_cast<int>(plan.sections.size()))), m_clock(plan.moments) {
    m_bank.glideFrames = glideFrames;
    for (std::size_t s = 0; s < plan.sections.size(); ++s)
        for (int lane = 0; lane < kLanes; ++lane)
            setTarget(m_bank.sections[s], lane,
                      plan.sections[s][static_cast<std::size_t>(lane)].coefficients);
    settle(m_bank);
}

void SectionRun::takeGoalsAt(Frames frame) noexcept {
    // Only lanes that have moments ever leave what they were given.
    for (const auto& moment : m_plan->moments)
        setTarget(
            section(moment.section), moment.lane,
            m_plan->sections[static_cast<std::size_t>(moment.section)][static_cast<std::size_t>(moment.lane)]
                .coefficients);
    for (const auto& moment : m_clock.settle(frame))
        setTarget(section(moment.section), moment.lane, moment.coefficients);
}

void SectionRun::takeMoments(Frames frame) noexcept {
    // One glide serves all lanes: it is as long as the longest that is under way.
    int glide = 0;
    bool moves = false;
    while (const auto* moment = m_clock.take(frame)) {
        if (!moves) {
            glide = m_bank.glideLeft;
            captureCurrent(m_bank);
            moves = true;
        }
        setTarget(section(moment->section), moment->lane, moment->coefficients);
        glide = std::max({glide, moment->glideFrames, 1});
    }
    if (moves)
        beginGlide(m_bank, glide);
}

void SectionRun::takeOver(SectionRun& before, int glideFrames) noexcept {
    takeGoalsAt(before.m_clock.expected());
    bool moves = before.m_bank.glideLeft > 0;
    captureCurrent(before.m_bank);
    for (std::size_t i = 0; i < m_bank.sections.size(); ++i) {
        auto& a = m_bank.sections[i];
        const auto& b = before.m_bank.sections[i];
        moves = moves || !sameTargets(a, b);
        a.fromG = b.fromG;
        a.fromK = b.fromK;
        a.fromM0 = b.fromM0;
        a.fromM1 = b.fromM1;
        a.fromM2 = b.fromM2;
        a.s1 = b.s1;
        a.s2 = b.s2;
    }
    if (moves)
        beginGlide(m_bank, glideFrames);
    else
        settle(m_bank);
}

void SectionRun::reset() noexcept {
    for (auto& section : m_bank.sections) {
        section.s1 = {};
        section.s2 = {};
    }
    settle(m_bank);
    m_clock.forget();
}

void SectionRun::process(const dsp::Kernels& kernels, float* io, Frames start, int frames) noexcept {
    if (m_clock.isJump(start) && !m_plan->moments.empty()) {
        takeGoalsAt(start);
        settle(m_bank);
    }
    for (int done = 0; done < frames;) {
        takeMoments(start + done);
        const int n = m_clock.untilNext(start + done, frames - done);
        kernels.filter(m_bank, io + static_cast<std::ptrdiff_t>(done) * kLanes, n);
        done += n;
    }
    m_clock.standAt(start + frames);
}

} // namespace cask::graph
