// What the rough balance knows while it is made, and what follows from it.
#pragma once

#include <core/kit_measures/kit_listening.h>
#include <core/kit_measures/rough_balance.h>
#include <core/measure/balance/balance_levels.h>
#include <optional>

namespace cask::kit {

inline constexpr double kBalanceReferenceLufs =
    -20; ///< of the snare, until the headroom says where all stands
inline constexpr double kLeastBalanceStepDb = 0.05;
inline constexpr double kNearHeadroomDb = 0.3; ///< to the target

struct BalanceState {
    BalanceState(const session::Session& session, const advise::HitAnalysis& hits,
                 const advise::HouseStyle& style);

    [[nodiscard]] const session::Element& element(std::size_t e) const { return *session.element(ids[e]); }
    /// Of an element among those that are heard; -1 for all others.
    [[nodiscard]] int indexOf(session::Id id) const;
    [[nodiscard]] const measure::Drum& drum(std::size_t d) const { return hits.hits.kit.drums[d]; }
    /// The drum at which an element stands; -1 for all others.
    [[nodiscard]] int drumOf(std::size_t e) const;
    /// Levels of the buses on the way to the master, dB.
    [[nodiscard]] double wayDb(const session::Element& element) const;
    /// What reaches both sides with the pans as they are now.
    void placeChannels();
    /// Where the stereo overheads hear a drum, -1 to 1; nothing where they don't.
    [[nodiscard]] std::optional<double> heardAt(std::size_t d) const;
    /// A pan as it is once the kit is turned, where it is.
    [[nodiscard]] double turnedPan(std::size_t e) const;
    /// The levels of all elements, dB, with what each gives for the headroom.
    [[nodiscard]] std::vector<double> levelsDb() const;
    /// Whether something tells how loud an element should be.
    [[nodiscard]] bool isSet(std::size_t e) const;
    [[nodiscard]] double overDb(const Headroom& headroom, Rung rung) const;

    const session::Session& session;
    const advise::HitAnalysis& hits;
    const advise::HouseStyle& style;
    std::vector<session::Id> ids; ///< of the elements that are heard
    HeardKit heard;
    measure::BalanceAsked asked;
    measure::BalanceLevels levels;
    std::vector<double> pans;     ///< by element
    std::vector<bool> isPanHeard; ///< by drum
    double offsetDb = 0;          ///< of all, for the headroom
    double bassDownDb = 0;
    double restDownDb = 0; ///< of music and voice
    RoughBalance result;

  private:
    [[nodiscard]] double rawLevelDb(std::size_t e) const;
};

[[nodiscard]] bool isContext(const session::Element& element);

/// Steps with their reasons, how loud drums were and become, and what could not be done.
void writeBalance(BalanceState& state);

} // namespace cask::kit
