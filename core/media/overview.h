// The picture of a file: least, greatest and mean square per bin, at several widths of bin.
#pragma once

#include <core/base/result.h>
#include <core/base/units.h>
#include <filesystem>
#include <span>
#include <string_view>
#include <vector>

namespace cask::media {

struct OverviewBin {
    float min = 0;
    float max = 0;
    float meanSquare = 0;
};

/// A pyramid per channel: level 0 has bins of kBaseBinFrames, each further level bins four times as wide.
class Overview {
  public:
    static constexpr Frames kBaseBinFrames = 256;
    static constexpr int kWidening = 4;

    Overview() = default;
    explicit Overview(int channels);

    /// Takes the next piece of interleaved sound. REQUIRES: finish() was not called yet.
    void add(std::span<const float> interleaved);
    /// Closes the last bin and builds the wider levels.
    void finish();

    [[nodiscard]] int channels() const { return static_cast<int>(m_levels.size()); }
    [[nodiscard]] Frames frames() const { return m_frames; }
    [[nodiscard]] int levels(int channel) const;
    [[nodiscard]] std::span<const OverviewBin> level(int channel, int level) const;
    [[nodiscard]] static Frames binFrames(int level);
    /// Least, greatest and mean square over [from, to) frames, from the widest bins that serve (exact to a
    /// base bin).
    [[nodiscard]] OverviewBin range(int channel, Frames from, Frames to) const;

    [[nodiscard]] std::string serialise() const;
    [[nodiscard]] static Result<Overview> parse(std::string_view bytes);

  private:
    struct Open {
        float min = 0;
        float max = 0;
        double sum = 0;
    };
    void closeBin();

    std::vector<std::vector<std::vector<OverviewBin>>> m_levels; // [channel][level][bin]
    std::vector<Open> m_open;
    Frames m_openFrames = 0;
    Frames m_frames = 0;
};

} // namespace cask::media
