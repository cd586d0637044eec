// A stack ready to be struck at any moment: what plays for every note, velocity and turn is known before.
#pragma once

#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/layers/stack_source.h>
#include <memory>
#include <span>
#include <vector>

namespace cask::layers {

/// By hand there is no later and no earlier: sections, rolls and classes of a rule are those of a single
/// stroke, called by its velocity (accents from kAccentVelocity on, ghosts under kGhostVelocity). Turns and
/// chances go round after kTurns strokes of a note.
class LiveKit {
  public:
    static constexpr int kTurns = 8;
    static constexpr int kAccentVelocity = 112;
    static constexpr int kGhostVelocity = 48;

    /// What one stroke lets sound.
    struct Voice {
        const measure::Sound* sound = nullptr; ///< one or two channels
        Frames from = 0;                       ///< of it, at the stroke: by hand it begins at its transient
        Frames wait = 0;                       ///< behind the stroke
        float left = 1, right = 1;
        int chokeGroup = 0, chokedBy = 0; ///< 0: none
    };

    /// An error names the sound that can't be used.
    [[nodiscard]] static Result<std::shared_ptr<const LiveKit>> make(const Stack& stack, double rateHz,
                                                                     const CancelToken& cancel = {});
    /// The notes that are told apart, by how often the stack's strikes have them; any other is the first.
    [[nodiscard]] const std::vector<int>& notes() const { return m_notes; }
    /// The place of a note in notes(). RT: no alloc, no lock.
    [[nodiscard]] int placeOf(int note) const noexcept;
    /// Of a stroke: velocity 1 to 127, `turn` any number that counts up. RT: no alloc, no lock.
    [[nodiscard]] std::span<const Voice> voices(int place, int velocity, int turn) const noexcept;
    [[nodiscard]] Frames chokeFrames() const { return m_chokeFrames; }

  private:
    LiveKit() = default;
    std::shared_ptr<StackSource> m_source; ///< holds the sounds
    std::vector<int> m_notes;
    std::vector<Voice> m_voices;        ///< by stroke
    std::vector<std::size_t> m_strokes; ///< where those of a stroke begin; one more for the end
    Frames m_chokeFrames = 1;
};

} // namespace cask::layers
