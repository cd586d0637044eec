// A stack as sound: its layers struck in time.
#pragma once

#include <core/base/audio_source.h>
#include <core/base/progress.h>
#include <core/layers/layer.h>
#include <core/layers/prepared_sound.h>
#include <limits>
#include <memory>
#include <string>
#include <vector>

namespace cask::layers {

/// A sound on its way, all of it known before playing begins.
struct Voice {
    static constexpr Frames kNever = std::numeric_limits<Frames>::max();

    std::size_t strike = 0;
    std::size_t layer = 0;
    std::size_t sound = 0; ///< of StackSource::sounds()
    Frames start = 0;      ///< where the sound's first frame lies; may be before 0
    float left = 1, right = 1;
    Frames choked = kNever; ///< from here on it falls silent within kChokeMs
    int chokeGroup = 0;     ///< that it ends when it begins; 0: none
    int chokedBy = 0;       ///< ends when a voice of that group begins; 0: never
};

/// Sample-accurate: a strike's nearest frame is where its sounds begin, or have their transients. What is
/// read depends on the place alone, so that seeking, looping and rendering agree, in blocks of any length.
/// Voices are known before; reading allocates nothing, takes no lock and no file.
class StackSource final : public AudioSource {
  public:
    static constexpr double kChokeMs = 6;
    /// Of all sounds of a stack; more is refused.
    static constexpr std::size_t kMostFloats = 256U << 20U;

    /// Reads and prepares what the strikes need. An error names the file that can't be used, or the layer
    /// that needs too much memory.
    [[nodiscard]] static Result<std::shared_ptr<StackSource>>
    make(const Stack& stack, double rateHz, const CancelToken& cancel = {}, const ProgressFn& progress = {});

    [[nodiscard]] int channels() const noexcept override { return m_channels; }
    [[nodiscard]] Frames frames() const noexcept override { return m_frames; }
    bool read(int channel, Frames start, std::span<float> out) noexcept override;

    [[nodiscard]] const std::vector<Voice>& voices() const { return m_voices; } ///< by start
    [[nodiscard]] const std::vector<PreparedSound>& sounds() const { return m_sounds; }
    /// What of the kits was left out or not understood, a sentence each.
    [[nodiscard]] const std::vector<std::string>& notes() const { return m_notes; }

  private:
    friend class StackBuilder;
    StackSource() = default;
    std::vector<PreparedSound> m_sounds;
    std::vector<Voice> m_voices;
    std::vector<std::string> m_notes;
    Frames m_frames = 0;
    Frames m_longest = 0; ///< of a sound
    Frames m_chokeFrames = 1;
    int m_channels = 1;
};

} // namespace cask::layers
