#include "core/dsp/limiter.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace cask::dsp {

namespace {

constexpr double kSlowShare = 0.7;
constexpr double kSlowDownTimes = 4; // the release
constexpr double kSlowUpTimes = 6;

int lookAheadFrames(double ms, double sampleRateHz) {
    return std::max(1, static_cast<int>(std::lround(0.001 * ms * sampleRateHz)));
}

} // namespace

int Limiter::latencyFrames(const LimiterSettings& settings, double sampleRateHz) {
    return lookAheadFrames(settings.lookAheadMs, sampleRateHz) + PeakTaps::kDelayFrames;
}

void Limiter::prepare(double sampleRateHz, double lookAheadMs) {
    m_rateHz = sampleRateHz;
    m_lookahead = lookAheadFrames(lookAheadMs, sampleRateHz);
    m_delay.assign(static_cast<std::size_t>(2 * latencyFrames()), 0);
    m_least.assign(static_cast<std::size_t>(m_lookahead + 3), {1, 0});
    m_average.assign(static_cast<std::size_t>(m_lookahead), 1);
    m_averageShare = 1.0 / m_lookahead;
    set({});
    reset();
}

void Limiter::set(const LimiterSettings& settings) {
    m_ceilingLinear = dbToLinear(settings.ceilingDb);
    const auto step = [&](double times) {
        return 1 - std::exp(-1 / (std::max(1.0, settings.releaseMs) * times * 0.001 * m_rateHz));
    };
    m_release = step(1);
    m_isProgramme = settings.release == LimiterRelease::Programme;
    m_slowDown = step(kSlowDownTimes);
    m_slowUp = step(kSlowUpTimes);
}

void Limiter::reset() {
    for (auto& finder : m_finders)
        finder.reset();
    std::fill(m_delay.begin(), m_delay.end(), 0.0F);
    m_delayAt = 0;
    m_leastFirst = 0;
    m_leastCount = 0;
    m_frame = 0;
    m_follow = 1;
    m_slow = 0;
    std::fill(m_average.begin(), m_average.end(), 1.0);
    m_averageAt = 0;
    m_averageSum = static_cast<double>(m_average.size());
    m_openFrames = m_lookahead;
    m_leastGain = 1;
}

void Limiter::copyStateFrom(const Limiter& other) noexcept {
    if (m_lookahead != other.m_lookahead)
        return;
    const double ceiling = m_ceilingLinear;
    const double release = m_release;
    const bool isProgramme = m_isProgramme;
    const double slowDown = m_slowDown;
    const double slowUp = m_slowUp;
    *this = other; // equal sizes: vectors copy into the memory they have
    m_ceilingLinear = ceiling;
    m_release = release;
    m_isProgramme = isProgramme;
    m_slowDown = slowDown;
    m_slowUp = slowUp;
}

bool Limiter::neededGains(const float* left, const float* right, int stride, int frames,
                          double* needed) noexcept {
    const auto limit = static_cast<float>(m_ceilingLinear);
    std::array<std::array<float, kPiece>, 2> peaks;
    const bool isLoudLeft = m_finders[0].find(left, stride, frames, limit, peaks[0].data());
    const bool isLoudRight = m_finders[1].find(right, stride, frames, limit, peaks[1].data());
    if (!isLoudLeft && !isLoudRight)
        return false;
    bool any = false;
    for (int n = 0; n < frames; ++n) {
        const auto i = static_cast<std::size_t>(n);
        const double peak = std::max(isLoudLeft ? peaks[0][i] : 0, isLoudRight ? peaks[1][i] : 0);
        needed[n] = peak > m_ceilingLinear ? m_ceilingLinear / peak : 1;
        any = any || needed[n] < 1;
    }
    return any;
}

