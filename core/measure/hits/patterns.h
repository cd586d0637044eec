// How each drum is heard: its power in every microphone and band for a stroke of size one, and the strokes
// that explain what all microphones heard at one moment.
#pragma once

#include <core/measure/hits/arrivals.h>
#include <core/measure/hits/kit_model.h>
#include <vector>

namespace cask::measure {

/// A channel whose levels count.
struct TrailChannel {
    int input = 0;
    const BandTrail* trail = nullptr;
    double offsetS = 0;
    bool isAmbient = false;
    std::array<float, kTrailBands> floor{}; ///< noise, power
};

/// Regions of the spectrum in which different drums are told apart by time: shells, wires and sticks, metal.
inline constexpr std::size_t kRegions = 3;
inline constexpr std::array<std::pair<std::size_t, std::size_t>, kRegions> kRegionBands = {
    {{0, 2}, {2, 6}, {5, 7}}};
inline constexpr float kNeverMs = 1e6F;
inline constexpr float kLeastWayMs = 0.4F; ///< sound takes longer from one drum to another's microphone
[[nodiscard]] std::size_t regionOf(Role role);

/// What was heard around one moment: arrivals that lie so near together that one stroke may have made them
/// all.
struct Moment {
    double timeS = 0;             ///< of the first arrival, session time
    double spanS = 0;             ///< from the first to the last arrival in close microphones
    std::vector<int> arrivals;    ///< by input: index into the input's arrivals, or -1
    std::vector<double> arrivedS; ///< by input: session time of that arrival
    std::vector<double> riseDb;   ///< by input: of that arrival
    /// By input and region: when it begins to rise there, against timeS; kNeverMs when it does not.
    std::vector<std::array<float, kRegions>> regionMs;
    float highFallDb = 0;          ///< above 4 kHz in ambient microphones, from its start to 50-80 ms later
    std::vector<float> heard;      ///< mean power after it, [channel * kTrailBands + band]
    std::vector<float> background; ///< what would be there without it
};

struct Stroke {
    int drum = 0;
    float power = 0;    ///< size: power in its own microphone (all bands)
    float evidence = 0; ///< what the explanation loses without it
    friend bool operator==(const Stroke&, const Stroke&) = default;
};

/// Power of each drum in each channel and band; sums to one over the drum's own channels.
class Patterns {
  public:
    /// Drums without a microphone start from what is typical of them; the others are not known yet.
    Patterns(const KitModel& kit, std::vector<TrailChannel> channels,
             const std::vector<std::vector<Arrival>>& arrivals);

    /// A first pattern for each drum from the strong moments that its own microphone heard before all other
    /// close ones: sound from another drum would have come there first.
    void seed(const std::vector<Moment>& moments);
    /// Hats and cymbals without a microphone, from moments that only ambient microphones hear well: what
    /// rings on is a cymbal.
    void seedMetal(const std::vector<Moment>& moments);
    /// Drums that are still unknown, from moments that are much louder in their microphone than the known
    /// drums explain.
    void discover(const std::vector<Moment>& moments, const std::vector<std::vector<Stroke>>& strokes);

    [[nodiscard]] const KitModel& kit() const { return m_kit; }
    [[nodiscard]] const std::vector<TrailChannel>& channels() const { return m_channels; }
    [[nodiscard]] std::size_t entries() const { return m_channels.size() * kTrailBands; }
    [[nodiscard]] std::span<const float> of(int drum) const {
        return {m_power.data() + static_cast<std::size_t>(drum) * entries(), entries()};
    }
    /// True for the channels that stand at the drum, or, for one without a microphone, that hear all.
    [[nodiscard]] bool isOwn(int drum, std::size_t channel) const {
        return m_isOwn[static_cast<std::size_t>(drum) * m_channels.size() + channel];
    }
    /// The few strokes that explain a moment best: drums are added while each makes the rest much likelier
    /// (forward selection on the Itakura-Saito-like log error, capped for each entry). `before` is what
    /// earlier strokes still sound like; empty when there is none.
    [[nodiscard]] std::vector<Stroke> explain(const Moment& moment, std::span<const float> before = {}) const;
    /// Learns from explained moments: a drum that is alone in its own microphone teaches its pattern.
    void learn(const std::vector<Moment>& moments, const std::vector<std::vector<Stroke>>& strokes);

  private:
    class Explanation;
    [[nodiscard]] float cost(std::span<const float> logHeard, std::span<const float> model) const;
    /// First arrival of a region in the drum's own microphones.
    [[nodiscard]] float arrivedMs(int drum, std::size_t region, const Moment& moment) const;
    /// What speaks against strokes by the order of arrivals: sound reaches its own drum's microphone first.
    [[nodiscard]] float arrivalCost(const Moment& moment, const std::vector<Stroke>& strokes) const;
    [[nodiscard]] float leastEvidence(const Stroke& stroke) const;
    [[nodiscard]] bool isPlain(const Stroke& stroke, const Moment& moment) const;
    [[nodiscard]] bool canBe(int drum, const Moment& moment) const;
    /// How far the moment in the drum's own microphones is from what is typical of a role, mean over the
    /// bands.
    [[nodiscard]] float unlikeDb(int drum, Role role, const Moment& moment) const;
    /// What a moment adds in the drum's own microphones: in some bands, in all, in the drum's region.
    [[nodiscard]] float powerBetween(int drum, const Moment& moment, std::size_t low, std::size_t high) const;
    [[nodiscard]] float ownPower(int drum, const Moment& moment) const;
    /// In the loudest of its microphones.
    [[nodiscard]] float loudestPower(int drum, const Moment& moment) const;
    /// Of a stroke of size one in a channel, all bands.
    [[nodiscard]] float channelPower(int drum, std::size_t channel) const;
    [[nodiscard]] float regionPower(int drum, const Moment& moment) const;
    /// A channel at another drum.
    [[nodiscard]] bool isOtherDrum(int drum, std::size_t channel) const;
    /// False when a microphone heard something before the drum's own sound can have reached it.
    [[nodiscard]] bool canSpill(int drum, int input, const Moment& moment) const;
    [[nodiscard]] bool isFirst(int drum, const Moment& moment) const;
    void seedByLevel(const std::vector<Moment>& moments);
    void learnFrom(int drum, const std::vector<const Moment*>& teachers);
    void limitSpill(int drum);
    void normalise(int drum);

    const KitModel& m_kit;
    std::vector<TrailChannel> m_channels;
    std::vector<float> m_power;
    std::vector<float> m_weights; // by channel and band: of an error
    std::vector<bool> m_isOwn;
    std::vector<bool> m_isKnown; // by drum
    std::vector<float> m_strong; // by drum: size of its strong strokes, as far as is known
};

} // namespace cask::measure
