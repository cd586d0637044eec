#include "core/dsp/half_band.h"

#include "core/dsp/half_band_design.h"
#include "core/dsp/kernels.h"

#include <algorithm>
#include <bit>
#include <cassert>
#include <cmath>

namespace cask::dsp {
namespace {

/// At 8 times less may come through: that is what it is for.
constexpr double stopDb(int factor) {
    return factor >= 8 ? 110 : 84;
}
/// Passed at 44.1 kHz and at 48 kHz, in parts of the rate. What lies over the edge folds to over the edge
/// less what the filter takes there, so 18 kHz suffice at 48 kHz, and 20 are needed at 44.1.
constexpr double kLowRatePass = 20000.0 / 44100;
constexpr double kPass = 18000.0 / 48000;

/// Of a doubling's own rate, which passes what all of them pass.
double passOf(double rateHz, int index) {
    return (rateHz < 48000 ? kLowRatePass : kPass) * std::exp2(-index - 1);
}

const std::vector<double>& tapsOf(int factor, double rateHz, int index) {
    return halfBandTaps(passOf(rateHz, index), stopDb(factor), HalfBand::kAtOnce);
}

/// Frames at the high rate by which all of it is late.
int lateOf(int factor, double rateHz) {
    int late = 0;
    for (int index = 0; (2 << index) <= factor; ++index)
        late += 2 * (static_cast<int>(tapsOf(factor, rateHz, index).size()) - 1) * (factor >> (index + 1));
    return late;
}

/// Taps as the kernels read them, times `gain`.
std::vector<float> paddedTaps(const std::vector<double>& taps, double gain) {
    std::vector<float> padded;
    std::transform(taps.begin(), taps.end(), std::back_inserter(padded),
                   [gain](double tap) { return static_cast<float>(gain * tap); });
    // The last outputs of those that share what they read are done so many later.
    padded.resize(padded.size() + HalfBand::kAtOnce);
    return padded;
}

constexpr int roundedUp(int n, int step) {
    return (n + step - 1) / step * step;
}

} // namespace

int PlaneSampler::latencyFrames(int factor, double rateHz, int mostLateFrames) {
    return (lateOf(factor, rateHz) + mostLateFrames + factor - 1) / factor;
}

int PlaneSampler::Stage::placeOf(int frame) const {
    const int plane = (frame % planes + planes) % planes;
    return plane * kPlaneStride + kPlaneBefore + (frame - plane) / planes;
}

PlaneSampler::Stage PlaneSampler::makeStage(int planes, int history) {
    Stage stage;
    stage.planes = planes;
    stage.kept = roundedUp(roundedUp(history, planes) / planes, kPlaneStep);
    assert(stage.kept <= kPlaneBefore);
    return stage;
}

PlaneSampler::Stage PlaneSampler::makeRise(int index, int factor, double rateHz) {
    const auto& taps = tapsOf(factor, rateHz, index);
    const auto count = static_cast<int>(taps.size());
    Stage stage = makeStage(kPlanes << index, count - 1);
    stage.band.taps = paddedTaps(taps, 2);
    stage.band.outputs = stage.planes;
    const int reads = stage.planes + static_cast<int>(stage.band.taps.size());
    for (int t = 0; t < reads; ++t) // those past the end meet zeros
        stage.band.from.push_back(stage.placeOf(std::min(t - (count - 1), stage.planes - 1)));
    for (int i = 0; i < stage.planes; ++i)
        stage.band.middle.push_back(stage.placeOf(i - (count - 1) + count / 2));
    return stage;
}

PlaneSampler::Stage PlaneSampler::makeFall(int index, int factor, double rateHz, int waitFrames) {
    const auto& taps = tapsOf(factor, rateHz, index);
    const auto count = static_cast<int>(taps.size());
    const int history = 2 * (count - 1) + waitFrames;
    Stage stage = makeStage(kPlanes << (index + 1), history);
    stage.band.taps = paddedTaps(taps, 1);
    stage.band.outputs = stage.planes / 2;
    const int reads = stage.band.outputs + static_cast<int>(stage.band.taps.size());
    for (int t = 0; t < reads; ++t)
        stage.band.from.push_back(
            stage.placeOf(2 * std::min(t, stage.band.outputs - 1 + count - 1) - history));
    for (int i = 0; i < stage.band.outputs; ++i)
        stage.band.middle.push_back(stage.placeOf(2 * i + count - 1 - history));
    return stage;
}

PlaneSampler::PlaneSampler(int factor, double rateHz, int mostLateFrames, int lateFrames) : m_factor(factor) {
    assert(factor == 2 || factor == 4 || factor == 8 || factor == 64);
    const int waitFrames =
        factor * latencyFrames(factor, rateHz, mostLateFrames) - lateOf(factor, rateHz) - lateFrames;
    for (int index = 0; (2 << index) <= factor; ++index) {
        m_rises.push_back(makeRise(index, factor, rateHz));
        m_falls.push_back(makeFall(index, factor, rateHz, (2 << index) == factor ? waitFrames : 0));
        m_keptFloats += (index > 0 ? m_rises.back().keptFloats() : 0) + m_falls.back().keptFloats();
        if (index > 0)
            m_rises.back().sound.assign(static_cast<std::size_t>(m_rises.back().planes) * kPlaneStride, 0);
        m_falls.back().sound.assign(static_cast<std::size_t>(m_falls.back().planes) * kPlaneStride, 0);
    }
}

void PlaneSampler::Stage::restore(const float* from, float* to) const noexcept {
    kernels().movePlanes(from, kept, to + kPlaneBefore - kept, kPlaneStride, planes, kept);
}

void PlaneSampler::Stage::keep(const float* from, float* to, int frames) const noexcept {
    // What will lie before the next block: with frames that are no multiple of the planes they change places.
    const int turned = frames & (planes - 1); // planes are a power of two, and dividing takes long
    from += kPlaneBefore - kept + (frames >> std::countr_zero(static_cast<unsigned>(planes)));
    kernels().movePlanes(from + turned * kPlaneStride, kPlaneStride, to, kept, planes - turned, kept);
    if (turned > 0)
        kernels().movePlanes(from + 1, kPlaneStride, to + (planes - turned) * kept, kept, turned, kept);
}

void PlaneSampler::up(float* kept, float* block, int frames) noexcept {
    const int columns = roundedUp(frames, kPlanes) / kPlanes;
    for (std::size_t i = 0; i < m_rises.size(); ++i) {
        Stage& stage = m_rises[i];
        float* const sound = i == 0 ? block : stage.sound.data();
        if (i > 0)
            stage.restore(kept, sound);
        kernels().planesUp(stage.band, sound, i + 1 == m_rises.size() ? high() : m_rises[i + 1].block(),
                           columns);
        if (i > 0) {
            stage.keep(sound, kept, frames << i);
            kept += stage.keptFloats();
        } else {
            alignas(kLaneAlignment) std::array<float, static_cast<std::size_t>(kPlanes) * kPlaneBefore> last;
            stage.keep(sound, last.data(), frames);
            stage.restore(last.data(), sound);
        }
    }
}

void PlaneSampler::down(float* kept, float* block, int frames) noexcept {
    const int columns = roundedUp(frames, kPlanes) / kPlanes;
    kept += m_keptFloats;
    for (std::size_t i = m_falls.size(); i-- > 0;) {
        Stage& stage = m_falls[i];
        kept -= stage.keptFloats();
        stage.restore(kept, stage.sound.data());
        kernels().planesDown(stage.band, stage.sound.data(),
                             i == 0 ? block + kPlaneBefore : m_falls[i - 1].block(), columns);
        stage.keep(stage.sound.data(), kept, frames << (i + 1));
    }
}

} // namespace cask::dsp
