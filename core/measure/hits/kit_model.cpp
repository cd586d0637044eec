#include "core/measure/hits/kit_model.h"

#include "core/base/shared_drum.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace cask::measure {
namespace {

enum class Place { Drum, Ambient, Room, Loop, Context };

Place placeOf(Role role) {
    switch (role) {
    case Role::Overhead:
    case Role::Unknown:
        return Place::Ambient;
    case Role::Loop:
        return Place::Loop;
    case Role::Room:
        return Place::Room;
    case Role::Effect:
    case Role::Bass:
    case Role::Music:
    case Role::Voice:
        return Place::Context;
    default:
        return Place::Drum;
    }
}

/// Microphones of one drum share its first role, and so do the strokes of a hat.
Role sharedRole(Role role) {
    return role == Role::OpenHat ? Role::ClosedHat : sharedDrum(role);
}

bool isShared(Role role) {
    const Role r = sharedRole(role);
    return r == Role::KickIn || r == Role::SnareTop || r == Role::ClosedHat;
}

} // namespace

KitModel makeKitModel(std::span<const HitInput> inputs) {
    KitModel kit;
    kit.drumOf.assign(inputs.size(), -1);
    std::map<Role, int> shared;
    std::vector<int> rooms;
    for (int i = 0; i < static_cast<int>(inputs.size()); ++i) {
        const auto& input = inputs[static_cast<std::size_t>(i)];
        const Place place = placeOf(input.role);
        if (input.given != nullptr && place != Place::Loop)
            continue; // microphones that hear all are played too: they tell nothing new
        if (place == Place::Ambient)
            kit.ambient.push_back(i);
        if (place == Place::Room)
            rooms.push_back(i);
        if (place == Place::Loop)
            kit.loops.push_back(i);
        if (place != Place::Drum)
            continue;
        const Role role = sharedRole(input.role);
        const auto known = shared.find(role);
        if (isShared(input.role) && known != shared.end()) {
            kit.drums[static_cast<std::size_t>(known->second)].inputs.push_back(i);
            kit.drumOf[static_cast<std::size_t>(i)] = known->second;
            continue;
        }
        kit.drumOf[static_cast<std::size_t>(i)] = static_cast<int>(kit.drums.size());
        if (isShared(input.role))
            shared[role] = static_cast<int>(kit.drums.size());
        kit.drums.push_back({input.name, role, {i}});
    }
    // The microphone of the plain role comes first, in whatever order the files are.
    for (auto& drum : kit.drums) {
        std::stable_sort(drum.inputs.begin(), drum.inputs.end(), [&](int a, int b) {
            return inputs[static_cast<std::size_t>(a)].role < inputs[static_cast<std::size_t>(b)].role;
        });
        drum.name = inputs[static_cast<std::size_t>(drum.inputs.front())].name;
    }
    if (kit.ambient.empty())
        kit.ambient = rooms;
    if (kit.drums.empty()) {
        if (kit.loops.empty()) {
            // Overheads, else rooms, hear one kit together, but what is not known may be anything.
            const auto one = std::find_if(kit.ambient.begin(), kit.ambient.end(), [&](int i) {
                return inputs[static_cast<std::size_t>(i)].role != Role::Unknown;
            });
            kit.loops = one != kit.ambient.end() ? std::vector<int>{*one} : kit.ambient;
        }
        kit.ambient = kit.loops;
        return kit;
    }
    for (int i = 0; i < static_cast<int>(inputs.size()); ++i)
        if (kit.drumOf[static_cast<std::size_t>(i)] >= 0)
            kit.listening.push_back(i);
    kit.listening.insert(kit.listening.end(), kit.ambient.begin(), kit.ambient.end());
    if (!kit.ambient.empty()) {
        const auto addMissing = [&](const char* name, Role role) {
            for (const auto& drum : kit.drums)
                if (drum.role == role)
                    return;
            kit.drums.push_back({name, role, {}});
        };
        addMissing("kick", Role::KickIn);
        addMissing("snare", Role::SnareTop);
        addMissing("hat", Role::ClosedHat);
        addMissing("ride", Role::Ride);
        addMissing("crash", Role::Crash);
        const bool hasToms = std::any_of(kit.drums.begin(), kit.drums.end(), [](const Drum& d) {
            return d.role == Role::RackTom || d.role == Role::FloorTom;
        });
        if (!hasToms)
            addMissing("tom", Role::RackTom);
    }
    return kit;
}

bool isPlayedDrum(const HitInput& input) {
    return input.given != nullptr && (input.role == Role::Unknown || placeOf(input.role) == Place::Drum);
}

void addPlayedDrums(KitModel& kit, std::span<const HitInput> inputs) {
    for (std::size_t i = 0; i < inputs.size(); ++i)
        if (isPlayedDrum(inputs[i])) {
            kit.drumOf[i] = static_cast<int>(kit.drums.size());
            kit.drums.push_back(
                {inputs[i].name, sharedRole(inputs[i].role), {static_cast<int>(i)}, -1, true});
        }
}

std::array<float, kTrailBands> typicalBands(Role role) {
    std::array<float, kTrailBands> db{};
    switch (role) {
    case Role::KickIn:
    case Role::KickOut:
    case Role::SubKick:
        db = {0, -4, -10, -16, -18, -14, -18, -28};
        break;
    case Role::SnareTop:
    case Role::SnareBottom:
        db = {-18, -6, 0, -4, -4, -3, -4, -8};
        break;
    case Role::ClosedHat:
    case Role::OpenHat:
        db = {-45, -38, -32, -24, -14, -7, -2, 0};
        break;
    case Role::RackTom:
        db = {-12, 0, -2, -8, -12, -14, -18, -26};
        break;
    case Role::FloorTom:
        db = {-2, 0, -6, -10, -13, -15, -20, -28};
        break;
    case Role::Ride:
        db = {-40, -34, -26, -16, -8, -3, -1, 0};
        break;
    case Role::Crash:
        db = {-36, -30, -22, -12, -6, -2, 0, -1};
        break;
    case Role::Clap:
    case Role::SideStick:
        db = {-40, -30, -15, -6, -1, 0, -4, -8};
        break;
    default:
        db = {-10, -6, -4, -4, -4, -4, -6, -8};
        break;
    }
    std::array<float, kTrailBands> power{};
    float sum = 0;
    for (std::size_t b = 0; b < kTrailBands; ++b) {
        power[b] = static_cast<float>(std::pow(10.0, db[b] / 10));
        sum += power[b];
    }
    for (float& p : power)
        p /= sum;
    return power;
}

} // namespace cask::measure
