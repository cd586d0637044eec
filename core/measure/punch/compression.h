// What a compressor or a transient shaper does to the hits of a performance, from the gain that it really
// has.
#pragma once

#include <core/base/parallel.h>
#include <core/base/progress.h>
#include <core/dsp/compressor_settings.h>
#include <core/dsp/limiter.h>
#include <core/dsp/transient_settings.h>
#include <core/measure/hits/hit_material.h>
#include <core/measure/punch/hit_shapes.h>
#include <span>
#include <vector>

namespace cask::measure {

/// Other settings from a moment on.
template <class Settings> struct SettingsTurn {
    double timeS = 0; ///< session time
    Settings settings;
    double glideS = 0;
};
using CompressionTurn = SettingsTurn<dsp::CompressorSettings>;
using ShapingTurn = SettingsTurn<dsp::TransientSettings>;

/// An own hit before and after.
struct CompressedHit {
    int hit = 0;           ///< of the material
    double timeS = 0;      ///< onset, session time
    double levelDb = 0;    ///< greatest level of the detector within 20 ms of the onset, dBFS
    double beforeDb = 0;   ///< greatest sample within 20 ms of the onset, dBFS
    double afterDb = 0;    ///< the same of what comes out, with make-up and mix
    double changeDb = 0;   ///< the gain farthest from 0 dB until the next own hit, without make-up and mix
    double changeAtMs = 0; ///< of that, after the onset
    double leftDb = 0;     ///< gain at the next own hit; 0 after the last one
    [[nodiscard]] double keptDb() const { return afterDb - beforeDb; }
};

/// What another drum's hits move the gain by: pumping.
struct Pumped {
    int drum = -1;
    int hits = 0;       ///< that stand clear of own hits, and of louder ones of others
    int moved = 0;      ///< those that move it by 1 dB and more
    double movedDb = 0; ///< median over all of them
    [[nodiscard]] double share() const { return hits == 0 ? 0 : static_cast<double>(moved) / hits; }
};

/// Hits millisecond by millisecond, from kBeforeMs before the onset on: mean power before and after (dBFS)
/// and mean gain (dB, without make-up and mix). Empty without hits.
struct HitCourse {
    static constexpr int kBeforeMs = 20;
    static constexpr int kAfterMs = 380;
    std::vector<float> beforeDb;
    std::vector<float> afterDb;
    std::vector<float> gainDb;
};

struct Compression {
    std::vector<CompressedHit> hits; ///< own hits, by time
    std::vector<Pumped> pumped;      ///< by drum, the one that moves it most first
    HitCourse average;               ///< over own hits that are no ghosts

    /// Of all hits: before how many less than 1 dB of the change is left, counted over those that have a
    /// next.
    int recovered = 0;
    int followed = 0;
    /// Median of the greatest changes, dB.
    [[nodiscard]] double middleChangeDb() const;
};

/// Own hits of some stretches of time alone, without an average. What other drums move stays that of the
/// whole.
[[nodiscard]] Compression within(const Compression& whole, std::span<const MaterialStretch> stretches);
/// The average of own hits of some stretches of time that are no ghosts.
[[nodiscard]] HitCourse averageWithin(const HitMaterial& material, const std::vector<PunchCell>& cells,
                                      std::span<const MaterialStretch> stretches);
/// The mean of some hits of the material; what lies outside of it is silent.
[[nodiscard]] HitCourse courseOf(const HitMaterial& material, const std::vector<PunchCell>& cells,
                                 std::span<const int> hits);

/// Runs the compressor's own kernel over the material: what is told here is what is heard. Once cancelled the
/// rest stays unmeasured.
[[nodiscard]] Compression measureCompression(const HitMaterial& material,
                                             const dsp::CompressorSettings& settings,
                                             const std::vector<CompressionTurn>& turns = {},
                                             const CancelToken& cancel = {});

/// By how much it changes the gain in each millisecond of the material, farthest, dB, without make-up and
/// mix; a change up and one down are both more than 0.
[[nodiscard]] std::vector<float> reductionsDb(const HitMaterial& material,
                                              const dsp::CompressorSettings& settings,
                                              const CancelToken& cancel = {});

/// The gain (linear) of the first channel at every frame of the material, without make-up and mix; 1 from
/// where it was cancelled.
[[nodiscard]] std::vector<float> gainsOf(const HitMaterial& material, const dsp::CompressorSettings& settings,
                                         const CancelToken& cancel = {});

/// measureCompression() of a transient shaper, by its kernel.
[[nodiscard]] Compression measureShaping(const HitMaterial& material, const dsp::TransientSettings& settings,
                                         const std::vector<ShapingTurn>& turns = {},
                                         const CancelToken& cancel = {});

/// The same of a limiter. The gain of a millisecond is read off its loudest frame; levels are the sound's
/// own.
[[nodiscard]] Compression measureLimiting(const HitMaterial& material, const dsp::LimiterSettings& settings,
                                          const CancelToken& cancel = {});

/// The sound behind it, its look-ahead taken out; silence from where it was cancelled.
[[nodiscard]] std::vector<std::vector<float>> compressedSound(const HitMaterial& material,
                                                              const dsp::CompressorSettings& settings,
                                                              const std::vector<CompressionTurn>& turns = {},
                                                              const CancelToken& cancel = {});
[[nodiscard]] std::vector<std::vector<float>> shapedSound(const HitMaterial& material,
                                                          const dsp::TransientSettings& settings,
                                                          const std::vector<ShapingTurn>& turns = {},
                                                          const CancelToken& cancel = {});
[[nodiscard]] std::vector<std::vector<float>> limitedSound(const HitMaterial& material,
                                                           const dsp::LimiterSettings& settings,
                                                           const CancelToken& cancel = {});

/// Both at once and in little time, while a value is dragged: what a compressor, a transient shaper or a
/// limiter does, and roughShapes(). `powers`: loudnessPowers() of the material.
struct QuickPunch {
    Compression compression;
    ShapeChange shapes;
    std::vector<PunchCell> cells;
};
[[nodiscard]] QuickPunch measureQuickly(const HitMaterial& material, const std::vector<float>& powers,
                                        const dsp::CompressorSettings& settings,
                                        const std::vector<CompressionTurn>& turns = {},
                                        const CancelToken& cancel = {},
                                        const ParallelFor& parallel = oneByOne);
[[nodiscard]] QuickPunch measureQuickly(const HitMaterial& material, const std::vector<float>& powers,
                                        const dsp::TransientSettings& settings,
                                        const std::vector<ShapingTurn>& turns = {},
                                        const CancelToken& cancel = {},
                                        const ParallelFor& parallel = oneByOne);

[[nodiscard]] QuickPunch measureQuickly(const HitMaterial& material, const std::vector<float>& powers,
                                        const dsp::LimiterSettings& settings, const CancelToken& cancel = {});

} // namespace cask::measure
