#include "engine/transport/player.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace cask::engine {
namespace {

float raisedCosine(float t) {
    return 0.5F - 0.5F * std::cos(static_cast<float>(kPi) * t);
}

} // namespace

Player::Player(double sampleRateHz)
    : m_sampleRateHz(sampleRateHz), m_fadeFrames(static_cast<int>(std::lround(0.010 * sampleRateHz))),
      m_startFrames(static_cast<int>(std::lround(0.040 * sampleRateHz))),
      m_jumpFrames(static_cast<int>(std::lround(0.005 * sampleRateHz))), m_commands(1024), m_garbage(1024),
      m_mixTap(4096), m_strokes(256), m_heardStrokes(4096), m_liveGarbage(64), m_chainGarbage(256),
      m_live(sampleRateHz) {
    m_ceiling.prepare(sampleRateHz);
    m_ceiling.set({-1, 80});
}

Player::~Player() {
    // REQUIRES: no device calls fill() any more.
    Command command;
    while (m_commands.tryDequeue(command)) {
        delete command.plan;
        delete command.live;
        delete command.chain;
    }
    collectGarbage();
    m_live.clear();
    delete m_current;
    delete m_coming;
    delete m_waiting;
}

void Player::setPlan(std::unique_ptr<PlayerPlan> plan) {
    m_commands.enqueue({Command::Kind::Plan, plan.release(), 0, 0, 0, 0});
}
void Player::play() {
    m_commands.enqueue({Command::Kind::Play, nullptr, 0, 0, 0, 0});
}
void Player::stop() {
    m_commands.enqueue({Command::Kind::Stop, nullptr, 0, 0, 0, 0});
}
void Player::locate(Frames frame) {
    m_commands.enqueue({Command::Kind::Locate, nullptr, std::max<Frames>(0, frame), 0, 0, 0});
}
void Player::setLoop(Frames start, Frames end) {
    m_commands.enqueue({Command::Kind::Loop, nullptr, start, end, 0, 0});
}
void Player::setMonitor(double levelDb, double ceilingDb, bool isMono, bool isSwapped) {
    m_commands.enqueue({Command::Kind::Monitor, nullptr, isMono ? 1 : 0, isSwapped ? 1 : 0,
                        static_cast<float>(dbToLinear(levelDb)), static_cast<float>(ceilingDb)});
}

void Player::collectGarbage() {
    LiveSetup* live = nullptr;
    while (m_liveGarbage.tryDequeue(live))
        delete live;
    LiveChain* chain = nullptr;
    while (m_chainGarbage.tryDequeue(chain))
        delete chain;
    PlayerPlan* plan = nullptr;
    while (m_garbage.tryDequeue(plan))
        delete plan;
}

void Player::retire(PlayerPlan*& plan) noexcept {
    // The queue was made larger than the plans that can be under way between two collections; were it ever
    // full, the plan would leak rather than be freed here.
    if (plan != nullptr)
        (void)m_garbage.tryEnqueue(plan);
    plan = nullptr;
}

void Player::glideGain(float to) noexcept {
    const float share = static_cast<float>(m_gainLeft) / static_cast<float>(m_fadeFrames);
    m_gainFrom = m_current->gain + share * (m_gainFrom - m_current->gain);
    m_gainLeft = m_runs && m_gainFrom != to ? m_fadeFrames : 0;
}

/// The newest plan gets them: one that waits, one that is faded to, or the one that plays.
void Player::takeTargets(PlayerPlan* plan) noexcept {
    if (m_waiting != nullptr) {
        m_waiting->runner->retarget(plan->targets);
        m_waiting->gain = plan->gain;
    } else if (m_coming != nullptr) {
        m_coming->runner->retarget(plan->targets);
        m_coming->laterGain = plan->gain;
    } else if (m_current != nullptr) {
        m_current->runner->retarget(plan->targets);
        glideGain(plan->gain);
        m_current->gain = plan->gain;
    }
    retire(plan);
}

void Player::takePlan(PlayerPlan* plan) noexcept {
    if (plan->targets) {
        takeTargets(plan);
        return;
    }
    plan->runInLeft = plan->latency();
    plan->laterGain = plan->gain;
    if (m_current == nullptr) {
        m_current = plan;
        return;
    }
    if (m_coming != nullptr) { // only the newest of those that wait matters
        retire(m_waiting);
        m_waiting = plan;
        return;
    }
    const bool isSameLayout = plan->runner->hasSameLayout(*m_current->runner);
    plan->runner->adopt(*m_current->runner);
    if (m_runs && !isSameLayout) {
        m_coming = plan;
        m_fadeLeft = m_fadeFrames;
        return;
    }
    if (isSameLayout)
        plan->runInLeft = m_current->runInLeft;
    glideGain(plan->gain);
    retire(m_current);
    m_current = plan;
}

void Player::takeOver() noexcept {
    retire(m_current);
    m_current = std::exchange(m_coming, nullptr);
    m_fadeLeft = 0;
    m_gainLeft = 0;
    glideGain(m_current->laterGain);
    m_current->gain = m_current->laterGain;
    if (m_waiting != nullptr)
        takePlan(std::exchange(m_waiting, nullptr));
}

