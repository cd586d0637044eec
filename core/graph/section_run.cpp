#include "core/graph/section_run.h"

#include <algorithm>

namespace cask::graph {
namespace {

using dsp::kLanes;

/// Whether its goals are not what sounds. REQUIRES: that was captured.
bool hasToMove(const dsp::SectionLanes& s) {
    return s.g.v != s.fromG.v || s.k.v != s.fromK.v || s.m0.v != s.fromM0.v || s.m1.v != s.fromM1.v ||
           s.m2.v != s.fromM2.v;
}

} // namespace

SectionRun::SectionRun(const StepPlan& plan, int glideFrames)
    : m_plan(&plan), m_bank(dsp::makeBank(static_cast<int>(plan.sections.size()))), m_clock(plan.moments) {
    m_bank.glideFrames = glideFrames;
    takeGoals(plan);
    settle(m_bank);
}

void SectionRun::takeGoals(const StepPlan& plan) noexcept {
    for (std::size_t s = 0; s < plan.sections.size(); ++s)
        for (int lane = 0; lane < kLanes; ++lane)
            setTarget(m_bank.sections[s], lane,
                      plan.sections[s][static_cast<std::size_t>(lane)].coefficients);
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

void SectionRun::retarget(const StepPlan& plan, int glideFrames) noexcept {
    m_plan = &plan;
    m_clock.follow(plan.moments);
    captureCurrent(m_bank);
    takeGoals(plan);
    for (const auto& moment : m_clock.settle(m_clock.expected()))
        setTarget(section(moment.section), moment.lane, moment.coefficients);
    if (std::any_of(m_bank.sections.begin(), m_bank.sections.end(), hasToMove))
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
