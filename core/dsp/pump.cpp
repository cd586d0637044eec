#include "core/dsp/pump.h"

#include <algorithm>
#include <cmath>

namespace cask::dsp {
namespace {

constexpr std::array<PumpPoint, 2> kStandard = {PumpPoint{0, 0, 0}, PumpPoint{0, 70, 100}};

} // namespace

PumpCurve::PumpCurve(const PumpSettings& s) noexcept : m_depthDb(s.depthDb) {
    std::array<PumpPoint, kMostPumpPoints> points{};
    std::size_t count = std::min<std::size_t>(s.points.size(), kMostPumpPoints);
    std::copy_n(s.points.begin(), count, points.begin());
    if (count == 0) {
        std::copy(kStandard.begin(), kStandard.end(), points.begin());
        count = kStandard.size();
    }
    // Few, and in place: a sort of the library's that keeps the order of equals would allocate.
    for (std::size_t i = 1; i < count; ++i)
        for (std::size_t k = i; k > 0 && points[k].placePercent < points[k - 1].placePercent; --k)
            std::swap(points[k], points[k - 1]);
    const auto add = [&](double placePercent, double openPercent) {
        const auto at = static_cast<std::size_t>(m_count++);
        m_place[at] = std::clamp(placePercent / 100, 0.0, 1.0);
        m_open[at] = std::clamp(openPercent / 100, 0.0, 1.0);
        if (at > 0)
            m_sum[at] = m_sum[at - 1] + 0.5 * (m_open[at] + m_open[at - 1]) * (m_place[at] - m_place[at - 1]);
    };
    add(0, points.front().openPercent);
    for (std::size_t i = 0; i < count; ++i)
        add(points[i].placePercent, points[i].openPercent);
    add(100, points[count - 1].openPercent);
}

double PumpCurve::openAt(double place) const noexcept {
    std::size_t i = 1;
    while (i + 1 < static_cast<std::size_t>(m_count) && m_place[i] <= place)
        ++i;
    const double length = m_place[i] - m_place[i - 1];
    const double share = length > 0 ? (place - m_place[i - 1]) / length : 1;
    return m_open[i - 1] + share * (m_open[i] - m_open[i - 1]);
}

double PumpCurve::sumTo(double place) const noexcept {
    std::size_t i = 1;
    while (i + 1 < static_cast<std::size_t>(m_count) && m_place[i] <= place)
        ++i;
    return m_sum[i - 1] + 0.5 * (m_open[i - 1] + openAt(place)) * (place - m_place[i - 1]);
}

double PumpCurve::gainDb(double place, double width) const noexcept {
    constexpr double kNarrowest = 1e-6;
    width = std::min(width, 1.0);
    if (width < kNarrowest)
        return -m_depthDb * (1 - openAt(place));
    // The note comes over and over: its sums go on.
    const double whole = m_sum[static_cast<std::size_t>(m_count) - 1];
    const auto sum = [&](double x) {
        const double notes = std::floor(x);
        return notes * whole + sumTo(x - notes);
    };
    const double open = (sum(place + width / 2) - sum(place - width / 2)) / width;
    return -m_depthDb * (1 - open);
}

double pumpGainDb(const PumpSettings& s, const PumpCurve& curve, double frame, double sampleRateHz,
                  std::size_t& near) noexcept {
    if (s.grid == nullptr || !s.grid->isKnown())
        return 0;
    const double beats = pumpBeats(s.note, s.grid->beatsPerBar);
    const double note = s.grid->beatAt(frame - s.lateFrames, near) / beats;
    const double frames = s.grid->framesAt(near) * beats;
    return curve.gainDb(note - std::floor(note), 0.001 * s.smoothMs * sampleRateHz / frames);
}

float PumpLanes::drawnAt(Lane& lane, Frames frame) const noexcept {
    return static_cast<float>(
        dbToLinear(pumpGainDb(lane.settings, lane.curve, static_cast<double>(frame), m_rateHz, lane.near)));
}

float PumpLanes::gainAt(Lane& lane, Frames frame) const noexcept {
    const Frames start = frame - ((frame % kStep) + kStep) % kStep;
    if (lane.stepStart != start) {
        lane.gain = drawnAt(lane, start);
        lane.nextGain = drawnAt(lane, start + kStep);
        lane.stepStart = start;
    }
    return lane.gain + static_cast<float>(frame - start) / kStep * (lane.nextGain - lane.gain);
}

float PumpLanes::addedTo(const Lane& lane) noexcept {
    const float t = static_cast<float>(lane.glideLeft) / static_cast<float>(lane.glideFrames);
    return lane.offset * t * t * (3 - 2 * t);
}

void PumpLanes::place(int lane, int lanes, const Settings& s, bool isOn, int /*waitFrames*/) {
    m_lanes[static_cast<std::size_t>(lane)].lanes = lanes;
    set(lane, s, isOn, 0);
}

void PumpLanes::set(int lane, const Settings& s, bool isOn, int glideFrames) noexcept {
    Lane& at = m_lanes[static_cast<std::size_t>(lane)];
    const PumpCurve curve(s);
    const BeatGrid* grid = isOn ? s.grid : nullptr; // without one it is open
    const auto isSameGrid = [](const BeatGrid* a, const BeatGrid* b) {
        return a == b || (a != nullptr && b != nullptr && *a == *b);
    };
    const bool isSame = at.curve == curve && at.settings.note == s.note &&
                        at.settings.smoothMs == s.smoothMs && at.settings.lateFrames == s.lateFrames &&
                        isSameGrid(at.settings.grid, grid);
    const float was = glideFrames > 0 && !isSame ? gainAt(at, m_frame) + addedTo(at) : 0;
    at.settings.grid = grid;
    if (isSame) {
        at.glideLeft = glideFrames > 0 ? at.glideLeft : 0;
        return;
    }
    at.curve = curve;
    at.settings.note = s.note;
    at.settings.smoothMs = s.smoothMs;
    at.settings.lateFrames = s.lateFrames;
    at.stepStart = kNoStep;
    at.glideFrames = std::max(1, glideFrames);
    at.glideLeft = glideFrames;
    at.offset = glideFrames > 0 ? was - gainAt(at, m_frame) : 0;
}

void PumpLanes::reset() noexcept {
    for (Lane& lane : m_lanes) {
        lane.offset = 0;
        lane.glideLeft = 0;
        lane.stepStart = kNoStep;
    }
    m_shown.v.fill(1);
}

void PumpLanes::copyLanes(int lane, const PumpLanes& from, int fromLane, int lanes) noexcept {
    m_frame = from.m_frame;
    m_lanes[static_cast<std::size_t>(lane)] = from.m_lanes[static_cast<std::size_t>(fromLane)];
    for (int l = 0; l < lanes; ++l)
        m_shown[lane + l] = from.m_shown[fromLane + l];
}

void PumpLanes::processWith(const Kernels& k, const float* /*heard*/, float* io, int frames) noexcept {
    constexpr int kPiece = 64;
    alignas(kLaneAlignment) std::array<float, static_cast<std::size_t>(kPiece) * kLanes> gains;
    for (int done = 0; done < frames;) {
        const int n = std::min(frames - done, kPiece);
        gains.fill(1);
        for (int l = 0; l < kLanes; ++l) {
            Lane& lane = m_lanes[static_cast<std::size_t>(l)];
            if (lane.lanes == 0)
                continue;
            for (int i = 0; i < n; ++i) {
                float gain = gainAt(lane, m_frame + i);
                if (lane.glideLeft > 0) {
                    --lane.glideLeft;
                    gain += addedTo(lane);
                }
                for (int c = l; c < l + lane.lanes; ++c)
                    gains[static_cast<std::size_t>(i * kLanes + c)] = gain;
            }
            for (int c = l; c < l + lane.lanes; ++c)
                m_shown[c] = gains[static_cast<std::size_t>((n - 1) * kLanes + c)];
        }
        k.multiply(gains.data(), io + static_cast<std::ptrdiff_t>(done) * kLanes, n);
        m_frame += n;
        done += n;
    }
}

} // namespace cask::dsp