/// REQUIRES: nothing is heard.
void Player::jump(Frames to) noexcept {
    m_at = to;
    if (m_coming != nullptr)
        takeOver();
    for (PlayerPlan* plan : {m_current, m_coming})
        if (plan != nullptr) // what was before is in its delays
            plan->runInLeft = plan->latency();
}

void Player::obey(const Command& command) noexcept {
    switch (command.kind) {
    case Command::Kind::Plan:
        takePlan(command.plan);
        break;
    case Command::Kind::Play:
        if (!m_runs) {
            if (m_current != nullptr) {
                m_current->runner->reset();
                m_current->runInLeft = m_current->latency();
            }
            m_runs = true;
            m_transportGain = 0;
        }
        if (m_hasJump) { // stopped, sent elsewhere and started again within one ramp
            m_move = Move::Jumping;
        } else {
            m_move = Move::None;
            m_rampStep = 1.0F / static_cast<float>(m_startFrames);
        }
        break;
    case Command::Kind::Stop:
        if (m_runs) {
            m_move = Move::Stopping;
            m_rampStep = -1.0F / static_cast<float>(m_jumpFrames);
        }
        break;
    case Command::Kind::Locate:
        if (m_runs) {
            if (m_move != Move::Stopping)
                m_move = Move::Jumping;
            m_jumpTo = command.a;
            m_hasJump = true;
            m_rampStep = -1.0F / static_cast<float>(m_jumpFrames);
        } else {
            m_at = command.a;
        }
        break;
    case Command::Kind::Loop:
        setLoopNow(command.a, command.b);
        break;
    case Command::Kind::Monitor:
        m_monitorTarget = command.a != 0   ? MonitorGains{0.5F * command.x, 0.5F * command.x}
                          : command.b != 0 ? MonitorGains{0, command.x}
                                           : MonitorGains{command.x, 0};
        m_ceiling.set({static_cast<double>(command.y), 80});
        break;
    case Command::Kind::Live:
        m_live.take(command.live);
        break;
    case Command::Kind::LiveChain:
        if (LiveChain* const before = m_live.takeChain(command.chain); before != nullptr)
            (void)m_chainGarbage.tryEnqueue(before); // were there ever more, one would leak
        break;
    }
}

void Player::setLoopNow(Frames start, Frames end) noexcept {
    const Frames before = m_current != nullptr ? readAt(*m_current, m_at) : m_at;
    m_loopStart = start;
    m_loopEnd = end;
    const bool isBeyond = end > start && m_at >= end;
    // Where it reads ahead it may have passed the new end, or come round an old one.
    if (!m_runs || m_move == Move::Stopping || m_hasJump ||
        (!isBeyond && m_current != nullptr && readAt(*m_current, m_at) == before))
        return;
    obey({Command::Kind::Locate, nullptr, isBeyond ? start : m_at, 0, 0, 0});
}

void Player::finishMove() noexcept {
    if (m_transportGain > 0 || m_move == Move::None)
        return;
    if (m_move == Move::Stopping) {
        m_runs = false;
        if (m_coming != nullptr) // nothing is heard that would have to fade
            takeOver();
    } else {
        m_rampStep = 1.0F / static_cast<float>(m_jumpFrames);
    }
    if (std::exchange(m_hasJump, false))
        jump(m_jumpTo);
    m_move = Move::None;
}

Frames Player::readAt(const PlayerPlan& plan, Frames heard) const noexcept {
    const Frames at = heard + plan.latency();
    const bool loops = m_loopEnd > m_loopStart && heard < m_loopEnd;
    return loops && at >= m_loopEnd ? m_loopStart + (at - m_loopEnd) % (m_loopEnd - m_loopStart) : at;
}

void Player::run(PlayerPlan& plan, Frames heard, int frames, float* out) noexcept {
    for (int done = 0; done < frames;) {
        const Frames from = readAt(plan, heard + done);
        int n = frames - done;
        if (m_loopEnd > m_loopStart && from < m_loopEnd)
            n = static_cast<int>(std::min<Frames>(n, m_loopEnd - from));
        if (!plan.runner->process(from, n))
            m_starved.fetch_add(1, std::memory_order_relaxed);
        const float* mix = plan.runner->mix();
        for (int i = 0; i < n && out != nullptr; ++i) {
            out[2 * (done + i)] = mix[i * dsp::kLanes];
            out[2 * (done + i) + 1] = mix[i * dsp::kLanes + 1];
        }
        done += n;
    }
}

int Player::runIn(PlayerPlan& plan, int frames) noexcept {
    const int n = std::min(frames, plan.runInLeft);
    if (n > 0)
        run(plan, m_at - plan.runInLeft, n, nullptr);
    plan.runInLeft -= n;
    return n;
}

