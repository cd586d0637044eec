#include "core/dsp/compressor.h"

#include "core/base/units.h"
#include "core/dsp/detector_cuts.h"

#include <algorithm>
#include <bit>
#include <cmath>

namespace cask::dsp {
namespace {

constexpr double kDbPerOctave = 6.020599913279624; // 20 log10(2)
constexpr double kCellMs = 0.25;
constexpr double kMostWindowMs = 50;
constexpr double kWindowOfRelease = 0.2;
constexpr double kSlowShare = 0.7;
constexpr double kSlowRise = 4;
constexpr double kSlowFall = 6;
constexpr double kGrabShare = 0.6;
constexpr double kGrabLeastMs = 20;
constexpr double kGrabAttacks = 2;
constexpr double kReachSlope = 24;

/// All the values that glide.
constexpr std::array kValues = {
    &CompressorValues::threshold, &CompressorValues::slope,      &CompressorValues::knee,
    &CompressorValues::range,     &CompressorValues::makeup,     &CompressorValues::mix,
    &CompressorValues::link,      &CompressorValues::rise,       &CompressorValues::fall,
    &CompressorValues::slowShare, &CompressorValues::slowRise,   &CompressorValues::slowFall,
    &CompressorValues::grabShare, &CompressorValues::grabFollow,
};

double octaves(double db) {
    return db / kDbPerOctave;
}

double shareOf(double ms, double rateHz) {
    return 1 - std::exp(-1 / std::max(1e-3, 0.001 * ms * rateHz));
}

double slopeOf(const CompressorSettings& s) {
    const double ratio = std::max(1.0, s.ratio);
    if (s.direction == CompressorDirection::Expand)
        return ratio - 1;
    return ratio >= kInfiniteRatio ? 1 : 1 - 1 / ratio;
}

int lookAheadFrames(const CompressorSettings& s, double sampleRateHz) {
    return static_cast<int>(std::lround(s.lookAheadMs * 0.001 * sampleRateHz));
}

ClipperSettings clipOf(const CompressorSettings& s) {
    return {s.clipDb, CompressorSettings::kClipKneeDb, Oversampling::Four, true};
}

} // namespace

int compressorLatency(const CompressorSettings& s, double sampleRateHz) {
    return lookAheadFrames(s, sampleRateHz) +
           (s.isSoftClipped ? ClipperLanes::latencyFrames(clipOf(s), sampleRateHz) : 0);
}

bool actsOnPart(const CompressorSettings& s) {
    return s.reach != GateReach::All && s.channels == CompressorChannels::Both;
}

std::vector<EqBand> detectorBands(const CompressorSettings& s) {
    auto bands = detectorCuts(s.lowCutHz, s.highCutHz, s.cutSlopeDbPerOct);
    if (actsOnPart(s))
        for (const auto& band : partCuts(s.reach, s.fromHz, s.toHz))
            bands.push_back(band);
    return bands;
}

double compressorGainDb(const CompressorSettings& s, double levelDb) {
    const bool isUp = s.direction == CompressorDirection::Up;
    const double past = isUp ? s.thresholdDb - levelDb : levelDb - s.thresholdDb;
    const double half = s.kneeDb / 2;
    double over = std::max(0.0, past);
    if (s.kneeDb > 0 && std::abs(past) < half)
        over = (past + half) * (past + half) / (2 * s.kneeDb);
    const double change = std::min(slopeOf(s) * over, s.rangeDb);
    return s.direction == CompressorDirection::Down ? -change : change;
}

double peakWindowMs(const CompressorSettings& s) {
    return std::min(s.windowMs, kWindowOfRelease * s.releaseMs);
}

CompressorLanes::CompressorLanes(double sampleRateHz) : m_rateHz(sampleRateHz) {
    m_bank.window.cellFrames = std::max(1, static_cast<int>(std::lround(0.001 * kCellMs * sampleRateHz)));
    m_bank.window.least = 1e-6F;
    for (int lane = 0; lane < kLanes; ++lane) {
        m_bank.side[lane] = 1;
        m_bank.way[lane] = -1;
        m_bank.own[lane] = 1;
        m_bank.gain[lane] = 1;
    }
    m_bank.windowFrames.fill(1);
    m_bank.windowShare.fill(1);
}

void CompressorLanes::take(int lane, const CompressorSettings& s, bool isOn) noexcept {
    const auto put = [&](LaneFloats CompressorValues::*value, double v) {
        (m_to.*value)[lane] = static_cast<float>(v);
    };
    const bool isUp = s.direction == CompressorDirection::Up;
    const double cell = m_bank.window.cellFrames / m_rateHz * 1000;
    const double cells = std::max(1.0, std::round(std::min(peakWindowMs(s), kMostWindowMs) / cell));
    m_bank.window.setCells(lane, static_cast<int>(cells));
    // The window's end lies evenly within its last cell.
    const double held = s.detector == CompressorDetector::Peak ? (cells - 0.5) * cell : 0;
    const double attack = shareOf(s.attackMs, m_rateHz);
    const double release = shareOf(std::max(0.5 * s.releaseMs, s.releaseMs - held), m_rateHz);
    put(&CompressorValues::threshold, octaves(s.thresholdDb));
    put(&CompressorValues::slope, slopeOf(s));
    put(&CompressorValues::knee, octaves(s.kneeDb));
    put(&CompressorValues::range, octaves(s.rangeDb));
    put(&CompressorValues::makeup, octaves(s.makeupDb));
    put(&CompressorValues::mix, isOn ? s.mixPercent / 100 : 0);
    put(&CompressorValues::link,
        s.channels == CompressorChannels::Both && m_places[static_cast<std::size_t>(lane)].lanes != 1
            ? s.linkPercent / 100
            : 0);
    const double rise = isUp ? release : attack;
    const double fall = isUp ? attack : release;
    put(&CompressorValues::rise, rise);
    put(&CompressorValues::fall, fall);
    put(&CompressorValues::slowShare, s.release == CompressorRelease::Programme && !isUp ? kSlowShare : 0);
    put(&CompressorValues::slowRise, shareOf(kSlowRise * s.releaseMs, m_rateHz));
    put(&CompressorValues::slowFall, shareOf(kSlowFall * s.releaseMs, m_rateHz));
    put(&CompressorValues::grabShare, s.character == CompressorCharacter::Grab ? kGrabShare : 0);
    put(&CompressorValues::grabFollow, shareOf(std::max(kGrabLeastMs, kGrabAttacks * s.attackMs), m_rateHz));
    m_bank.hasTurned = m_bank.hasTurned || rise < fall;
}

void CompressorLanes::place(int lane, int lanes, const CompressorSettings& s, bool isOn, int waitFrames) {
    for (int l = lane; l < lane + lanes; ++l) {
        auto& at = m_places[static_cast<std::size_t>(l)];
        at.settings = s;
        at.lanes = l == lane ? lanes : 0;
        at.waitFrames = waitFrames;
        at.reach.set(actsOnPart(s) ? s.reach : GateReach::All, s.fromHz, s.toHz, m_rateHz);
        m_hasReach = m_hasReach || actsOnPart(s);
        m_bank.side[l] = s.direction == CompressorDirection::Up ? -1.0F : 1.0F;
        m_bank.way[l] = s.direction == CompressorDirection::Down ? -1.0F : 1.0F;
        const bool isPart = lanes == 2 && s.channels != CompressorChannels::Both;
        m_bank.own[l] = isPart ? 0.5F : 1.0F;
        m_bank.partner[l] = !isPart ? 0.0F : s.channels == CompressorChannels::Middle ? 0.5F : -0.5F;
        const bool isRms = s.detector == CompressorDetector::Rms;
        m_bank.isRms[l] = isRms ? 1.0F : 0.0F;
        m_bank.windowFrames[static_cast<std::size_t>(l)] =
            isRms ? std::max(1, static_cast<int>(std::lround(0.001 * s.windowMs * m_rateHz))) : 1;
        m_bank.windowShare[static_cast<std::size_t>(l)] =
            1.0 / m_bank.windowFrames[static_cast<std::size_t>(l)];
        m_bank.hasParts = m_bank.hasParts || isPart;
        m_bank.hasPairs = m_bank.hasPairs || lanes == 2;
        m_bank.hasRms = m_bank.hasRms || isRms;
        m_bank.hasSlow = m_bank.hasSlow || s.release == CompressorRelease::Programme ||
                         s.character == CompressorCharacter::Grab;
        take(l, s, isOn);
    }
    if (s.isSoftClipped) {
        if (!m_clip)
            m_clip.emplace(m_rateHz);
        m_clip->place(lane, lanes, clipOf(s), isOn, 0);
    }
}

void CompressorLanes::prepare() {
    std::array<int, kLanes> delays{};
    for (std::size_t l = 0; l < kLanes; ++l)
        delays[l] = lookAheadFrames(m_places[l].settings, m_rateHz) + m_places[l].waitFrames;
    m_delay.prepare(delays);
    m_bank.window.prepare(static_cast<int>(0.001 * kMostWindowMs * m_rateHz / m_bank.window.cellFrames) + 1);
    const int longest = *std::max_element(m_bank.windowFrames.begin(), m_bank.windowFrames.end());
    m_bank.squares.assign(!m_bank.hasRms ? 0 : std::bit_ceil(static_cast<std::size_t>(longest) + 1) * kLanes,
                          0.0F);
    if (m_clip)
        m_clip->prepare();
    m_piece.assign(m_hasReach ? static_cast<std::size_t>(CompressorBank::kPiece) * kLanes : 0, 0.0F);
    reset();
}

void CompressorLanes::set(int lane, const CompressorSettings& settings, bool isOn, int glideFrames) noexcept {
    const auto l = static_cast<std::size_t>(lane);
    if (m_clip && m_places[l].settings.isSoftClipped)
        m_clip->set(lane, clipOf(settings), isOn, glideFrames);
    for (int one = lane; one < lane + m_places[l].lanes; ++one) {
        for (const auto value : kValues)
            (m_from.*value)[one] = (m_bank.values.*value)[one];
        take(one, settings, isOn);
        m_glides[static_cast<std::size_t>(one)] = {std::max(1, glideFrames), glideFrames};
        bool moves = false;
        for (const auto value : kValues) {
            moves = moves || (m_from.*value)[one] != (m_to.*value)[one];
            if (glideFrames == 0)
                (m_bank.values.*value)[one] = (m_to.*value)[one];
        }
        if (!moves)
            m_glides[static_cast<std::size_t>(one)].left = 0;
        m_isGliding = m_isGliding || m_glides[static_cast<std::size_t>(one)].left > 0;
    }
}

void CompressorLanes::reset() noexcept {
    m_bank.values = m_to;
    m_glides = {};
    m_isGliding = false;
    m_bank.reduction = m_bank.slow = m_bank.grabbed = {};
    for (auto& place : m_places)
        place.reach.reset();
    m_bank.window.reset();
    std::fill(m_bank.squares.begin(), m_bank.squares.end(), 0.0F);
    m_bank.squareAt = 0;
    m_bank.squareSums = {};
    m_bank.gain.v.fill(1);
    m_delay.reset();
    if (m_clip)
        m_clip->reset();
}

void CompressorLanes::copyLanes(int lane, const CompressorLanes& from, int fromLane, int lanes) noexcept {
    const auto& b = from.m_bank;
    if (m_clip && from.m_clip)
        m_clip->copyLanes(lane, *from.m_clip, fromLane, lanes);
    for (int l = lane, f = fromLane; l < lane + lanes; ++l, ++f) {
        for (const auto value : kValues)
            (m_bank.values.*value)[l] = (b.values.*value)[f];
        for (const auto state : {&CompressorBank::reduction, &CompressorBank::slow, &CompressorBank::grabbed,
                                 &CompressorBank::gain})
            (m_bank.*state)[l] = (b.*state)[f];
        m_bank.window.copyLane(l, b.window, f);
        const auto to = static_cast<std::size_t>(l);
        const auto at = static_cast<std::size_t>(f);
        if (m_bank.windowFrames[to] == b.windowFrames[at] && m_bank.hasRms && b.hasRms) {
            const int mask = static_cast<int>(m_bank.squares.size()) / kLanes - 1;
            const int otherMask = static_cast<int>(b.squares.size()) / kLanes - 1;
            for (int n = 1; n <= m_bank.windowFrames[to]; ++n)
                m_bank.squares[static_cast<std::size_t>(((m_bank.squareAt - n) & mask) * kLanes + l)] =
                    b.squares[static_cast<std::size_t>(((b.squareAt - n) & otherMask) * kLanes + f)];
            m_bank.squareSums[to] = b.squareSums[at];
        }
        m_delay.copyLane(l, from.m_delay, f);
        if (m_places[to].settings.reach == from.m_places[at].settings.reach)
            m_places[to].reach.copyStateFrom(from.m_places[at].reach);
        m_glides[to].left = 0;
    }
}

void CompressorLanes::stepGlides() noexcept {
    m_isGliding = false;
    for (int lane = 0; lane < kLanes; ++lane) {
        Glide& glide = m_glides[static_cast<std::size_t>(lane)];
        if (glide.left == 0)
            continue;
        --glide.left;
        m_isGliding = m_isGliding || glide.left > 0;
        const float t = 1 - static_cast<float>(glide.left) / static_cast<float>(glide.frames);
        const float share = t * t * (3 - 2 * t);
        for (const auto value : kValues) {
            const float a = (m_from.*value)[lane];
            const float b = (m_to.*value)[lane];
            (m_bank.values.*value)[lane] = glide.left == 0 ? b : a + share * (b - a);
        }
    }
}

void CompressorLanes::compressPart(const Kernels& k, const float* heard, float* io, int frames) noexcept {
    // Where a lane acts on a part of the spectrum its gain is what becomes of a constant.
    for (int i = 0; i < frames * kLanes; ++i)
        m_piece[static_cast<std::size_t>(i)] =
            actsOnPart(m_places[static_cast<std::size_t>(i % kLanes)].settings) ? 1 : io[i];
    k.compress(m_bank, heard, m_piece.data(), frames);
    std::array<float, CompressorBank::kPiece> gains;
    for (int lane = 0; lane < kLanes; ++lane) {
        auto& place = m_places[static_cast<std::size_t>(lane)];
        const bool isPart = actsOnPart(place.settings);
        for (int n = 0; n < frames; ++n) {
            const float value = m_piece[static_cast<std::size_t>(n * kLanes + lane)];
            if (isPart)
                gains[static_cast<std::size_t>(n)] = value;
            else
                io[n * kLanes + lane] = value;
        }
        if (isPart)
            place.reach.process(io + lane, kLanes, gains.data(), false, frames);
    }
}

void CompressorLanes::compress(const Kernels& k, const float* heard, float* io, int frames) noexcept {
    if (!m_hasReach) {
        k.compress(m_bank, heard, io, frames);
        return;
    }
    for (int done = 0; done < frames; done += CompressorBank::kPiece) {
        const std::ptrdiff_t at = static_cast<std::ptrdiff_t>(done) * kLanes;
        compressPart(k, heard + at, io + at, std::min(frames - done, CompressorBank::kPiece));
    }
}

void CompressorLanes::processWith(const Kernels& k, const float* heard, float* io, int frames) noexcept {
    if (hearsApart())
        k.delay(m_delay, io, frames);
    int done = 0;
    for (; done < frames && m_isGliding; ++done) {
        stepGlides();
        compress(k, heard + done * kLanes, io + done * kLanes, 1);
    }
    if (done < frames)
        compress(k, heard + done * kLanes, io + done * kLanes, frames - done);
    if (m_clip)
        m_clip->process(io, io, frames);
}

} // namespace cask::dsp
