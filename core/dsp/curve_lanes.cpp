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
        y = std::tanh(b + TapeBank::kMemory * y);
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
        return {y * (1 - TapeBank::kMemory), 1 - y * y};
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
    : m_sampleRateHz(sampleRateHz), m_unused(PlaneSampler::kBlockFloats) {}

void CurveLanes::place(int lane, Shape shape, Oversampling oversampling) {
    Lane& at = m_lanes[static_cast<std::size_t>(lane)];
    at.rate = static_cast<std::size_t>(oversampling);
    auto& rate = m_rates[at.rate];
    const int factor = factorOf(oversampling);
    if (!rate) {
        rate.emplace(Rate{});
        rate->tape.follow =
            static_cast<float>(1 - std::exp(-1000 / (TapeBank::kMemoryMs * m_sampleRateHz * factor)));
    }
    auto& sampler = hasCorners(shape) ? rate->cornered : rate->straight;
    if (!sampler)
        sampler.emplace(factor, m_sampleRateHz, CurvePlanes::kCornersLate,
                        hasCorners(shape) ? CurvePlanes::kCornersLate : 0);
    if (hasCorners(shape))
        rate->scratch.assign(CurvePlanes::scratchFloats(factor), 0);
    if (shape == Shape::Tape) {
        rate->hasTape = true;
        rate->tapeSound.assign(static_cast<std::size_t>(kPiece * factor * kLanes), 0);
    }
    at.isPlaced = true;
    at.curve.shape = shape;
    at.curve.scratch = rate->scratch.data();
    at.kept.assign(sampler->keptFloats(), 0);
    at.block.assign(PlaneSampler::kBlockFloats, 0);
    at.moving.assign(CurvePlace::kAll.size() * kPlaneFrames, 0);
    at.places.resize(kPiece);
}

PlaneSampler& CurveLanes::samplerOf(const Lane& lane) noexcept {
    Rate& rate = *m_rates[lane.rate];
    return hasCorners(lane.curve.shape) ? *rate.cornered : *rate.straight;
}

void CurveLanes::set(int lane, double drive, double bias, double kneeHalf, int frame) noexcept {
    Lane& at = m_lanes[static_cast<std::size_t>(lane)];
    if (!at.isPlaced)
        return;
    const double b = bias + ownBias(at.curve.shape);
    const auto [value, slope] = curveAt(at.curve.shape, b);
    const CurvePlace next{static_cast<float>(drive), static_cast<float>(b), static_cast<float>(value),
                          static_cast<float>(1 / (drive * slope)),
                          static_cast<float>(std::max(kneeHalf, CurvePlace::kLeastKneeHalf))};
    if (frame > 0 && next != at.curve.place) {
        std::fill(at.places.begin() + at.given, at.places.begin() + frame, at.curve.place);
        at.places[static_cast<std::size_t>(frame)] = next;
        at.given = frame + 1;
    }
    at.curve.place = next;
}

void CurveLanes::reset() noexcept {
    for (int l = 0; l < kLanes; ++l) {
        Lane& at = m_lanes[static_cast<std::size_t>(l)];
        if (!at.isPlaced)
            continue;
        std::fill(at.kept.begin(), at.kept.end(), 0.0F);
        std::fill(at.block.begin(), at.block.end(), 0.0F);
        at.curve.lastAt = at.curve.place.bias;
        at.curve.means.fill(0);
        at.given = 0;
        TapeBank& tape = m_rates[at.rate]->tape;
        tape.keptStep[l] = 0;
        tape.kept[l] = tape.bent1[l] =
            static_cast<float>(tapeAtRest(static_cast<double>(at.curve.place.bias)));
    }
}

void CurveLanes::copyLane(int lane, const CurveLanes& from, int fromLane) noexcept {
    Lane& to = m_lanes[static_cast<std::size_t>(lane)];
    const Lane& other = from.m_lanes[static_cast<std::size_t>(fromLane)];
    if (!to.isPlaced || !other.isPlaced || to.rate != other.rate || to.kept.size() != other.kept.size() ||
        hasCorners(to.curve.shape) != hasCorners(other.curve.shape))
        return;
    std::copy(other.kept.begin(), other.kept.end(), to.kept.begin());
    std::copy(other.block.begin(), other.block.end(), to.block.begin());
    to.curve.lastAt = other.curve.lastAt;
    to.curve.means = other.curve.means;
    m_rates[to.rate]->tape.copyState(lane, from.m_rates[other.rate]->tape, fromLane);
}