void Player::renderMix(int frames) noexcept {
    run(*m_current, m_at, frames, m_mix.data());
    for (int n = 0; n < frames; ++n) {
        const float left = static_cast<float>(std::max(0, m_gainLeft - n));
        const float gain =
            m_current->gain + left / static_cast<float>(m_fadeFrames) * (m_gainFrom - m_current->gain);
        m_mix[static_cast<std::size_t>(2 * n)] *= gain;
        m_mix[static_cast<std::size_t>(2 * n + 1)] *= gain;
    }
    m_gainLeft = std::max(0, m_gainLeft - frames);
    if (m_coming != nullptr)
        fadeToComing(frames);
}

void Player::fadeToComing(int frames) noexcept {
    if (m_coming->runInLeft > 0) {
        m_coming->runInLeft = std::max(0, m_coming->runInLeft - frames);
        run(*m_coming, m_at, frames, nullptr); // beside the one that is heard, so the place is the same
        return;
    }
    run(*m_coming, m_at, frames, m_comingMix.data());
    for (int n = 0; n < frames; ++n) {
        // Equal gain: the two are nearly the same sound.
        const float share =
            1 - static_cast<float>(std::max(0, m_fadeLeft - n)) / static_cast<float>(m_fadeFrames);
        for (int side = 0; side < 2; ++side) {
            float& x = m_mix[static_cast<std::size_t>(2 * n + side)];
            x += share * (m_coming->gain * m_comingMix[static_cast<std::size_t>(2 * n + side)] - x);
        }
    }
    m_fadeLeft = std::max(0, m_fadeLeft - frames);
    if (m_fadeLeft == 0)
        takeOver();
}

void Player::applyTransportGain(int frames) noexcept {
    const bool loops = m_loopEnd > m_loopStart;
    for (int n = 0; n < frames; ++n) {
        m_transportGain = std::clamp(m_transportGain + m_rampStep, 0.0F, 1.0F);
        float gain = raisedCosine(m_transportGain);
        if (loops) { // a short dip where the end meets the start
            const Frames toEnd = m_loopEnd - (m_at + n);
            const Frames fromStart = m_at + n - m_loopStart;
            const Frames near = std::min(toEnd, std::abs(fromStart)); // also where it is played into
            if (near >= 0 && near < m_jumpFrames)
                gain *= raisedCosine(static_cast<float>(near) / static_cast<float>(m_jumpFrames));
        }
        m_mix[static_cast<std::size_t>(2 * n)] *= gain;
        m_mix[static_cast<std::size_t>(2 * n + 1)] *= gain;
    }
}

void Player::block(float* out, int frames, int offset) noexcept {
    int done = 0;
    while (done < frames) {
        int n = frames - done;
        Frames playsFrom = LiveVoices::kStopped;
        if (m_runs && m_current != nullptr && m_current->runInLeft > 0) {
            n = runIn(*m_current, n);
            std::fill_n(m_mix.begin(), 2 * n, 0.0F);
        } else if (m_runs && m_current != nullptr) {
            if (m_loopEnd > m_loopStart) {
                if (m_at >= m_loopEnd)
                    m_at = m_loopStart;
                if (m_at < m_loopEnd)
                    n = static_cast<int>(std::min<Frames>(n, m_loopEnd - m_at));
            }
            renderMix(n);
            applyTransportGain(n);
            publish(n);
            playsFrom = m_at;
            m_at += n;
            finishMove();
        } else {
            std::fill_n(m_mix.begin(), 2 * n, 0.0F);
        }
        addLive(m_mix.data(), n, offset + done, playsFrom);
        std::copy_n(m_mix.begin(), 2 * n, out + 2 * done);
        done += n;
    }
}

void Player::fill(float* out, int frames) noexcept {
    const dsp::DenormalGuard flush;
    Command command;
    while (m_commands.tryDequeue(command))
        obey(command);
    takeStrokes(frames);
    const float step = 1.0F / static_cast<float>(0.02 * m_sampleRateHz);
    for (int done = 0; done < frames;) {
        const int n = std::min(frames - done, kPlayerBlock);
        float* piece = out + 2 * done;
        block(piece, n, done);
        for (int i = 0; i < n; ++i) {
            m_monitor.own += step * (m_monitorTarget.own - m_monitor.own);
            m_monitor.other += step * (m_monitorTarget.other - m_monitor.other);
            const float left = piece[2 * i];
            const float right = piece[2 * i + 1];
            piece[2 * i] = m_monitor.own * left + m_monitor.other * right;
            piece[2 * i + 1] = m_monitor.own * right + m_monitor.other * left;
        }
        m_ceiling.process(piece, piece + 1, 2, n);
        done += n;
    }
    const float least = m_ceiling.takeLeastGain();
    if (least < m_ceilingGain.load(std::memory_order_relaxed))
        m_ceilingGain.store(least, std::memory_order_relaxed);
    while (LiveSetup* done = m_live.takeGarbage())
        (void)m_liveGarbage.tryEnqueue(done);
    m_sounding.store(m_live.sounding(), std::memory_order_relaxed);
    m_isPlaying.store(m_runs, std::memory_order_relaxed);
    m_position.store(m_move == Move::Jumping ? m_jumpTo : m_at, std::memory_order_relaxed);
    m_callbacks.fetch_add(1, std::memory_order_acq_rel);
}

} // namespace cask::engine