/// The least of each frame's gain and those of the look-ahead before it, in place. What the loops here keep
/// is held in locals, because the sound might lie where the members do.
void Limiter::holdLeast(std::span<double> gains) noexcept {
    const int size = static_cast<int>(m_least.size());
    Entry* const kept = m_least.data();
    int first = m_leastFirst;
    int count = m_leastCount;
    long long frame = m_frame;
    const auto place = [&](int i) { return first + i >= size ? first + i - size : first + i; };
    for (double& gain : gains) {
        if (count > 0 && kept[first].frame <= frame - m_lookahead - 2) {
            first = first + 1 == size ? 0 : first + 1;
            --count;
        }
        if (gain < 1) { // an open gain is never the least, so it needs no place
            while (count > 0 && kept[place(count - 1)].gain >= gain)
                --count;
            kept[place(count++)] = {gain, frame};
        }
        ++frame;
        gain = count > 0 ? kept[first].gain : 1;
    }
    m_leastFirst = first;
    m_leastCount = count;
    m_frame = frame;
}

/// The gain that follows the least one and is then averaged over the look-ahead.
void Limiter::followLeast(std::span<const double> least, float* gains) noexcept {
    double* const average = m_average.data();
    const double stay = 1 - m_release;
    double follow = m_follow;
    double slow = m_slow;
    double sum = m_averageSum;
    int at = m_averageAt;
    int open = m_openFrames;
    float lowest = m_leastGain;
    for (std::size_t n = 0; n < least.size(); ++n) {
        follow = std::min(least[n], m_release + follow * stay);
        if (follow > 1 - 1e-7)
            follow = least[n];
        double held = follow;
        if (m_isProgramme || slow > 0) {
            const double goal = m_isProgramme ? kSlowShare * (1 - least[n]) : 0;
            slow += (goal > slow ? m_slowDown : m_slowUp) * (goal - slow);
            slow = slow < 1e-7 ? 0 : slow;
            held = std::min(follow, 1 - slow);
        }
        open = held < 1 ? 0 : std::min(open + 1, m_lookahead);
        sum += held - average[at];
        average[at] = held;
        at = at + 1 == m_lookahead ? 0 : at + 1;
        if (open == m_lookahead)
            sum = m_lookahead; // exactly, whatever was rounded on the way
        gains[n] = std::min(1.0F, static_cast<float>(sum * m_averageShare));
        lowest = std::min(lowest, gains[n]);
    }
    m_follow = follow;
    m_slow = slow;
    m_averageSum = sum;
    m_averageAt = at;
    m_openFrames = open;
    m_leastGain = lowest;
}

/// Delays both sides, then applies the gains; null: none.
void Limiter::delayPiece(float* left, float* right, int stride, int frames, const float* gains) noexcept {
    const int size = latencyFrames();
    int at = m_delayAt;
    for (int n = 0; n < frames; ++n) {
        float* held = m_delay.data() + 2 * at;
        at = at + 1 == size ? 0 : at + 1;
        const float gain = gains == nullptr ? 1 : gains[n];
        const float outLeft = held[0] * gain;
        const float outRight = held[1] * gain;
        held[0] = left[n * stride];
        held[1] = right[n * stride];
        left[n * stride] = outLeft;
        right[n * stride] = outRight;
    }
    m_delayAt = at;
}

void Limiter::process(float* left, float* right, int stride, int frames) noexcept {
    std::array<double, kPiece> needed;
    std::array<float, kPiece> gains;
    for (int at = 0; at < frames; at += kPiece) {
        const int count = std::min(kPiece, frames - at);
        float* l = left + at * stride;
        float* r = right + at * stride;
        const bool asks = neededGains(l, r, stride, count, needed.data());
        if (!asks && m_openFrames == m_lookahead) {
            // Open, and every gain that is still remembered is 1.
            m_leastCount = 0;
            m_frame += count;
            delayPiece(l, r, stride, count, nullptr);
            continue;
        }
        if (!asks)
            needed.fill(1);
        const auto used = std::span(needed).first(static_cast<std::size_t>(count));
        holdLeast(used);
        followLeast(used, gains.data());
        delayPiece(l, r, stride, count, gains.data());
    }
}

float Limiter::takeLeastGain() noexcept {
    const float least = m_leastGain;
    m_leastGain = 1;
    return least;
}

} // namespace cask::dsp
