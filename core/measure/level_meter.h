// Levels of a whole file: peak, RMS, crest, offset, clipped runs, noise floor.
#pragma once

#include <core/base/units.h>
#include <core/measure/clipping.h>
#include <span>
#include <vector>

namespace cask::measure {

/// Digital silence in all channels: a muted stretch, or a recorder that stopped.
struct SilentRun {
    double startS = 0; ///< from the file's start
    double lengthS = 0;
    bool isToEnd = false;         ///< nothing comes after it
    double beforeDb = kSilenceDb; ///< level of the 50 ms before it, dBFS: noise when a recording was cut
};

struct LevelFacts {
    double peakDb = kSilenceDb;          ///< dBFS
    double rmsDb = kSilenceDb;           ///< of all channels together
    double dcOffset = 0;                 ///< mean, linear; of the channel that has most
    double noiseFloorDb = kSilenceDb;    ///< 10th percentile of the level of 50 ms stretches
    std::vector<ClippedRun> clippedRuns; ///< the first kMostRuns
    Frames clippedRunCount = 0;
    std::vector<SilentRun>
        silentRuns; ///< of at least kLeastSilenceS after the first sound; the first kMostRuns
    Frames silentRunCount = 0;
    [[nodiscard]] double crestDb() const { return peakDb - rmsDb; }
    [[nodiscard]] bool isSilent() const { return peakDb < -120; }
};

/// Streaming; not thread-safe.
class LevelMeter {
  public:
    static constexpr std::size_t kMostRuns = 200;
    static constexpr double kLeastSilenceS = 0.5;

    LevelMeter(double sampleRateHz, int channels);
    void add(std::span<const float> interleaved);
    [[nodiscard]] LevelFacts result() const;

  private:
    struct Channel {
        double sum = 0;
        double squares = 0;
        ClipFinder clips;
    };
    static constexpr std::size_t kPiece = 256;
    /// Up to kPiece frames within one stretch.
    void addPiece(const float* samples, std::size_t frames);
    void addSilence(std::span<const float> loudest);
    void endSilence(bool isToEnd);

    double m_rateHz;
    std::vector<Channel> m_channels;
    Frames m_frames = 0;
    float m_peak = 0;
    Frames m_stretchFrames;
    Frames m_inStretch = 0;
    double m_stretchSquares = 0;
    std::vector<float> m_stretchDb;
    Frames m_leastSilence;
    Frames m_silentFrames = 0; // in a row, up to now
    std::vector<SilentRun> m_silences;
    Frames m_silenceCount = 0;
};

} // namespace cask::measure
