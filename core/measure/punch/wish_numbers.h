// What is measured of sounds, hit by hit, to judge a wish.
#pragma once

#include <core/measure/integrated_loudness.h>
#include <core/measure/punch/wishes.h>

namespace cask::measure {

/// Levels, dB; kSilenceDb where there is nothing to be judged. One for each own hit, but `spill`.
struct WishNumbers {
    std::vector<double> peak, attack, body, late;
    std::vector<double> gap;          ///< before the next hit, of those that leave one
    std::vector<double> left;         ///< shortly before the next hit
    std::vector<double> ducked;       ///< the first 60 ms
    std::vector<double> harsh, other; ///< in the band of harshness and under it
    std::vector<double> spill;        ///< one for each hit that is not own
    double lufs = kSilenceDb;
};

/// Where sounds are measured: the same for all that become of one material.
class WishWindows {
  public:
    WishWindows(Wish wish, const HitMaterial& material);

    struct Hit {
        bool isFollowed = false;
        bool isGhost = false;
    };
    [[nodiscard]] const std::vector<Hit>& hits() const { return m_hits; }
    /// Of each hit that is not own.
    [[nodiscard]] const std::vector<int>& spillDrums() const { return m_spillDrums; }

  private:
    friend class WishFold;
    /// Frames first, then places among the edges; empty: there is none.
    struct Window {
        std::size_t from = 0, to = 0;
    };
    using Windows = std::vector<Window>;
    void addHit(std::size_t from, std::size_t next, bool isFollowed);

    double m_rateHz;
    Wish m_wish;
    std::size_t m_channels;
    std::vector<Hit> m_hits;
    std::vector<int> m_spillDrums;
    Windows m_peak, m_attack, m_body, m_late, m_gap, m_left, m_ducked, m_harsh, m_spill;
    std::vector<std::size_t> m_edges; ///< frames, rising
};

/// Measures sounds side by side, as they come: sound i on lanes i * channels and up.
class WishFold {
  public:
    explicit WishFold(const WishWindows& windows);
    /// REQUIRES: frames come in order, none is left out.
    void add(std::size_t at, const float* lanes, int frames);
    [[nodiscard]] WishNumbers numbers(std::size_t sound) const;

  private:
    /// Energy and greatest sample between neighbouring edges.
    class Levels {
      public:
        explicit Levels(const std::vector<std::size_t>& edges) : m_edges(edges), m_between(edges.size()) {}
        void add(std::size_t at, const float* lanes, int frames);
        [[nodiscard]] double meanDb(WishWindows::Window window, std::size_t lane, std::size_t lanes) const;
        [[nodiscard]] double peakDb(WishWindows::Window window, std::size_t lane, std::size_t lanes) const;

      private:
        struct Between {
            std::array<double, dsp::kLanes> energy{};
            dsp::LaneFloats peak;
        };
        const std::vector<std::size_t>& m_edges;
        std::size_t m_next = 0;         ///< edge
        std::vector<Between> m_between; ///< from each edge to the next one
    };
    /// A part of the spectrum.
    struct Part {
        dsp::SectionBank filter;
        Levels levels;
    };

    const WishWindows& m_windows;
    Levels m_levels;
    LaneLoudness m_loudness;
    std::vector<Part> m_parts; ///< of DeHarsh: the band, and what lies under it
    dsp::LaneBuffer m_piece;
};

} // namespace cask::measure
