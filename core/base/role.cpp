#include "core/base/role.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <vector>

namespace cask {
namespace {

constexpr std::array kRoles = {
    RoleInfo{Role::KickIn, "kick_in", "kick in", 'k', RoleGroup::Shells},
    RoleInfo{Role::KickOut, "kick_out", "kick out", 'j', RoleGroup::Shells},
    RoleInfo{Role::SubKick, "sub_kick", "sub kick", 'u', RoleGroup::Shells},
    RoleInfo{Role::SnareTop, "snare_top", "snare top", 's', RoleGroup::Shells},
    RoleInfo{Role::SnareBottom, "snare_bottom", "snare bottom", 'd', RoleGroup::Shells},
    RoleInfo{Role::SideStick, "side_stick", "side-stick", 'i', RoleGroup::Shells},
    RoleInfo{Role::Clap, "clap", "clap", 'a', RoleGroup::Shells},
    RoleInfo{Role::RackTom, "rack_tom", "rack tom", 't', RoleGroup::Shells},
    RoleInfo{Role::FloorTom, "floor_tom", "floor tom", 'f', RoleGroup::Shells},
    RoleInfo{Role::ClosedHat, "closed_hat", "closed hat", 'h', RoleGroup::Cymbals},
    RoleInfo{Role::OpenHat, "open_hat", "open hat", 'n', RoleGroup::Cymbals},
    RoleInfo{Role::Ride, "ride", "ride", 'e', RoleGroup::Cymbals},
    RoleInfo{Role::Crash, "crash", "crash", 'c', RoleGroup::Cymbals},
    RoleInfo{Role::Overhead, "overhead", "overhead", 'o', RoleGroup::Cymbals},
    RoleInfo{Role::Room, "room", "room", 'r', RoleGroup::Rooms},
    RoleInfo{Role::Percussion, "percussion", "percussion", 'p', RoleGroup::Shells},
    RoleInfo{Role::Loop, "loop", "loop", 'l', RoleGroup::Shells},
    RoleInfo{Role::Effect, "effect", "effect", 'x', RoleGroup::Rooms},
    RoleInfo{Role::Bass, "bass", "bass", 'b', RoleGroup::Context},
    RoleInfo{Role::Music, "music", "music", 'm', RoleGroup::Context},
    RoleInfo{Role::Voice, "voice", "voice", 'v', RoleGroup::Context},
    RoleInfo{Role::Unknown, "unknown", "not known", 'z', RoleGroup::Shells},
};

/// Lower-case words of a name: letters and digits part, capitals begin a word, the extension is dropped.
std::vector<std::string> wordsOf(std::string_view name) {
    if (const auto slash = name.find_last_of('/'); slash != std::string_view::npos)
        name.remove_prefix(slash + 1);
    if (const auto dot = name.find_last_of('.'); dot != std::string_view::npos && dot > 0)
        name = name.substr(0, dot);
    std::vector<std::string> words;
    char previous = ' ';
    for (const char c : name) {
        const auto u = static_cast<unsigned char>(c);
        const auto p = static_cast<unsigned char>(previous);
        const bool starts = std::isalpha(u) && (!std::isalpha(p) || (std::isupper(u) && std::islower(p)));
        if (starts)
            words.emplace_back();
        if (std::isalpha(u) && !words.empty())
            words.back().push_back(static_cast<char>(std::tolower(u)));
        previous = c;
    }
    return words;
}

bool oneOf(const std::string& word, std::initializer_list<const char*> list) {
    return std::any_of(list.begin(), list.end(), [&](const char* w) { return word == w; });
}

} // namespace

std::span<const RoleInfo> allRoles() {
    return kRoles;
}

const RoleInfo& roleInfo(Role role) {
    return *std::find_if(kRoles.begin(), kRoles.end(), [&](const RoleInfo& i) { return i.role == role; });
}

std::optional<Role> roleFromId(std::string_view id) {
    const auto it = std::find_if(kRoles.begin(), kRoles.end(), [&](const RoleInfo& i) { return i.id == id; });
    return it == kRoles.end() ? std::nullopt : std::optional(it->role);
}

RoleGuess guessRoleFromName(std::string_view fileName) {
    const auto words = wordsOf(fileName);
    const auto has = [&](std::initializer_list<const char*> list) {
        return std::any_of(words.begin(), words.end(), [&](const std::string& w) { return oneOf(w, list); });
    };
    const bool low = has({"bottom", "bot", "btm", "under", "lower", "dn", "bt", "wires"});
    const bool outside = has({"out", "outside", "outer", "front"});
    if (has({"subkick", "sub"}) && !has({"bass"}))
        return {Role::SubKick, 0.8};
    if (has({"kick", "kik", "kck", "kk", "bd", "bassdrum", "kd", "kickdrum"}) ||
        (has({"bass"}) && has({"drum"})))
        return {outside ? Role::KickOut : Role::KickIn,
                outside || has({"in", "inside", "inner"}) ? 1.0 : 0.8};
    if (has({"kickin"}))
        return {Role::KickIn, 1.0};
    if (has({"kickout"}))
        return {Role::KickOut, 1.0};
    if (has({"sidestick", "crossstick", "rim", "rimshot"}) || (has({"side", "cross"}) && has({"stick"})))
        return {Role::SideStick, 0.9};
    if (has({"snare", "sn", "snr", "sd", "snaredrum"}))
        return {low ? Role::SnareBottom : Role::SnareTop,
                low || has({"top", "up", "upper", "tp"}) ? 1.0 : 0.8};
    if (has({"clap", "claps", "snap"}))
        return {Role::Clap, 0.9};
    if (has({"hat", "hats", "hh", "hihat", "hi", "hihats"}) && !has({"tom"}))
        return {has({"open", "oh"}) ? Role::OpenHat : Role::ClosedHat, 0.9};
    if (has({"floor", "flr", "ft", "floortom"}) || (has({"tom"}) && has({"low", "lo"})))
        return {Role::FloorTom, 0.9};
    if (has({"tom", "toms", "rack", "racktom", "rt"}))
        return {Role::RackTom, 0.8};
    if (has({"ride"}))
        return {Role::Ride, 0.9};
    if (has({"crash", "splash", "china", "cymbal", "cymbals", "cym"}))
        return {Role::Crash, 0.8};
    if (has({"oh", "ohs", "ohl", "ohr", "overhead", "overheads", "over", "ovh"}))
        return {Role::Overhead, 0.9};
    if (has({"room", "rooms", "rm", "amb", "ambience", "ambient", "hall", "far"}))
        return {Role::Room, 0.9};
    if (has({"perc", "percussion", "shaker", "tamb", "tambourine", "cowbell", "conga", "bongo"}))
        return {Role::Percussion, 0.8};
    if (has({"loop"}))
        return {Role::Loop, 0.8};
    if (has({"bass", "bs"}))
        return {Role::Bass, 0.8};
    if (has({"vox", "voice", "vocal", "vocals", "lead"}))
        return {Role::Voice, 0.7};
    if (has({"music", "gtr", "guitar", "keys", "piano", "synth", "track", "instrumental"}))
        return {Role::Music, 0.7};
    if (has({"fx", "effect", "sfx"}))
        return {Role::Effect, 0.7};
    return {};
}

PairMark pairMark(std::string_view fileName) {
    std::string name(fileName);
    if (const auto dot = name.find_last_of('.'); dot != std::string::npos && dot > 0)
        name.resize(dot);
    const auto isSeparator = [](char c) { return c == ' ' || c == '_' || c == '-' || c == '.' || c == '('; };
    std::string lower = name;
    std::transform(lower.begin(), lower.end(), lower.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    const auto endsWith = [&](std::string_view tail) {
        return lower.size() > tail.size() &&
               lower.compare(lower.size() - tail.size(), tail.size(), tail) == 0 &&
               isSeparator(lower[lower.size() - tail.size() - 1]);
    };
    for (const auto& [tail, side] : {std::pair{"left", 'L'}, {"right", 'R'}, {"l", 'L'}, {"r", 'R'}}) {
        if (!endsWith(tail))
            continue;
        std::size_t end = lower.size() - std::string_view(tail).size();
        while (end > 0 && isSeparator(lower[end - 1]))
            --end;
        return {side, name.substr(0, end)};
    }
    // "OHL.wav", "RoomR.wav": a capital right after a word.
    if (name.size() >= 3 && (name.back() == 'L' || name.back() == 'R') &&
        std::isalpha(static_cast<unsigned char>(name[name.size() - 2])))
        return {name.back(), name.substr(0, name.size() - 1)};
    return {0, name};
}

} // namespace cask
