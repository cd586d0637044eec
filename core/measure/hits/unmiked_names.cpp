#include "core/measure/hits/unmiked_names.h"

#include "core/measure/hits/pattern_math.h"

#include <cmath>
#include <numeric>
#include <optional>

namespace cask::measure {
namespace {

constexpr std::size_t kHighBand = 6;  // above 4 kHz only metal goes on
constexpr float kHatFallDbPerS = 110; // half-open hats fall by 60 dB within 0.55 s, cymbals ring longer
constexpr float kTomLowShare = 0.8F;  // below 800 Hz
constexpr float kTomHighShare = 0.1F; // above 1.8 kHz
constexpr std::size_t kFewest = 3;    // strokes that are looked at
constexpr std::size_t kFewestLow = 2; // without highs there is less to be mistaken about
constexpr float kStandsOutDb = 10;    // a tom's microphone when it is struck, against all else
constexpr float kAlikeDb = 4;         // over the bands from 800 Hz on

/// How the strokes of one drum sound in the microphones that hear all, where nothing else is struck.
struct AmbientSound {
    std::size_t strokes = 0;                 ///< in all
    std::size_t alone = 0;                   ///< looked at
    std::array<float, kTrailBands> shares{}; ///< of the power that a stroke adds, over the bands
    float fallDbPerS =
        0;             ///< above 4 kHz, until the next stroke or 0.3 s; 0 when strokes come too fast to tell
    float levelDb = 0; ///< median
};

float highPower(const std::vector<TrailChannel>& channels, double fromS, double toS) {
    float sum = kLeastPower;
    for (const auto& channel : channels) {
        if (!channel.isAmbient)
            continue;
        const auto steps = static_cast<long>(channel.trail->steps());
        const long from = std::clamp(std::lround((fromS - channel.offsetS) / kTrailStepS), 0L, steps);
        const long to = std::clamp(std::lround((toS - channel.offsetS) / kTrailStepS), from, steps);
        float power = 0;
        for (long n = from; n < to; ++n)
            for (std::size_t b = kHighBand; b < kTrailBands; ++b)
                power +=
                    powerOfLevelByte(channel.trail->bands[static_cast<std::size_t>(n) * kTrailBands + b]);
        sum += to > from ? power / static_cast<float>(to - from) : 0;
    }
    return sum;
}

/// Whether a drum has no highs of its own that outlast a stroke: a kick or a tom.
bool isDull(const Drum& drum) {
    return drum.isMiked() &&
           (drum.role == Role::KickIn || drum.role == Role::KickOut || drum.role == Role::SubKick ||
            drum.role == Role::RackTom || drum.role == Role::FloorTom);
}

/// Fall of the highs after a moment, dB/s: until the next moment, 0.3 s, or the noise; nothing when that is
/// too short to tell. A dull drum that is struck a moment later ends nothing: its click is waited for.
std::optional<float> fallAfter(const KitModel& kit, const std::vector<TrailChannel>& channels,
                               const std::vector<Moment>& moments,
                               const std::vector<std::vector<Stroke>>& strokes, std::size_t m) {
    constexpr double kTogetherS = 0.03;
    constexpr double kLongestS = 0.3;
    constexpr double kShortestS = 0.06;
    constexpr double kFromS = 0.016; // middle of the window that the fall begins with
    constexpr double kHalfS = 0.008;
    constexpr double kStepS = 0.01;
    constexpr float kAboveNoise = 4;
    double atS = moments[m].timeS;
    std::size_t next = m + 1; // what nothing was heard to strike is no end
    const auto areDull = [&](const std::vector<Stroke>& list) {
        return std::all_of(list.begin(), list.end(), [&](const Stroke& s) {
            return isDull(kit.drums[static_cast<std::size_t>(s.drum)]);
        });
    };
    while (next < moments.size() &&
           (strokes[next].empty() ||
            (areDull(strokes[next]) && moments[next].timeS < moments[m].timeS + kTogetherS))) {
        if (!strokes[next].empty())
            atS = moments[next].timeS;
        ++next;
    }
    const double nextS = next < moments.size() ? moments[next].timeS : atS + kLongestS;
    const double endS = std::min(atS + kLongestS, nextS - 0.003);
    if (endS - atS < kShortestS)
        return std::nullopt;
    float noise = kLeastPower;
    for (const auto& channel : channels)
        for (std::size_t b = kHighBand; channel.isAmbient && b < kTrailBands; ++b)
            noise += channel.floor[b];
    const auto levelAt = [&](double t) { return highPower(channels, t - kHalfS, t + kHalfS); };
    const float first = levelAt(atS + kFromS);
    float last = first;
    double lastS = atS + kFromS;
    for (double t = lastS + kStepS; t <= endS - kHalfS && last > kAboveNoise * noise; t += kStepS) {
        last = levelAt(t);
        lastS = t;
    }
    if (lastS - atS - kFromS < 2 * kStepS)
        return std::nullopt;
    return (fastDb(first) - fastDb(last)) / static_cast<float>(lastS - atS - kFromS);
}

/// Power that a moment adds in each band of the microphones that hear all.
std::array<float, kTrailBands> addedBands(const std::vector<TrailChannel>& channels, const Moment& moment) {
    std::array<float, kTrailBands> bands{};
    for (std::size_t c = 0; c < channels.size(); ++c)
        for (std::size_t b = 0; channels[c].isAmbient && b < kTrailBands; ++b)
            bands[b] +=
                std::max(0.0F, moment.heard[c * kTrailBands + b] - moment.background[c * kTrailBands + b]);
    return bands;
}

/// Whether all strokes of a moment but those of one drum are of dull ones.
bool isOneAmongDull(const KitModel& kit, const std::vector<Stroke>& here, int drum) {
    return std::all_of(here.begin(), here.end(), [&](const Stroke& s) {
        return s.drum == drum || isDull(kit.drums[static_cast<std::size_t>(s.drum)]);
    });
}

AmbientSound soundOf(const KitModel& kit, int drum, const std::vector<TrailChannel>& channels,
                     const std::vector<Moment>& moments, const std::vector<std::vector<Stroke>>& strokes) {
    AmbientSound sound;
    std::vector<float> falls;
    std::vector<float> levels;
    for (std::size_t m = 0; m < moments.size(); ++m) {
        const auto& here = strokes[m];
        if (std::none_of(here.begin(), here.end(), [&](const Stroke& s) { return s.drum == drum; }))
            continue;
        ++sound.strokes;
        if (isOneAmongDull(kit, here, drum))
            if (const auto fall = fallAfter(kit, channels, moments, strokes, m))
                falls.push_back(*fall);
        if (here.size() > 1)
            continue;
        const auto bands = addedBands(channels, moments[m]);
        const float total = std::accumulate(bands.begin(), bands.end(), 0.0F);
        if (total <= 0)
            continue;
        ++sound.alone;
        for (std::size_t b = 0; b < kTrailBands; ++b)
            sound.shares[b] += bands[b] / total;
        levels.push_back(fastDb(total));
    }
    for (float& share : sound.shares)
        share /= static_cast<float>(std::max<std::size_t>(1, sound.alone));
    if (falls.size() >= kFewest)
        sound.fallDbPerS = quantile(falls, 0.5);
    if (!levels.empty())
        sound.levelDb = quantile(levels, 0.5);
    return sound;
}

float shareBetween(const AmbientSound& sound, std::size_t low, std::size_t high) {
    return std::accumulate(sound.shares.begin() + static_cast<std::ptrdiff_t>(low),
                           sound.shares.begin() + static_cast<std::ptrdiff_t>(high) + 1, 0.0F);
}

bool isTomLike(const AmbientSound& sound) {
    return sound.alone >= kFewestLow && shareBetween(sound, 0, 3) > kTomLowShare &&
           shareBetween(sound, 5, 7) < kTomHighShare;
}

/// Mean difference over the upper bands, levels apart.
float unlikeDb(const AmbientSound& a, const AmbientSound& b) {
    constexpr std::size_t kFirst = 4;
    std::array<float, kTrailBands> d{};
    float mean = 0;
    for (std::size_t i = kFirst; i < kTrailBands; ++i) {
        d[i] = fastDb(a.shares[i] + 1e-3F) - fastDb(b.shares[i] + 1e-3F);
        mean += d[i] / static_cast<float>(kTrailBands - kFirst);
    }
    float off = 0;
    for (std::size_t i = kFirst; i < kTrailBands; ++i)
        off += std::abs(d[i] - mean) / static_cast<float>(kTrailBands - kFirst);
    return off;
}

/// How much louder a drum's own microphone is at the moments of a group than at most others, dB.
float standsOutDb(const Drum& drum, int group, const std::vector<TrailChannel>& channels,
                  const std::vector<Moment>& moments, const std::vector<std::vector<Stroke>>& strokes) {
    std::vector<float> then;
    std::vector<float> else_;
    for (std::size_t m = 0; m < moments.size(); ++m) {
        float power = kLeastPower;
        for (std::size_t c = 0; c < channels.size(); ++c)
            if (std::find(drum.inputs.begin(), drum.inputs.end(), channels[c].input) != drum.inputs.end())
                for (std::size_t b = 0; b < kTrailBands; ++b)
                    power += std::max(0.0F, moments[m].heard[c * kTrailBands + b] -
                                                moments[m].background[c * kTrailBands + b]);
        const bool isThen = std::any_of(strokes[m].begin(), strokes[m].end(),
                                        [&](const Stroke& s) { return s.drum == group; });
        (isThen ? then : else_).push_back(fastDb(power));
    }
    if (then.empty() || else_.empty())
        return 0;
    return quantile(then, 0.5) - quantile(else_, 0.9);
}

/// The drum of a role that has no microphone; -1 for none.
int unmikedOf(const KitModel& kit, Role role) {
    for (std::size_t d = 0; d < kit.drums.size(); ++d)
        if (kit.drums[d].role == role && !kit.drums[d].isMiked())
            return static_cast<int>(d);
    return -1;
}

/// All that a group of strokes is judged by.
struct Groups {
    const KitModel& kit;
    const std::vector<TrailChannel>& channels;
    const std::vector<Moment>& moments;
    const std::vector<std::vector<Stroke>>& strokes;
    std::vector<AmbientSound> sounds; ///< by drum
};

/// The tom that a group without highs is: the one without a microphone, else one that was not found yet and
/// whose microphone stands out. -1 when it is none.
int tomOf(const Groups& g, int group) {
    int best = unmikedOf(g.kit, Role::RackTom);
    float most = kStandsOutDb;
    for (std::size_t o = 0; o < g.kit.drums.size() && unmikedOf(g.kit, Role::RackTom) < 0; ++o) {
        const Drum& drum = g.kit.drums[o];
        if (!drum.isMiked() || g.sounds[o].strokes > 0 ||
            (drum.role != Role::RackTom && drum.role != Role::FloorTom))
            continue;
        const float out = standsOutDb(drum, group, g.channels, g.moments, g.strokes);
        if (out > most) {
            most = out;
            best = static_cast<int>(o);
        }
    }
    return best;
}

/// By drum: the drum that the strokes found under its name are mostly those of.
std::vector<int> nameGroups(const KitModel& kit, const std::vector<TrailChannel>& channels,
                            const std::vector<Moment>& moments,
                            const std::vector<std::vector<Stroke>>& strokes) {
    constexpr std::size_t kManyCrashes = 8;
    std::vector<int> names(kit.drums.size());
    std::iota(names.begin(), names.end(), 0);
    const int hat = unmikedOf(kit, Role::ClosedHat);
    const int ride = unmikedOf(kit, Role::Ride);
    const int crash = unmikedOf(kit, Role::Crash);
    Groups g{kit, channels, moments, strokes, {}};
    for (std::size_t d = 0; d < kit.drums.size(); ++d)
        g.sounds.push_back(soundOf(kit, static_cast<int>(d), channels, moments, strokes));
    const auto sound = [&](int d) -> const AmbientSound& { return g.sounds[static_cast<std::size_t>(d)]; };
    const auto name = [&](int d) -> int& { return names[static_cast<std::size_t>(d)]; };
    const std::array<int, 3> metal = {hat, ride, crash};
    for (const int d : metal) {
        if (d < 0 || sound(d).alone == 0)
            continue;
        if (isTomLike(sound(d))) {
            if (const int tom = tomOf(g, d); tom >= 0)
                name(d) = tom;
        } else if (hat >= 0 && sound(d).alone >= kFewest && sound(d).fallDbPerS > kHatFallDbPerS) {
            name(d) = hat;
        }
    }
    // Time is kept on a ride; crashes are few.
    if (ride >= 0 && crash >= 0 && name(ride) == ride && name(crash) == crash &&
        sound(crash).strokes >= kManyCrashes && sound(crash).strokes > sound(ride).strokes)
        std::swap(name(ride), name(crash));
    // A group too dense to hear it fall is the hat when it sounds like one that is known.
    for (const int d : {ride, crash}) {
        if (hat < 0 || d < 0 || name(d) != d || sound(d).fallDbPerS != 0 || sound(d).alone < kFewest)
            continue;
        for (const int o : metal)
            if (o >= 0 && name(o) == hat && sound(o).fallDbPerS > kHatFallDbPerS &&
                unlikeDb(sound(d), sound(o)) < kAlikeDb)
                name(d) = hat;
    }
    return names;
}

/// Names of the sure strokes before and after an instant, at most two seconds away; -1 for none.
std::pair<int, int> nearestSure(const std::vector<std::pair<double, int>>& sure, double timeS) {
    constexpr double kReachS = 2;
    const auto after = std::lower_bound(sure.begin(), sure.end(), std::pair(timeS, -1));
    std::pair<int, int> names{-1, -1};
    if (after != sure.begin() && timeS - std::prev(after)->first < kReachS)
        names.first = std::prev(after)->second;
    if (after != sure.end() && after->first - timeS < kReachS)
        names.second = after->second;
    return names;
}

} // namespace

std::vector<std::vector<int>> nameStrokes(const KitModel& kit, const std::vector<TrailChannel>& channels,
                                          const std::vector<Moment>& moments,
                                          const std::vector<std::vector<Stroke>>& strokes) {
    constexpr float kClearly = 1.4F; // times the limit, up or down
    const auto groups = nameGroups(kit, channels, moments, strokes);
    const int hat = unmikedOf(kit, Role::ClosedHat);
    const int ride = unmikedOf(kit, Role::Ride);
    const int crash = unmikedOf(kit, Role::Crash);
    const auto isTimekeeper = [&](int name) { return name == hat || name == ride; };
    std::vector<std::vector<int>> names(strokes.size());
    std::vector<std::pair<double, int>> sure; // times of strokes that went by their own fall
    for (std::size_t m = 0; m < strokes.size(); ++m) {
        for (const auto& stroke : strokes[m])
            names[m].push_back(groups[static_cast<std::size_t>(stroke.drum)]);
        if (hat < 0 || ride < 0)
            continue;
        const auto metal = std::find_if(names[m].begin(), names[m].end(),
                                        [&](int name) { return isTimekeeper(name) || name == crash; });
        if (metal == names[m].end() ||
            !isOneAmongDull(kit, strokes[m],
                            strokes[m][static_cast<std::size_t>(metal - names[m].begin())].drum))
            continue;
        int& name = *metal;
        const auto fall = fallAfter(kit, channels, moments, strokes, m);
        if (fall && *fall > kClearly * kHatFallDbPerS)
            name = hat;
        else if (fall && *fall < kHatFallDbPerS / kClearly && name == hat)
            name = ride;
        else
            continue;
        if (isTimekeeper(name))
            sure.emplace_back(moments[m].timeS, name);
    }
    // Time is kept on one of the two for a while: strokes that could not be told go by those around them.
    for (std::size_t m = 0; m < strokes.size(); ++m)
        for (int& name : names[m]) {
            if (!isTimekeeper(name))
                continue;
            const auto [first, last] = nearestSure(sure, moments[m].timeS);
            if (first >= 0 && first == last)
                name = first;
        }
    return names;
}

} // namespace cask::measure
