#include "core/layers/drums_by_ear.h"

#include "core/measure/look/shot_ear.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

namespace cask::layers {
namespace {

using measure::SoundLook;

// Unlikeness from one stroke to the next one of the same drum. Sampled drums of several strengths: at most 4;
// made-up ones that no stroke is the same of: 3 of skins, 9 of metal.
constexpr double kSkinsPart = 8.5;
constexpr double kMetalParts = 10;
constexpr double kMayPart = 5;
constexpr double kTimesAsFar = 2;

/// From one stroke to another.
struct Way {
    std::size_t from = 0;
    std::size_t to = 0;
    double length = 0;
};

bool isShorter(const Way& a, const Way& b) {
    return a.length < b.length;
}

/// The shortest ways that join all (Prim), shortest first.
std::vector<Way> shortestWays(std::span<const SoundLook> strokes) {
    std::vector<Way> nearest; // of each stroke that is not joined, to one that is
    for (std::size_t i = 1; i < strokes.size(); ++i)
        nearest.push_back({0, i, measure::unlikeness(strokes[0].shape, strokes[i].shape)});
    std::vector<Way> ways;
    while (!nearest.empty()) {
        const auto next = std::min_element(nearest.begin(), nearest.end(), isShorter);
        ways.push_back(*next);
        *next = nearest.back();
        nearest.pop_back();
        const std::size_t joined = ways.back().to;
        for (auto& way : nearest)
            if (const double d = measure::unlikeness(strokes[joined].shape, strokes[way.to].shape);
                d < way.length)
                way = {joined, way.to, d};
    }
    std::sort(ways.begin(), ways.end(), isShorter);
    return ways;
}

/// A stroke, or two joints and the way between them, than which none within either is longer.
struct Joint {
    std::size_t one = 0;
    std::size_t other = 0;
    double length = 0;
};

/// All strokes, then what joins them; the last one joins all.
std::vector<Joint> joints(std::span<const SoundLook> strokes) {
    std::vector<Joint> made(strokes.size());
    std::vector<std::size_t> above(2 * strokes.size()); // itself where nothing is
    std::iota(above.begin(), above.end(), 0U);
    const auto top = [&](std::size_t i) {
        while (above[i] != i)
            i = above[i] = above[above[i]];
        return i;
    };
    for (const auto& way : shortestWays(strokes)) {
        made.push_back({top(way.from), top(way.to), way.length});
        above[made.back().one] = above[made.back().other] = made.size() - 1;
    }
    return made;
}

bool isOfMetal(std::span<const SoundLook> strokes, const std::vector<std::size_t>& drum) {
    std::vector<SoundLook> own;
    for (const std::size_t i : drum)
        own.push_back(strokes[i]);
    return roleInfo(guessRoleOfLooks(own).role).group == RoleGroup::Cymbals;
}

double octaves(double value, double least) {
    return std::log2(std::max(value, least));
}

} // namespace

RoleGuess guessRoleOfLooks(std::span<const SoundLook> strokes) {
    constexpr double kMostSure = 0.5;
    constexpr float kLeastShare = 0.3F;
    constexpr double kFloorTomHz = 110;
    constexpr Role kRoles[measure::kShotKinds] = {
        Role::KickIn,  Role::SnareTop, Role::SideStick, Role::Clap, Role::ClosedHat,
        Role::OpenHat, Role::RackTom,  Role::Crash,     Role::Ride, Role::Percussion};
    if (strokes.empty())
        return {};
    measure::ShotShares shares{};
    std::vector<double> notesHz;
    for (const auto& look : strokes) {
        const auto own = measure::shotShares(measure::shippedShotEar(), look);
        for (std::size_t k = 0; k < shares.size(); ++k)
            shares[k] += own[k] / static_cast<float>(strokes.size());
        if (look.fundamentalHz > 0)
            notesHz.push_back(look.fundamentalHz);
    }
    const auto best = std::max_element(shares.begin(), shares.end());
    if (*best < kLeastShare)
        return {};
    const Role role = kRoles[best - shares.begin()];
    std::sort(notesHz.begin(), notesHz.end());
    const bool isFloor =
        role == Role::RackTom && !notesHz.empty() && notesHz[notesHz.size() / 2] < kFloorTomHz;
    return {isFloor ? Role::FloorTom : role, std::min(kMostSure, static_cast<double>(*best))};
}

std::vector<std::vector<std::size_t>> toldApart(std::span<const SoundLook> strokes) {
    std::vector<std::vector<std::size_t>> drums;
    if (strokes.empty())
        return drums;
    const auto made = joints(strokes);
    const auto strokesOf = [&](std::size_t joint) {
        std::vector<std::size_t> own;
        for (std::vector<std::size_t> open{joint}; !open.empty();) {
            const std::size_t at = open.back();
            open.pop_back();
            if (at < strokes.size())
                own.push_back(at);
            else
                open.insert(open.end(), {made[at].one, made[at].other});
        }
        std::sort(own.begin(), own.end());
        return own;
    };
    for (std::vector<std::size_t> open{made.size() - 1}; !open.empty();) {
        const std::size_t at = open.back();
        const auto& [one, other, far] = made[at];
        open.pop_back();
        const bool areSeveral = std::max(one, other) >= strokes.size(); // on one side at least
        const double within = std::max(made[one].length, made[other].length);
        if (far >= kMetalParts || (far >= kMayPart && areSeveral && far >= kTimesAsFar * within) ||
            (far >= kSkinsPart && !isOfMetal(strokes, strokesOf(at))))
            open.insert(open.end(), {one, other});
        else
            drums.push_back(strokesOf(at));
    }
    std::sort(drums.begin(), drums.end());
    return drums;
}

TypicalSound typicalOf(std::span<const SoundLook> strokes) {
    const auto median = [&](double SoundLook::*number) {
        std::vector<double> values;
        for (const auto& look : strokes)
            values.push_back(look.*number);
        std::sort(values.begin(), values.end());
        return values.empty() ? 0 : values[values.size() / 2];
    };
    return {median(&SoundLook::lengthMs), median(&SoundLook::brightnessHz), median(&SoundLook::noisiness),
            median(&SoundLook::attackMs)};
}

double apart(const TypicalSound& a, const TypicalSound& b) {
    // Each by how far it usually varies from one such instrument to another.
    const double length = (octaves(a.lengthMs, 5) - octaves(b.lengthMs, 5)) / 0.7;
    const double brightness = (octaves(a.brightnessHz, 30) - octaves(b.brightnessHz, 30)) / 0.5;
    const double noisiness = (a.noisiness - b.noisiness) / 0.2;
    const double attack = (octaves(a.attackMs, 0.2) - octaves(b.attackMs, 0.2)) / 1.5;
    return std::hypot(std::hypot(length, brightness), noisiness, attack);
}

} // namespace cask::layers
