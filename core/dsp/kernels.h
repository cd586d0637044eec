// The hot loops, once for each instruction set, chosen at run time.
#pragma once

#include <core/dsp/lane.h>
#include <core/dsp/section_design.h>
#include <cstdint>
#include <span>

namespace cask::dsp {

struct CompressorBank;
struct CurvePlanes;
struct HalfBand;
struct TapeBank;
struct DynamicBank;
struct GateBank;
struct LaneDelay;
struct PeakTaps;
struct TransientBank;

/// One filter section of a group: coefficients, glide and state of every lane. A lane without the filter has
/// m0 = 1, m1 = m2 = 0 and is passed through untouched.
struct SectionLanes {
    LaneFloats g, k, m0, m1, m2;                     ///< where the glide ends
    LaneFloats fromG, fromK, fromM0, fromM1, fromM2; ///< where it began
    LaneFloats c1, c2, c3;                           ///< of the state's step; valid while nothing glides
    LaneFloats d, e1, e2;                            ///< output = d x + e1 s1 + e2 s2, likewise
    LaneFloats s1, s2;                               ///< state
};

/// Sections in cascade for one group.
struct SectionBank {
    std::vector<SectionLanes> sections;
    int glideFrames = 0; ///< length of a glide
    int glideLeft = 0;   ///< frames still to go
};

/// A bank whose sections pass every lane through.
[[nodiscard]] SectionBank makeBank(int sections);
/// Sets the goal of one lane of one section; the glide is begun by beginGlide().
void setTarget(SectionLanes& section, int lane, const SvfCoefficients& c);
/// Takes the targets at once, with no glide.
void settle(SectionBank& bank);
/// Begins a glide from what sounds now to the targets.
/// REQUIRES: `from*` hold what sounded last (see captureCurrent).
void beginGlide(SectionBank& bank, int frames);
/// Writes what sounds at this moment into `from*`, also in the middle of a glide.
void captureCurrent(SectionBank& bank);

/// Gains from every lane of a source group to every lane of a target group.
struct MixMatrix {
    std::array<LaneFloats, kLanes> gain; ///< [source lane][target lane], where the glide ends
    std::array<LaneFloats, kLanes> from;
    std::array<bool, kLanes> isUsed{}; ///< source lanes with any gain
    int glideFrames = 0;
    int glideLeft = 0;
};

/// Per lane: greatest absolute sample and sum of squares.
struct LaneLevels {
    LaneFloats peak;
    LaneFloats sumSquares;
};

/// What gains make of a sound, and the least and the greatest of them, lane by lane.
struct GainLevels {
    LaneLevels before;
    LaneLevels after;
    LaneFloats least;
    LaneFloats most;
};

/// Sections of a bank whose lanes are bands of one channel.
inline constexpr int kBandSections = 3;

/// Coefficients of a per-lane interpolation filter, newest sample first.
inline constexpr int kShiftTaps = 32;

/// How what a curve changes is added to the sound that it changes, lane by lane.
struct ShapedMix {
    LaneFloats mix;
    LaneFloats output; ///< gain of all of it
    LaneFloats blocks; ///< 1: without what the curve shifts
    LaneFloats mean;   ///< state: what it shifts
    float share = 0;   ///< of the way that the mean goes in a frame
};

struct Kernels {
    const char* name;
    /// Filters io in place. RT: no alloc, no lock. Same bits however the frames are split into calls.
    void (*filter)(SectionBank& bank, float* io, int frames) noexcept;
    /// target = matrix * source, or target += matrix * source when it adds.
    void (*mix)(MixMatrix& matrix, const float* source, float* target, int frames, bool adds) noexcept;
    /// out[n] = sum over taps of coefficient[t] * in[n + kShiftTaps - 1 - t]; `in` has frames + kShiftTaps -
    /// 1 frames.
    void (*shift)(const LaneFloats* coefficients, const float* in, float* out, int frames) noexcept;
    /// Levels of these frames alone. A sum of squares that is not finite tells of a sample that is not.
    void (*levels)(const float* in, int frames, LaneLevels& levels) noexcept;
    /// The same of a sound before and after it becomes sound * (dry + scale * gain), which is never written.
    /// REQUIRES: frames > 0.
    void (*gainLevels)(const float* sound, const float* gain, float dry, float scale, int frames,
                       GainLevels& levels) noexcept;
    /// Levels of runs of frames, one after the other, of one channel through the lanes of a bank: the numbers
    /// of filter() and levels() on eight copies of it, which are never written. REQUIRES: the bank has
    /// kBandSections sections and does not glide. Without runs nothing happens.
    void (*levelsOfBands)(SectionBank& bank, const float* mono, std::span<const int> runs,
                          LaneLevels* levels) noexcept;
    /// out[n] of lane l = gain[l] * planar[l][n].
    void (*interleave)(const float* const* planar, const LaneFloats& gain, float* out, int frames) noexcept;
    /// peaks[n] = greatest absolute value between the samples of the window x[n .. n + kTaps).
    /// REQUIRES: frames is a multiple of kLanes.
    void (*peaks)(const PeakTaps& taps, const float* x, int frames, float* peaks) noexcept;
    /// A half-band to twice the rate: out[2 i] of plane i = sum over t of taps[t] * in[from[i + t]], out[2 i
    /// + 1] = in[middle[i]], in columns up to a multiple of a register's.
    void (*planesUp)(const HalfBand& band, const float* in, float* out, int columns) noexcept;
    /// And back: out[i] = in[middle[i]] / 2 + sum over t of taps[t] * in[from[i + t]].
    void (*planesDown)(const HalfBand& band, const float* in, float* out, int columns) noexcept;
    /// Copies planes that are so far apart here and there. REQUIRES: columns are a multiple of kPlaneStep.
    void (*movePlanes)(const float* from, int fromStride, float* to, int toStride, int planes,
                       int columns) noexcept;
    /// planes[l][p * kPlaneStride + m] = in[kPlanes * m + p] of lane l, and back.
    void (*lanesToPlanes)(const float* in, float* const* planes, int frames) noexcept;
    void (*planesToLanes)(const float* const* planes, float* out, int frames) noexcept;
    /// A block at `factor` times the rate becomes what a curve changes of it; `frames` are those of the
    /// block. RT: no alloc, no lock.
    void (*curve)(CurvePlanes& curve, float* io, int factor, int frames) noexcept;
    /// io becomes what tape changes of it, in every lane. RT: no alloc, no lock.
    void (*tape)(TapeBank& bank, float* io, int frames) noexcept;
    /// io is delayed, then io = output (io + mix (changed - blocks * its mean)), lane by lane.
    void (*addShaped)(ShapedMix& mix, LaneDelay& delay, const float* changed, float* io, int frames) noexcept;
    /// Delays io in place.
    void (*delay)(LaneDelay& delay, float* io, int frames) noexcept;
    /// Changes io in place by what is heard, frame by frame; `heard` may be io itself. RT: no alloc, no lock.
    void (*compress)(CompressorBank& bank, const float* heard, float* io, int frames) noexcept;
    /// levels = |heard|, in the lanes of pairs the louder of both sides.
    void (*louder)(const LaneFloats& isPair, const float* heard, float* levels, int frames) noexcept;
    /// The bank's gains from levels, or where these are null from what is heard, as louder() would find them.
    /// REQUIRES: 0 < frames <= GateBank::kPiece. RT: no alloc, no lock.
    void (*gate)(GateBank& bank, const float* heard, const float* levels, int frames) noexcept;
    /// io *= gains, lane by lane.
    void (*multiply)(const float* gains, float* io, int frames) noexcept;
    /// delay() and multiply() in one.
    void (*delayAndMultiply)(LaneDelay& delay, const float* gains, float* io, int frames) noexcept;
    /// The bank's gains from what is heard. REQUIRES: 0 < frames <= TransientBank::kPiece. RT: no alloc, no
    /// lock.
    void (*shape)(TransientBank& bank, const float* heard, int frames) noexcept;
    /// Runs the bands of a bank on io in place, by what is heard; `heard` may be io itself.
    /// REQUIRES: 0 < frames <= DynamicBank::kPiece. RT: no alloc, no lock.
    void (*moveBands)(DynamicBank& bank, const float* heard, float* io, int frames) noexcept;
};

/// The best set for this processor, or the one that EMBER_CASK_KERNELS names: scalar, sse4, avx2, avx512.
[[nodiscard]] const Kernels& kernels();
/// Every set this processor can run, plain scalar first: for tests and benchmarks.
[[nodiscard]] std::span<const Kernels* const> allKernels();

/// Flushes denormal numbers to zero for as long as it lives, on this thread.
class DenormalGuard {
  public:
    DenormalGuard() noexcept;
    DenormalGuard(const DenormalGuard&) = delete;
    DenormalGuard& operator=(const DenormalGuard&) = delete;
    ~DenormalGuard();

  private:
    std::uint32_t m_before;
};

} // namespace cask::dsp
