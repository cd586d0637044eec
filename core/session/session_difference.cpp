#include "core/session/session_difference.h"

#include "core/session/parameter_path.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

namespace cask::session {
namespace {

/// With the names of `of`, so that a thing is the same under another name.
Session withNamesOf(Session s, const Session& of) {
    for (auto& e : s.elements)
        if (const auto* named = of.element(e->id); named != nullptr && named->name != e->name)
            e.edit([&](Element& element) { element.name = named->name; });
    for (auto& b : s.buses)
        if (const auto* named = of.bus(b->id); named != nullptr && named->name != b->name)
            b.edit([&](Bus& bus) { bus.name = named->name; });
    return s;
}

/// Solo and mute are what is listened to, and no mix.
std::vector<PathValue> toldOf(const Session& s) {
    auto values = listValues(s);
    std::erase_if(values, [](const PathValue& value) {
        return value.module.empty() && (value.path.ends_with("/muted") || value.path.ends_with("/alone"));
    });
    return values;
}

std::map<std::string, PathValue> byPath(const Session& s) {
    std::map<std::string, PathValue> values;
    for (auto& value : toldOf(s))
        values.emplace(value.path, value);
    return values;
}

/// Owner and module of those that are listed.
std::set<std::pair<std::string, std::string>> modulesOf(const std::map<std::string, PathValue>& values) {
    std::set<std::pair<std::string, std::string>> modules;
    for (const auto& [path, value] : values)
        modules.emplace(value.owner, value.module);
    return modules;
}

std::string lineOf(const PathValue& value, const std::string& change) {
    return fmt::format("{}: {}{}{} {}", value.owner, value.module, value.module.empty() ? "" : " ",
                       value.words, change);
}

} // namespace

std::vector<std::string> differencesInWords(const Session& from, const Session& to) {
    const auto before = byPath(withNamesOf(from, to));
    const auto now = byPath(to);
    const auto modulesBefore = modulesOf(before);
    const auto modulesNow = modulesOf(now);
    std::vector<std::string> lines;
    std::set<std::pair<std::string, std::string>> told;
    // Things that only one of them has are told once, not value by value.
    const auto isOfOne = [&](const PathValue& value, const auto& others, const char* words) {
        const std::pair whole(value.owner, std::string());
        const std::pair module(value.owner, value.module);
        const auto& missing = !others.contains(whole) ? whole : module;
        if (others.contains(missing))
            return false;
        if (told.insert(missing).second)
            lines.push_back(missing.second.empty()
                                ? fmt::format("{}: {}", value.owner, words)
                                : fmt::format("{}: {} {}", value.owner, value.module, words));
        return true;
    };
    // In the order in which they are listed, which is the session's.
    for (const auto& value : toldOf(to)) {
        if (isOfOne(value, modulesBefore, "added"))
            continue;
        const auto was = before.find(value.path);
        if (was == before.end())
            lines.push_back(lineOf(value, fmt::format("now {}", value.value)));
        else if (was->second.value != value.value)
            lines.push_back(lineOf(value, fmt::format("{}, now {}", was->second.value, value.value)));
    }
    for (const auto& value : toldOf(withNamesOf(from, to)))
        if (!isOfOne(value, modulesNow, "removed") && !now.contains(value.path))
            lines.push_back(lineOf(value, fmt::format("{}, now none", value.value)));
    return lines;
}

} // namespace cask::session
