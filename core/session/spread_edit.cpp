#include "core/session/spread_edit.h"

#include "core/session/chain_adapt.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "core/session/output_changes.h"
#include "core/session/rides.h"

#include <algorithm>
#include <charconv>

namespace cask::session {
namespace {

/// "17/threshold_db" is a band's value; nothing of other names.
std::optional<Id> itemOf(std::string_view name) {
    const auto slash = name.find('/');
    Id id = kNoId;
    if (slash == std::string_view::npos ||
        std::from_chars(name.data(), name.data() + slash, id).ec != std::errc())
        return std::nullopt;
    return id;
}

/// What another value becomes when one went from `before` to `after`.
double followed(const ParameterInfo& info, bool isRelative, double other, double before, double after) {
    if (before == after)
        return other;
    return clampValue(info, isRelative ? other + after - before : after);
}

template <class T>
void spreadFields(std::span<const Field<T>> fields, const T& before, const T& after, T& other,
                  bool (*isRelative)(const ParameterInfo&)) {
    for (const auto& f : fields)
        if (const double a = f.get(before), b = f.get(after); a != b)
            f.set(other, followed(f.info, isRelative(f.info), f.get(other), a, b));
}

bool movesTogether(const ParameterInfo& info) {
    return followsOf(info) == Follows::Level;
}
bool isLevelOrPan(const ParameterInfo& info) {
    return info.id == "level_db" || info.id == "pan";
}

std::vector<Id> itemIds(const ModuleSettings& settings) {
    std::vector<Id> ids;
    forEachItemId(settings, [&](Id id) { ids.push_back(id); });
    return ids;
}

/// Items by place: those that stayed take the change, new ones are copied, those that went go.
template <class T> void spreadItems(Id& nextId, const T& before, const T& after, Module& other, T& settings) {
    auto& items = KindOf<T>::items(settings);
    const auto& old = KindOf<T>::items(before);
    const auto& now = KindOf<T>::items(after);
    const auto byId = [](const auto& list, Id id) {
        return std::find_if(list.begin(), list.end(), [id](const auto& item) { return item.id == id; });
    };
    for (std::size_t i = old.size(); i-- > 0;) {
        const auto kept = byId(now, old[i].id);
        if (kept != now.end()) {
            if (i < items.size())
                spreadFields<ItemOf<T>>(itemFieldsOf<T>(), old[i], *kept, items[i], movesTogether);
        } else if (i < items.size()) {
            forgetItem(other, items[i].id);
            items.erase(items.begin() + static_cast<std::ptrdiff_t>(i));
        }
    }
    for (const auto& item : now)
        if (byId(old, item.id) == old.end()) {
            items.push_back(item);
            items.back().id = nextId++;
        }
}

/// Values that are other in a section; `nameThere` says how a value is called on the other one.
template <class Of, class Name>
void spreadChanges(const std::vector<SectionChange>& before, const std::vector<SectionChange>& after,
                   const Of& lead, std::vector<SectionChange>& other, const Of& there, Name nameThere,
                   bool (*isRelative)(const ParameterInfo&)) {
    const auto valuesOf = [](const std::vector<SectionChange>& list, const std::string& section) {
        const auto* change = changeIn(list, section);
        return change == nullptr ? SectionChange{section, 20, {}, {}, {}} : *change;
    };
    std::vector<std::string> sections;
    for (const auto* list : {&before, &after})
        for (const auto& change : *list)
            if (std::find(sections.begin(), sections.end(), change.section) == sections.end())
                sections.push_back(change.section);
    for (const auto& section : sections) {
        const auto old = valuesOf(before, section);
        const auto now = valuesOf(after, section);
        if (old == now)
            continue;
        auto mine = valuesOf(other, section);
        mine.glideMs = now.glideMs;
        for (const auto& [name, value] : old.values)
            if (!now.values.contains(name))
                if (const auto called = nameThere(name))
                    mine.values.erase(*called);
        for (const auto& [name, value] : now.values) {
            const auto called = nameThere(name);
            const auto moving = movingValue(lead, name);
            const auto its = called ? movingValue(there, *called) : std::nullopt;
            if (!moving || !its)
                continue;
            const double was = old.values.contains(name) ? old.values.at(name) : moving->value;
            const double mineWas = mine.values.contains(*called) ? mine.values.at(*called) : its->value;
            mine.values[*called] = followed(*its->info, isRelative(*its->info), mineWas, was, value);
        }
        putChange(other, mine);
    }
}

/// Rides that the lead got, lost or changed.
template <class Of, class Name>
void spreadRides(const std::vector<Ride>& before, const std::vector<Ride>& after, std::vector<Ride>& other,
                 const Of& there, Name nameThere) {
    for (const auto& old : before)
        if (rideOf(after, old.value) == nullptr)
            if (const auto called = nameThere(old.value))
                putRide(other, {*called, {}, {}});
    for (const auto& now : after) {
        const auto* old = rideOf(before, now.value);
        const auto called = nameThere(now.value);
        if ((old == nullptr || !(*old == now)) && called && movingValue(there, *called))
            putRide(other, {*called, now.points, now.extra});
    }
}

const Module* sameIn(const std::vector<Module>& chain, const Module& module) {
    for (const auto& m : chain)
        if (kindId(m.settings) == kindId(module.settings) && m.ordinal == module.ordinal)
            return &m;
    return nullptr;
}

void spreadModule(Session& s, Id owner, const Module& before, const Module& after, Id there) {
    Id nextId = s.nextId;
    s = withModule(std::move(s), there, [&](Module& other) {
        if (before.isOn != after.isOn)
            other.isOn = after.isOn;
        withSettings(other.settings, [&]<class T>(T& settings) {
            const auto* old = std::get_if<T>(&before.settings);
            const auto* now = std::get_if<T>(&after.settings);
            if (old == nullptr || now == nullptr)
                return;
            spreadFields<T>(fieldsOf<T>(), *old, *now, settings, movesTogether);
            if constexpr (HasItems<T>)
                spreadItems(nextId, *old, *now, other, settings);
        });
        const auto mine = itemIds(after.settings);
        const auto its = itemIds(other.settings);
        const auto nameThere = [&](const std::string& name) -> std::optional<std::string> {
            const auto item = itemOf(name);
            if (!item)
                return name;
            const auto at =
                static_cast<std::size_t>(std::find(mine.begin(), mine.end(), *item) - mine.begin());
            if (at >= std::min(mine.size(), its.size()))
                return std::nullopt;
            return std::to_string(its[at]) + name.substr(name.find('/'));
        };
        spreadChanges(before.changes, after.changes, after.settings, other.changes, other.settings, nameThere,
                      movesTogether);
        spreadRides(before.rides, after.rides, other.rides, other.settings, nameThere);
    });
    s.nextId = nextId;
    if (before.key != after.key)
        if (auto keyed = withKey(s, owner, there, after.key == owner ? kNoId : after.key))
            s = *std::move(keyed);
    if (before.keyTap != after.keyTap)
        if (auto tapped = withKeyTap(s, owner, there, after.keyTap))
            s = *std::move(tapped);
}

/// The order of those modules that both have, as the lead has them.
void spreadOrder(Session& s, Id owner, const std::vector<Module>& lead) {
    s = withChain(std::move(s), owner, [&](std::vector<Module>& chain) {
        std::vector<Module> sorted;
        for (const auto& m : lead)
            if (const auto* same = sameIn(chain, m))
                sorted.push_back(*same);
        auto next = sorted.begin();
        for (auto& m : chain)
            if (sameIn(lead, m) != nullptr)
                m = *next++;
    });
}

void spreadChain(Session& s, Id lead, const std::vector<Module>& before, const std::vector<Module>& after,
                 Id owner) {
    for (const auto& old : before)
        if (sameIn(after, old) == nullptr)
            if (const auto* there = sameIn(*s.chain(owner), old))
                s = withoutModule(std::move(s), there->id);
    for (const auto& now : after) {
        const auto* old = sameIn(before, now);
        const auto* there = sameIn(*s.chain(owner), now);
        if (old != nullptr) {
            if (there != nullptr && !(*old == now))
                spreadModule(s, owner, *old, now, there->id);
            continue;
        }
        if (there != nullptr) // it has one of its own
            continue;
        const Id made = addModule(s, owner, now.settings, now.ordinal);
        Id nextId = s.nextId;
        s = withModule(std::move(s), made, [&](Module& m) {
            m.isOn = now.isOn;
            m.changes = now.changes;
            m.rides = now.rides;
            renumberItems(m, [&] { return nextId++; });
        });
        s.nextId = nextId;
        if (now.key != kNoId && now.key != owner)
            if (auto keyed = withKey(s, owner, made, now.key))
                s = *std::move(keyed);
    }
    const auto isOther = [&] {
        std::vector<Id> old;
        std::vector<Id> now;
        for (const auto& m : before)
            if (sameIn(after, m) != nullptr)
                old.push_back(m.id);
        for (const auto& m : after)
            if (sameIn(before, m) != nullptr)
                now.push_back(m.id);
        return old != now;
    };
    if (isOther())
        spreadOrder(s, owner, *s.chain(lead));
}

void spreadSends(Session& s, const Output& before, const Output& after, Id owner) {
    const auto in = [](const Output& out, Id bus) {
        const auto it = std::find_if(out.sends.begin(), out.sends.end(),
                                     [bus](const Send& send) { return send.bus == bus; });
        return it == out.sends.end() ? nullptr : &*it;
    };
    for (const auto& old : before.sends)
        if (in(after, old.bus) == nullptr)
            s = withoutSend(std::move(s), owner, old.bus);
    for (const auto& now : after.sends) {
        const auto* old = in(before, now.bus);
        if (old != nullptr && *old == now)
            continue;
        Send send = now;
        if (const auto* there = in(*s.output(owner), now.bus); there != nullptr && old != nullptr) {
            send = *there;
            spreadFields<Send>(sendFields(), *old, now, send, isLevelOrPan);
        }
        if (auto sent = withSend(s, owner, send))
            s = *std::move(sent);
    }
}

void spreadOutput(Session& s, const Output& before, const Output& after, Id owner) {
    const bool isMaster = s.master().id == owner;
    s = withOutput(std::move(s), owner, [&](Output& out) {
        const Output old = out;
        spreadFields<Output>(outputFields(), before, after, out, isLevelOrPan);
        spreadChanges(
            before.changes, after.changes, after, out.changes, old,
            [](const std::string& name) { return std::optional(name); }, isLevelOrPan);
        spreadRides(before.rides, after.rides, out.rides, old,
                    [](const std::string& name) { return std::optional(name); });
        if (isMaster)
            out.isMuted = out.isAlone = false;
    });
    if (isMaster)
        return;
    if (before.bus != after.bus)
        if (auto sent = withOutputBus(s, owner, after.bus))
            s = *std::move(sent);
    spreadSends(s, before, after, owner);
}

} // namespace

bool isEditOf(const Session& before, const Session& after, Id lead) {
    if (before.output(lead) == nullptr || after.output(lead) == nullptr)
        return false;
    // The same but for that one: then nothing else was changed.
    Session restored = after;
    restored.nextId = before.nextId;
    for (auto& e : restored.elements)
        if (const auto* old = before.element(lead); old != nullptr && e->id == lead) {
            if (e->name != old->name || e->role != old->role || e->channels != old->channels)
                return false;
            e = *old;
        }
    for (auto& b : restored.buses)
        if (const auto* old = before.bus(lead); old != nullptr && b->id == lead) {
            if (b->name != old->name)
                return false;
            b = *old;
        }
    return restored == before;
}

Session spreadEdit(const Session& before, Session after, Id lead, const std::vector<Id>& others) {
    if (others.empty() || !isEditOf(before, after, lead))
        return after;
    Session s = after;
    for (const Id owner : others) {
        if (owner == lead || s.output(owner) == nullptr)
            continue;
        const auto* old = before.element(lead);
        const auto* now = after.element(lead);
        if (old != nullptr && s.element(owner) != nullptr)
            s = withElement(std::move(s), owner, [&](Element& e) {
                if (old->input.trimDb != now->input.trimDb)
                    e.input.trimDb = clampValue(field(inputFields(), "trim_db").info,
                                                e.input.trimDb + now->input.trimDb - old->input.trimDb);
                if (old->input.removesDc != now->input.removesDc)
                    e.input.removesDc = now->input.removesDc;
            });
        spreadOutput(s, *before.output(lead), *after.output(lead), owner);
        spreadChain(s, lead, *before.chain(lead), *after.chain(lead), owner);
    }
    return s;
}

std::vector<Id> linkedWith(const Session& s, Id owner) {
    for (const auto& link : s.links)
        if (std::find(link.begin(), link.end(), owner) != link.end()) {
            auto others = link;
            std::erase(others, owner);
            return others;
        }
    return {};
}

Session withoutLink(Session s, const std::vector<Id>& owners) {
    for (auto& link : s.links)
        std::erase_if(link,
                      [&](Id id) { return std::find(owners.begin(), owners.end(), id) != owners.end(); });
    std::erase_if(s.links, [](const auto& link) { return link.size() < 2; });
    return s;
}

Session withLink(Session s, const std::vector<Id>& owners) {
    s = withoutLink(std::move(s), owners);
    std::vector<Id> link;
    for (const Id id : owners)
        if (s.output(id) != nullptr && std::find(link.begin(), link.end(), id) == link.end())
            link.push_back(id);
    if (link.size() > 1)
        s.links.push_back(std::move(link));
    return s;
}

} // namespace cask::session