/// Places by frame become planes.
void CurveLanes::spreadPlaces(Lane& lane, int frames) noexcept {
    lane.curve.moving = nullptr;
    if (lane.given == 0)
        return;
    std::fill(lane.places.begin() + lane.given, lane.places.end(), lane.curve.place);
    float* to = lane.moving.data();
    for (const auto value : CurvePlace::kAll) {
        for (int n = 0; n < frames; ++n)
            to[n % kPlanes * kColumns + n / kPlanes] = lane.places[static_cast<std::size_t>(n)].*value;
        to += kPlaneFrames;
    }
    lane.curve.moving = lane.moving.data();
}

void CurveLanes::process(const float* sound, float* changed, int frames) noexcept {
    const Kernels& k = kernels();
    std::array<float*, kLanes> blocks{};
    for (std::size_t l = 0; l < kLanes; ++l)
        blocks[l] = (m_lanes[l].isPlaced ? m_lanes[l].block : m_unused).data() + kPlaneBefore;
    k.lanesToPlanes(sound, blocks.data(), frames);
    for (Lane& lane : m_lanes) {
        if (!lane.isPlaced || lane.curve.shape == Shape::Tape)
            continue;
        PlaneSampler& sampler = samplerOf(lane);
        spreadPlaces(lane, frames);
        sampler.up(lane.kept.data(), lane.block.data(), frames);
        k.curve(lane.curve, sampler.high(), sampler.factor(), frames);
        sampler.down(lane.kept.data(), lane.block.data(), frames);
    }
    for (std::size_t rate = 0; rate < kFactors; ++rate)
        if (m_rates[rate] && m_rates[rate]->hasTape)
            processTape(rate, frames);
    for (Lane& lane : m_lanes)
        lane.given = 0;
    std::fill(m_unused.begin(), m_unused.end(), 0.0F);
    k.planesToLanes(blocks.data(), changed, frames);
}

void CurveLanes::processTape(std::size_t rateIndex, int frames) noexcept {
    Rate& rate = *m_rates[rateIndex];
    PlaneSampler& sampler = *rate.straight;
    const int factor = sampler.factor();
    const int planes = sampler.planes();
    const auto forTape = [&](const auto& act) {
        for (int l = 0; l < kLanes; ++l)
            if (Lane& lane = m_lanes[static_cast<std::size_t>(l)];
                lane.isPlaced && lane.rate == rateIndex && lane.curve.shape == Shape::Tape)
                act(l, lane);
    };
    bool moves = false;
    forTape([&](int l, Lane& lane) {
        sampler.up(lane.kept.data(), lane.block.data(), frames);
        for (int q = 0; q < planes; ++q)
            for (int n = q, m = 0; n < frames * factor; n += planes, ++m)
                rate.tapeSound[static_cast<std::size_t>(n * kLanes + l)] =
                    sampler.high()[q * kPlaneStride + m];
        moves = moves || lane.given > 0;
        std::fill(lane.places.begin() + lane.given, lane.places.end(), lane.curve.place);
    });
    for (int done = 0, some = 0; done < frames; done += some) {
        some = moves ? 1 : frames;
        forTape([&](int l, const Lane& lane) {
            const CurvePlace& place = lane.places[static_cast<std::size_t>(done)];
            rate.tape.drive[l] = place.drive;
            rate.tape.bias[l] = place.bias;
            rate.tape.offset[l] = place.offset;
            rate.tape.back[l] = place.back;
        });
        kernels().tape(rate.tape, rate.tapeSound.data() + done * factor * kLanes, some * factor);
    }
    forTape([&](int l, Lane& lane) {
        for (int q = 0; q < planes; ++q)
            for (int n = q, m = 0; n < frames * factor; n += planes, ++m)
                sampler.high()[q * kPlaneStride + m] =
                    rate.tapeSound[static_cast<std::size_t>(n * kLanes + l)];
        sampler.down(lane.kept.data(), lane.block.data(), frames);
    });
}

} // namespace cask::dsp
