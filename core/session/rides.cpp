#include "core/session/rides.h"

#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "core/session/output_changes.h"
#include "core/session/session_limits.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>

namespace cask::session {
namespace {

constexpr double kSamePointS = 0.001;

const std::vector<Ride>* ridesAt(const Session& s, const RidePlace& place) {
    const auto* out = s.output(place.owner);
    if (out == nullptr || place.module == kNoId)
        return out == nullptr ? nullptr : &out->rides;
    for (const auto& module : *s.chain(place.owner))
        if (module.id == place.module)
            return &module.rides;
    return nullptr;
}

/// Of a send by the bus that it goes to, else by the value's own words.
std::string outputWords(const Session& s, const Output& out, const std::string& value) {
    const auto slash = value.find('/');
    if (slash == std::string::npos)
        return std::string(movingValue(out, value)->info->words);
    return "send to " + s.nameOf(std::atoi(value.c_str()));
}

} // namespace

double rideAt(const Ride& ride, double atS) {
    const auto& points = ride.points;
    if (points.empty())
        return 0;
    const auto next = std::upper_bound(points.begin(), points.end(), atS,
                                       [](double t, const RidePoint& point) { return t < point.timeS; });
    if (next == points.begin())
        return points.front().change;
    if (next == points.end())
        return points.back().change;
    const auto& from = *(next - 1);
    return from.change + (atS - from.timeS) / (next->timeS - from.timeS) * (next->change - from.change);
}

const Ride* rideOf(const std::vector<Ride>& rides, std::string_view value) {
    const auto it =
        std::find_if(rides.begin(), rides.end(), [&](const Ride& ride) { return ride.value == value; });
    return it == rides.end() ? nullptr : &*it;
}

void putRide(std::vector<Ride>& rides, Ride ride) {
    const auto it =
        std::find_if(rides.begin(), rides.end(), [&](const Ride& old) { return old.value == ride.value; });
    if (it != rides.end() && ride.points.empty())
        rides.erase(it);
    else if (it != rides.end())
        *it = std::move(ride);
    else if (!ride.points.empty())
        rides.push_back(std::move(ride));
}

void sortPoints(std::vector<RidePoint>& points) {
    std::stable_sort(points.begin(), points.end(),
                     [](const RidePoint& a, const RidePoint& b) { return a.timeS < b.timeS; });
    std::vector<RidePoint> kept;
    for (const auto& point : points)
        if (!kept.empty() && point.timeS - kept.back().timeS < kSamePointS)
            kept.back() = point;
        else
            kept.push_back(point);
    points = std::move(kept);
}

std::vector<RidePoint> pointsAt(const Session& s, const RidePlace& place) {
    const auto* rides = ridesAt(s, place);
    const auto* ride = rides == nullptr ? nullptr : rideOf(*rides, place.value);
    return ride == nullptr ? std::vector<RidePoint>() : ride->points;
}

Session withPoints(Session s, const RidePlace& place, std::vector<RidePoint> points) {
    const auto* rides = ridesAt(s, place);
    if (rides == nullptr)
        return s;
    sortPoints(points);
    if (points.size() > kMostRidePoints)
        points.resize(kMostRidePoints);
    Ride ride{place.value, std::move(points), {}};
    if (const auto* old = rideOf(*rides, place.value))
        ride.extra = old->extra;
    if (place.module == kNoId)
        return withOutput(std::move(s), place.owner,
                          [&](Output& out) { putRide(out.rides, std::move(ride)); });
    return withModule(std::move(s), place.module, [&](Module& m) { putRide(m.rides, std::move(ride)); });
}

Session withPoint(Session s, const RidePlace& place, RidePoint point) {
    auto points = pointsAt(s, place);
    std::erase_if(points,
                  [&](const RidePoint& old) { return std::abs(old.timeS - point.timeS) < kSamePointS; });
    points.push_back(point);
    return withPoints(std::move(s), place, std::move(points));
}

Session withPointsCopied(Session s, const RidePlace& place, double fromS, double toS, double there) {
    const auto old = pointsAt(s, place);
    if (old.empty() || toS <= fromS)
        return s;
    const Ride ride{place.value, old, {}};
    const double endS = there + toS - fromS;
    // What lies outside stays as it was, up to the stretch's ends.
    std::vector<RidePoint> points;
    for (const auto& point : old)
        if (point.timeS < there - kSamePointS || point.timeS > endS + kSamePointS)
            points.push_back(point);
    const double stepS = 2 * kSamePointS;
    if (there > stepS)
        points.push_back({there - stepS, rideAt(ride, there - stepS)});
    points.push_back({there, rideAt(ride, fromS)});
    for (const auto& point : old)
        if (point.timeS > fromS && point.timeS < toS)
            points.push_back({there + point.timeS - fromS, point.change});
    points.push_back({endS, rideAt(ride, toS)});
    points.push_back({endS + stepS, rideAt(ride, endS + stepS)});
    return withPoints(std::move(s), place, std::move(points));
}

std::vector<RideChoice> rideChoices(const Session& s, Id owner) {
    std::vector<RideChoice> choices;
    const auto* out = s.output(owner);
    if (out == nullptr)
        return choices;
    const auto add = [&](Id module, const std::string& value, const MovingValue& moving,
                         const std::string& words) {
        choices.push_back({{owner, module, value}, words, moving.info, moving.value});
    };
    for (const auto& f : outputFields())
        if (f.info.glides)
            add(kNoId, std::string(f.info.id), {&f.info, f.get(*out)}, std::string(f.info.words));
    for (const auto& send : out->sends) {
        const auto value = fmt::format("{}/level_db", send.bus);
        if (const auto moving = movingValue(*out, value))
            add(kNoId, value, *moving, outputWords(s, *out, value));
    }
    for (const auto& module : *s.chain(owner))
        withSettings(module.settings, [&]<class T>(const T& settings) {
            for (const auto& f : fieldsOf<T>())
                if (f.info.glides)
                    add(module.id, std::string(f.info.id), {&f.info, f.get(settings)},
                        fmt::format("{} {}", wordsOf(module), f.info.words));
            if constexpr (HasItems<T>) {
                int number = 1;
                for (const auto& item : KindOf<T>::items(settings)) {
                    for (const auto& f : itemFieldsOf<T>())
                        if (f.info.glides)
                            add(module.id, fmt::format("{}/{}", item.id, f.info.id), {&f.info, f.get(item)},
                                fmt::format("{} {} {}", wordsOf(module), number, f.info.words));
                    ++number;
                }
            }
        });
    return choices;
}

Result<std::vector<RidePoint>> parsePoints(std::string_view text) {
    std::vector<RidePoint> points;
    const std::string all(text == "none" ? std::string_view() : text);
    const auto bad = [&] {
        return Error{ErrorCode::BadValue,
                     fmt::format("\"{}\" is no way through time. Enter pairs of seconds and change, as "
                                 "\"0:0 2.5:+3 4:0\".",
                                 text)};
    };
    const char* at = all.c_str();
    while (*at != '\0') {
        while (*at == ' ' || *at == ',')
            ++at;
        if (*at == '\0')
            break;
        char* end = nullptr;
        RidePoint point;
        point.timeS = std::strtod(at, &end);
        if (end == at || *end != ':')
            return bad();
        at = end + 1;
        point.change = std::strtod(at, &end);
        if (end == at || !std::isfinite(point.change) || !(std::abs(point.timeS) <= kLongestS))
            return bad();
        at = end;
        points.push_back(point);
    }
    sortPoints(points);
    return points;
}

std::string pointsText(const std::vector<RidePoint>& points) {
    std::string text;
    for (const auto& point : points)
        text += fmt::format("{}{:.3f}:{:+.2f}", text.empty() ? "" : " ", point.timeS, point.change);
    return text;
}

} // namespace cask::session
