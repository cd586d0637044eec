#include "core/dsp/curve_lanes.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace cask::dsp {
namespace {

constexpr double kWarmBias = 0.5;

double ownBias(Shape shape) {
    return shape == Shape::Warm ? kWarmBias : 0;
}

/// What is heard of tape at rest: y = tanh(b + m y).
double tapeAtRest(double b) {
    double y = std::tanh(b);
    for (int i = 0; i < 40; ++i) // it comes nearer by m each time
        y = std::tanh(b + ShapeBank::kTapeMemory * y);
    return y;
}

/// A curve and its slope.
std::pair<double, double> curveAt(Shape shape, double u) {
    switch (shape) {
    case Shape::Soft:
    case Shape::Warm: {
        const double y = std::tanh(u);
        return {y, 1 - y * y};
    }
    case Shape::Tape: {
        const double y = tapeAtRest(u);
        return {y * (1 - ShapeBank::kTapeMemory), 1 - y * y};
    }
    case Shape::Fold:
        return {std::sin(u), std::cos(u)};
    case Shape::Hard:
    case Shape::Knee:
        break;
    }
    return {0, 1}; // of what has corners only what they take off is counted, and no bias reaches them
}

} // namespace

CurveLanes::CurveLanes(double sampleRateHz)
    : m_sampleRateHz(sampleRateHz), m_part(static_cast<std::size_t>(kPiece) * kLanes) {}

void CurveLanes::place(int lane, Shape shape, Oversampling oversampling) {
    auto& fast = m_fast[static_cast<std::size_t>(oversampling)];
    const int factor = factorOf(oversampling);
    if (!fast) {
        fast.emplace(Fast{Oversampler(factor, m_sampleRateHz, kPiece, ShapeBank::kLateFrames), {}, {}});
        fast->bank.follow =
            static_cast<float>(1 - std::exp(-1000 / (ShapeBank::kTapeMemoryMs * m_sampleRateHz * factor)));
    }
    const auto at = static_cast<std::size_t>(shape);
    m_shapes[static_cast<std::size_t>(lane)] = shape;
    fast->bank.hasShape[at] = true;
    fast->bank.isShape[at][lane] = 1;
    fast->bank.memory[lane] = shape == Shape::Tape ? static_cast<float>(ShapeBank::kTapeMemory) : 0.0F;
    fast->uses[lane] = 1;
}

void CurveLanes::set(int lane, double drive, double bias, double kneeHalf) noexcept {
    const Shape shape = m_shapes[static_cast<std::size_t>(lane)];
    const double b = bias + ownBias(shape);
    const auto [value, slope] = curveAt(shape, b);
    for (auto& fast : m_fast) {
        if (!fast || fast->uses[lane] == 0)
            continue;
        fast->bank.drive[lane] = static_cast<float>(drive);
        fast->bank.bias[lane] = static_cast<float>(b);
        fast->bank.offset[lane] = static_cast<float>(value);
        fast->bank.back[lane] = static_cast<float>(1 / (drive * slope));
        fast->bank.kneeHalf[lane] = static_cast<float>(std::max(kneeHalf, ShapeBank::kLeastKneeHalf));
    }
}

void CurveLanes::reset() noexcept {
    for (auto& fast : m_fast)
        if (fast) {
            fast->oversampler.reset();
            fast->bank.clear();
            for (int l = 0; l < kLanes; ++l)
                if (m_shapes[static_cast<std::size_t>(l)] == Shape::Tape)
                    fast->bank.kept[l] = fast->bank.bent1[l] =
                        static_cast<float>(tapeAtRest(static_cast<double>(fast->bank.bias[l])));
                else
                    fast->bank.u1[l] = fast->bank.bias[l];
        }
}

void CurveLanes::copyLane(int lane, const CurveLanes& from, int fromLane) noexcept {
    for (std::size_t i = 0; i < kFactors; ++i)
        if (m_fast[i] && from.m_fast[i] && m_fast[i]->uses[lane] == 1 &&
            from.m_fast[i]->uses[fromLane] == 1) {
            m_fast[i]->oversampler.copyLane(lane, from.m_fast[i]->oversampler, fromLane);
            m_fast[i]->bank.copyState(lane, from.m_fast[i]->bank, fromLane);
        }
}

void CurveLanes::process(const float* sound, float* changed, int frames) noexcept {
    const Kernels& k = kernels();
    const bool isOnlyOne =
        std::count_if(m_fast.begin(), m_fast.end(), [](const auto& fast) { return fast.has_value(); }) == 1;
    if (!isOnlyOne)
        std::fill_n(changed, frames * kLanes, 0.0F);
    for (auto& fast : m_fast) {
        if (!fast)
            continue;
        Oversampler& oversampler = fast->oversampler;
        k.curve(fast->bank, oversampler.up(sound, frames), frames * oversampler.factor());
        float* const to = isOnlyOne ? changed : m_part.data();
        oversampler.down(to, frames);
        for (int l = 0; !isOnlyOne && l < kLanes; ++l)
            for (int n = l; fast->uses[l] == 1 && n < frames * kLanes; n += kLanes)
                changed[n] = to[n];
    }
}

} // namespace cask::dsp
