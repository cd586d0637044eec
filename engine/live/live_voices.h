// Voices that are struck while they are heard: by a device, by the simulated player, by a button.
#pragma once

#include "engine/live/live_chain.h"
#include "engine/transport/message_queue.h"

#include <array>
#include <chrono>
#include <core/layers/live_kit.h>
#include <memory>
#include <vector>

namespace cask::engine {

/// A stroke on its way to the audio thread.
struct LiveStroke {
    int note = 0;
    int velocity = 100;
    std::chrono::steady_clock::time_point at; ///< when it was made; the beginning of time: as soon as it can
};

/// A stroke that was heard while the session played: where, before what the device delays.
struct HeardStroke {
    int note = 0;
    int velocity = 0;
    Frames at = 0;
};

/// What is played by hand, and the click that is played to. Not changed once it is on its way.
struct LiveSetup {
    std::shared_ptr<const layers::LiveKit> kit; ///< null: silent
    struct Beat {
        Frames at = 0;
        bool isFirst = false; ///< of its bar
    };
    std::vector<Beat> beats; ///< by time; none: no click
    float gain = 1;          ///< of the kit
    float clickGain = 0.25F;
};

/// Audio thread only, but for the queues. All voices are there from the start; a stroke that finds none free
/// takes the place of the oldest, which falls silent within the time of a choke. What comes out does not
/// depend on how it is cut into blocks.
class LiveVoices {
  public:
    static constexpr int kVoices = 64;
    static constexpr int kFading = 16; ///< those that were taken

    explicit LiveVoices(double sampleRateHz);

    /// Takes another setup; what sounds of the one before falls silent. The one before is told to `garbage`
    /// once nothing sounds of it. RT: no alloc, no lock.
    void take(LiveSetup* setup) noexcept;
    /// What voices of the setup go through from now on, null: nothing. Gives back the one before. RT: no
    /// alloc, no lock.
    [[nodiscard]] LiveChain* takeChain(LiveChain* chain) noexcept;
    /// What is done with since the last call, or null. RT.
    [[nodiscard]] LiveSetup* takeGarbage() noexcept;

    /// A stroke within a block.
    struct Timed {
        int offset = 0;
        int note = 0;
        int velocity = 0;
    };
    /// Adds to a block of interleaved stereo what sounds, what its strokes (by offset) begin, and the clicks
    /// of a session that plays from a frame on; kStopped: it does not play. RT: no alloc, no lock.
    static constexpr Frames kStopped = -1;
    void play(float* interleaved, int frames, Frames from, std::span<const Timed> strokes) noexcept;
    [[nodiscard]] int sounding() const noexcept;

    /// Deletes what is still held. REQUIRES: nothing renders any more.
    void clear();

  private:
    struct Sounding {
        const measure::Sound* sound = nullptr; ///< null: free
        const LiveSetup* of = nullptr;
        Frames at = 0;    ///< of the sound
        int wait = 0;     ///< frames until it begins
        int fadeLeft = 0; ///< over 0: it falls silent; frames left
        float left = 0, right = 0;
        int chokedBy = 0;
        long long number = 0; ///< of its stroke
    };
    void strike(int note, int velocity) noexcept;
    void start(const measure::Sound& sound, Frames from, int wait, float left, float right, int chokedBy,
               const LiveSetup* of) noexcept;
    void render(float* interleaved, int frames, Frames at) noexcept;
    void add(Sounding& voice, float* interleaved, int frames) noexcept;
    void fade(Sounding& voice) noexcept;

    std::array<Sounding, kVoices> m_voices;
    std::array<Sounding, kFading> m_fading;
    LiveSetup* m_setup = nullptr;
    std::array<LiveSetup*, 8> m_old{}; ///< whose voices still fall silent
    LiveChain* m_chain = nullptr;
    Frames m_chainAt = 0;                                  ///< while the session does not play
    Frames m_quietFrames = 0;                              ///< since a voice went into the chain
    std::array<float, 2 * LiveChain::kMostFrames> m_own{}; ///< what goes through it
    Frames m_ringFrames;                                   ///< behind the last voice it is not asked any more
    std::vector<int> m_turns;                              ///< strokes so far, by the place of a note
    long long m_strokes = 0;
    int m_fadeFrames;
    measure::Sound m_click, m_firstClick;
};

} // namespace cask::engine
