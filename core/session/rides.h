// Rides: values that move along the performance, drawn by a person.
#pragma once

#include <core/base/result.h>
#include <core/session/parameters.h>
#include <optional>
#include <string_view>

namespace cask::session {

/// What a ride adds at an instant: straight between its points, level before the first and after the last
/// one. 0 without points.
[[nodiscard]] double rideAt(const Ride& ride, double atS);
/// The ride of a value; null when there is none.
[[nodiscard]] const Ride* rideOf(const std::vector<Ride>& rides, std::string_view value);
/// Puts a ride in the place of the one of the same value; one without points takes it out.
void putRide(std::vector<Ride>& rides, Ride ride);
/// By time; of two within a millisecond the later in the list stays.
void sortPoints(std::vector<RidePoint>& points);

/// A ride of an element's or bus's output, or of a module in its chain.
struct RidePlace {
    Id owner = kNoId;
    Id module = kNoId; ///< none: of the output
    std::string value; ///< as SectionChange names it
    friend bool operator==(const RidePlace&, const RidePlace&) = default;
};
/// Points of a value; empty when it has no ride.
[[nodiscard]] std::vector<RidePoint> pointsAt(const Session& s, const RidePlace& place);
/// The session with another way of a value; without points it has none any more.
[[nodiscard]] Session withPoints(Session s, const RidePlace& place, std::vector<RidePoint> points);
/// A point at an instant, in the place of one within a millisecond of it.
[[nodiscard]] Session withPoint(Session s, const RidePlace& place, RidePoint point);
/// The stretch from `fromS` to `toS` again from `there` on, in the place of what was there: its points, and
/// its ends as points.
[[nodiscard]] Session withPointsCopied(Session s, const RidePlace& place, double fromS, double toS,
                                       double there);

/// Every value of an owner that can be ridden: of its output, then of its modules.
struct RideChoice {
    RidePlace place;
    std::string words;                   ///< "level", "send to Rooms", "gate floor"
    const ParameterInfo* info = nullptr; ///< of the value itself; never null
    double set = 0;                      ///< what the ride moves around
};
[[nodiscard]] std::vector<RideChoice> rideChoices(const Session& s, Id owner);

/// "0:0 2.5:+3 4:0": time in seconds and change. Empty or "none" for no points.
[[nodiscard]] Result<std::vector<RidePoint>> parsePoints(std::string_view text);
[[nodiscard]] std::string pointsText(const std::vector<RidePoint>& points);

} // namespace cask::session
