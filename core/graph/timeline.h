// Other values in sections of the song and along rides, as moments.
#pragma once

#include <algorithm>
#include <cmath>
#include <core/graph/glide.h>
#include <core/graph/moments.h>
#include <core/session/kinds.h>
#include <core/session/output_changes.h>
#include <core/session/rides.h>
#include <set>
#include <vector>

namespace cask::graph {

/// A ride is followed in pieces of this length; inside one the way is a glide.
inline constexpr double kRidePieceS = 0.02;

/// What holds from a frame of the session on: a section's change, or null for what is set.
using SectionTurn = Moment<const session::SectionChange*>;

[[nodiscard]] inline std::vector<SectionTurn>
sectionTurns(const session::Session& s, const std::vector<session::SectionChange>& changes) {
    std::vector<SectionTurn> turns;
    const auto frameAt = [&](double t) { return static_cast<Frames>(std::llround(t * s.sampleRateHz)); };
    for (const auto& section : s.sections)
        for (const auto& change : changes) {
            if (change.section != section.name)
                continue;
            const int glide = static_cast<int>(frameAt(0.001 * change.glideMs));
            // A section that begins where the last one ended takes over from it.
            if (!turns.empty() && turns.back().frame == frameAt(section.startS))
                turns.pop_back();
            turns.push_back({frameAt(section.startS), &change, glide});
            turns.push_back({frameAt(section.endS), nullptr, glide});
        }
    // A foreign writer's sections may stand in any order.
    std::stable_sort(turns.begin(), turns.end(),
                     [](const auto& a, const auto& b) { return a.frame < b.frame; });
    return turns;
}

/// The values of a settings or output along the performance where it has rides. `Value`: there is
/// movingValue() and withChange() of it.
template <class Value> class RiddenValues {
  public:
    /// REQUIRES: everything outlives it.
    RiddenValues(const session::Session& s, const Value& base, std::vector<SectionTurn> turns,
                 const std::vector<session::Ride>& rides)
        : m_rate(s.sampleRateHz), m_base(base), m_turns(std::move(turns)), m_rides(rides) {
        for (const auto& ride : rides)
            m_names.insert(ride.value);
        for (const auto& turn : m_turns)
            if (turn.value != nullptr)
                for (const auto& [name, value] : turn.value->values)
                    m_names.insert(name);
    }

    [[nodiscard]] std::vector<Moment<Value>> moments() const {
        // Long before anything is heard a ride stands at its first point.
        const auto piece = static_cast<Frames>(std::llround(kRidePieceS * m_rate));
        std::vector<Moment<Value>> moments{{-static_cast<Frames>(m_rate * kBeforeS), at(0), 0}};
        const auto instants = this->instants(piece);
        for (auto instant = instants.begin(); instant != instants.end(); ++instant) {
            const auto next = std::next(instant);
            const Frames glide =
                std::max<Frames>(1, next == instants.end() ? piece : std::min(piece, *next - *instant));
            moments.push_back({*instant, at(*instant + glide), static_cast<int>(glide)});
        }
        return moments;
    }

  private:
    static constexpr double kBeforeS = 3600;

    [[nodiscard]] std::set<Frames> instants(Frames piece) const {
        std::set<Frames> instants;
        const auto cut = [&](Frames from, Frames to) {
            const auto pieces = std::max<Frames>(1, (to - from + piece - 1) / piece);
            for (Frames i = 0; i <= pieces; ++i)
                instants.insert(from + i * (to - from) / pieces);
        };
        for (const auto& turn : m_turns)
            cut(turn.frame, turn.frame + turn.glideFrames);
        for (const auto& ride : m_rides)
            for (std::size_t i = 1; i < ride.points.size(); ++i)
                if (ride.points[i].change != ride.points[i - 1].change)
                    cut(frameOf(ride.points[i - 1].timeS), frameOf(ride.points[i].timeS));
        return instants;
    }

    [[nodiscard]] Frames frameOf(double seconds) const {
        return static_cast<Frames>(std::llround(seconds * m_rate));
    }

    [[nodiscard]] Value at(Frames frame) const {
        session::SectionChange change;
        for (const auto& name : m_names)
            if (const auto moving = session::movingValue(m_base, name)) {
                double value = sectionValue(name, moving->value, frame);
                for (const auto& ride : m_rides)
                    if (ride.value == name)
                        value += session::rideAt(ride, framesToSeconds(frame, m_rate));
                change.values[name] = session::clampValue(*moving->info, value);
            }
        return session::withChange(m_base, change);
    }

    /// On the way of the last turn, from where the one before it had come to.
    [[nodiscard]] double sectionValue(const std::string& name, double set, Frames frame) const {
        const auto of = [&](const session::SectionChange* change) {
            const auto found = change == nullptr ? std::map<std::string, double>::const_iterator()
                                                 : change->values.find(name);
            return change == nullptr || found == change->values.end() ? set : found->second;
        };
        double value = set;
        for (const auto& turn : m_turns) {
            if (turn.frame > frame)
                break;
            const double share = turn.glideFrames <= 0
                                     ? 1
                                     : std::min(1.0, static_cast<double>(frame - turn.frame) /
                                                         static_cast<double>(turn.glideFrames));
            value += static_cast<double>(smooth(static_cast<float>(share))) * (of(turn.value) - value);
        }
        return value;
    }

    double m_rate;
    const Value& m_base;
    std::vector<SectionTurn> m_turns;
    const std::vector<session::Ride>& m_rides;
    std::set<std::string> m_names;
};

/// The values that hold from the start and the end of each section that has a change, and along rides, by
/// frame of the session.
template <class Value>
[[nodiscard]] std::vector<Moment<Value>> timelineOf(const session::Session& s, const Value& base,
                                                    const std::vector<session::SectionChange>& changes,
                                                    const std::vector<session::Ride>& rides) {
    auto turns = sectionTurns(s, changes);
    if (!rides.empty())
        return RiddenValues<Value>(s, base, std::move(turns), rides).moments();
    std::vector<Moment<Value>> moments;
    for (const auto& turn : turns)
        moments.push_back({turn.frame, turn.value == nullptr ? base : session::withChange(base, *turn.value),
                           turn.glideFrames});
    return moments;
}

} // namespace cask::graph
