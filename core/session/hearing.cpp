#include "core/session/hearing.h"

#include "core/session/edits.h"

#include <algorithm>

namespace cask::session {
namespace {

Session withFlag(Session s, const std::vector<Id>& owners, bool Output::*flag, bool on) {
    for (const Id id : owners)
        if (const auto* out = s.output(id); out != nullptr && out->*flag != on && id != s.master().id)
            s = withOutput(std::move(s), id, [&](Output& o) { o.*flag = on; });
    return s;
}

bool haveFlag(const Session& s, const std::vector<Id>& owners, bool Output::*flag) {
    return !owners.empty() && std::all_of(owners.begin(), owners.end(), [&](Id id) {
        const auto* out = s.output(id);
        return out != nullptr && out->*flag;
    });
}

std::vector<Id> soloed(const Session& s) {
    std::vector<Id> ids;
    for (const auto& e : s.elements)
        if (e->out.isAlone)
            ids.push_back(e->id);
    for (const auto& b : s.buses)
        if (b->out.isAlone)
            ids.push_back(b->id);
    return ids;
}

bool belongs(Role role, HeardGroup group) {
    switch (group) {
    case HeardGroup::Drums:
        return isOfKit(role);
    case HeardGroup::Bass:
        return role == Role::Bass;
    case HeardGroup::Music:
        return role == Role::Music;
    case HeardGroup::Voice:
        return role == Role::Voice;
    }
    return false;
}

} // namespace

Session withSolo(Session s, const std::vector<Id>& owners, bool on) {
    return withFlag(std::move(s), owners, &Output::isAlone, on);
}

Session withMute(Session s, const std::vector<Id>& owners, bool on) {
    return withFlag(std::move(s), owners, &Output::isMuted, on);
}

Session withoutSolos(Session s) {
    const auto all = soloed(s);
    return withSolo(std::move(s), all, false);
}

Session withSoloOnly(Session s, const std::vector<Id>& owners) {
    return withSolo(withoutSolos(std::move(s)), owners, true);
}

bool hasSolo(const Session& s) {
    return !soloed(s).empty();
}

std::vector<Id> elementsOf(const Session& s, HeardGroup group) {
    std::vector<Id> ids;
    for (const auto& e : s.elements)
        if (belongs(e->role, group))
            ids.push_back(e->id);
    return ids;
}

bool areSoloed(const Session& s, const std::vector<Id>& owners) {
    return haveFlag(s, owners, &Output::isAlone);
}

bool areMuted(const Session& s, const std::vector<Id>& owners) {
    return haveFlag(s, owners, &Output::isMuted);
}

} // namespace cask::session
