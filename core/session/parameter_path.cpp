#include "core/session/parameter_path.h"

#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "core/session/output_changes.h"
#include "core/session/rides.h"
#include "core/session/session_limits.h"

#include <fmt/format.h>

#include <charconv>
#include <functional>
#include <optional>

namespace cask::session {

std::optional<Id> findOwner(const Session& s, const std::string& name) {
    for (const auto& e : s.elements)
        if (e->name == name)
            return e->id;
    for (const auto& b : s.buses)
        if (b->name == name || (b->isMaster && name == "master"))
            return b->id;
    return std::nullopt;
}

namespace {

std::vector<std::string> split(std::string_view path) {
    std::vector<std::string> parts;
    while (!path.empty()) {
        const auto slash = path.find('/');
        parts.emplace_back(path.substr(0, slash));
        path = slash == std::string_view::npos ? std::string_view() : path.substr(slash + 1);
    }
    return parts;
}

Error noSuch(std::string_view path, std::string_view part) {
    return {ErrorCode::BadValue, fmt::format("There is no \"{}\" in \"{}\".", part, path)};
}

/// Sets a field by its id; nothing when the table has none of that id.
template <class T>
std::optional<Status> trySet(std::span<const Field<T>> fields, const std::string& id, std::string_view text,
                             const std::function<void(const std::function<void(T&)>&)>& change) {
    for (const auto& f : fields) {
        if (f.info.id != id)
            continue;
        const auto value = parseValue(f.info, text);
        if (!value)
            return value.error();
        change([&](T& target) { f.set(target, *value); });
        return Done{};
    }
    return std::nullopt;
}

/// A module as a path names it: "gate", "eq#2".
struct ModuleName {
    std::string kind;
    int ordinal = 1;
};

/// Nothing when it is not the name of a kind, with or without a number.
std::optional<ModuleName> moduleName(std::string text) {
    if (text == "eq2") // as older scripts say it
        text = "eq#2";
    ModuleName name{text.substr(0, text.find('#')), 1};
    if (const auto hash = text.find('#'); hash != std::string::npos) {
        const char* end = text.data() + text.size();
        const auto [rest, error] = std::from_chars(text.data() + hash + 1, end, name.ordinal);
        if (error != std::errc() || rest != end || name.ordinal < 1 ||
            name.ordinal > static_cast<int>(kMostModules))
            return std::nullopt;
    }
    return withKind(name.kind, [](auto) {}) ? std::optional(name) : std::nullopt;
}

Result<Session> rideSet(Session s, const RidePlace& place, bool isThere, std::string_view path,
                        std::string_view text) {
    if (!isThere)
        return noSuch(path, place.value);
    auto points = parsePoints(text);
    return points ? Result<Session>(withPoints(std::move(s), place, std::move(*points))) : points.error();
}

/// What a section's change becomes by `text` for one of its values, "glide_ms" or "remove".
Result<SectionChange> changeAt(const std::vector<SectionChange>& changes, const std::string& section,
                               const std::string& name, std::string_view text, std::string_view path,
                               const std::function<std::optional<MovingValue>(std::string_view)>& moving) {
    SectionChange change;
    change.section = section;
    for (const auto& old : changes)
        if (old.section == section)
            change = old;
    if (name == "remove") {
        change.values.clear();
        return change;
    }
    const bool isGlide = name == glideInfo().id && !change.values.empty();
    const auto found = isGlide ? std::optional(MovingValue{&glideInfo(), 0}) : moving(name);
    if (!found)
        return noSuch(path, name.substr(name.find('/') + 1));
    const auto value = parseValue(*found->info, text);
    if (!value)
        return value.error();
    (isGlide ? change.glideMs : change.values[name]) = *value;
    return change;
}

/// Sets one module's values: what stands in `parts` from its name on.
class ModuleSetter {
  public:
    ModuleSetter(Session s, Id owner, ModuleName name, std::vector<std::string> parts, std::string_view path,
                 std::string_view text)
        : m_session(std::move(s)), m_owner(owner), m_name(std::move(name)), m_parts(std::move(parts)),
          m_path(path), m_text(text) {}

    Result<Session> set() {
        Result<Session> result = noSuch(m_path, m_parts.back());
        if (m_parts.size() > 1)
            withKind(m_name.kind, [&]<class T>(std::type_identity<T>) { result = setKind<T>(); });
        return result;
    }

  private:
    /// The module with this name; one that is only its values is made when there is none.
    template <class T> const Module* module() {
        const auto* found = findModule<T>(*m_session.chain(m_owner), m_name.ordinal);
        constexpr bool needsItems = HasItems<T> && !requires {
            KindOf<T>::isWholeWithoutItems;
        };
        if (found != nullptr || needsItems || m_parts[1] == "remove")
            return found;
        addModule(m_session, m_owner, T{}, m_name.ordinal);
        return findModule<T>(*m_session.chain(m_owner), m_name.ordinal);
    }

    template <class T> Result<Session> setKind() {
        const std::string& what = m_parts[1];
        if constexpr (HasItems<T>)
            if (what == "add" && m_parts.size() == 2)
                return addItem<T>();
        const Module* found = module<T>();
        if (found == nullptr)
            return noSuch(m_path, m_parts[0]);
        const Id id = found->id;
        if (what == "section" && m_parts.size() >= 4)
            return setSection<T>(*found);
        if (what == "ride" && m_parts.size() >= 3)
            return setRide<T>(*found);
        if constexpr (HasItems<T>)
            if (m_parts.size() == 3)
                return setItem<T>(*found);
        if (m_parts.size() != 2)
            return noSuch(m_path, m_parts.back());
        if (what == "remove")
            return withoutModule(m_session, id);
        if (what == "on") {
            const auto on = parseValue({.id = "on", .words = "on", .kind = ParameterKind::Switch}, m_text);
            return on ? Result<Session>(withModule(m_session, id, [&](Module& m) { m.isOn = *on > 0.5; }))
                      : on.error();
        }
        if constexpr (KindOf<T>::hearsKey)
            if (what == "key")
                return setKey(id);
        if constexpr (KindOf<T>::hearsKey)
            if (what == keyTapInfo().id) {
                const auto tap = parseValue(keyTapInfo(), m_text);
                return tap ? withKeyTap(m_session, m_owner, id, static_cast<KeyTap>(std::lround(*tap)))
                           : tap.error();
            }
        return finish(trySet<T>(fieldsOf<T>(), what, m_text,
                                [&](const auto& change) {
                                    m_session = withModule(std::move(m_session), id, [&](Module& m) {
                                        change(std::get<T>(m.settings));
                                    });
                                }),
                      what);
    }

    Result<Session> finish(const std::optional<Status>& status, const std::string& part) const {
        if (!status)
            return noSuch(m_path, part);
        return *status ? Result<Session>(m_session) : status->error();
    }

    /// An element or bus, or "own".
    Result<Session> setKey(Id module) {
        const auto key = m_text == "own" ? std::optional(kNoId) : findOwner(m_session, std::string(m_text));
        if (!key)
            return noSuch(m_path, m_text);
        return withKey(m_session, m_owner, module, *key == m_owner ? kNoId : *key);
    }

    /// The item with this number, counted from 1.
    template <class T> Id itemAt(const Module& module, const std::string& number) const {
        std::size_t place = 0;
        const char* end = number.data() + number.size();
        const auto [rest, error] = std::from_chars(number.data(), end, place);
        const auto& items = KindOf<T>::items(std::get<T>(module.settings));
        return error != std::errc() || rest != end || place < 1 || place > items.size() ? kNoId
                                                                                        : items[place - 1].id;
    }

    template <class T> Result<Session> addItem() {
        const auto& first = KindOf<T>::itemFields[0];
        const auto value = parseValue(first.info, m_text);
        if (!value)
            return value.error();
        ItemOf<T> item;
        first.set(item, *value);
        item.id = m_session.nextId++;
        const auto* found = findModule<T>(*m_session.chain(m_owner), m_name.ordinal);
        const Id id = found != nullptr ? found->id : addModule(m_session, m_owner, T{}, m_name.ordinal);
        return withModule(m_session, id,
                          [&](Module& m) { KindOf<T>::items(std::get<T>(m.settings)).push_back(item); });
    }

    template <class T> Result<Session> setItem(const Module& module) {
        const Id item = itemAt<T>(module, m_parts[1]);
        if (item == kNoId)
            return noSuch(m_path, m_parts[1]);
        const auto edit = [&, id = module.id](const auto& change) {
            m_session = withModule(std::move(m_session), id, [&](Module& m) {
                for (auto& one : KindOf<T>::items(std::get<T>(m.settings)))
                    if (one.id == item)
                        change(one);
            });
        };
        if (m_parts[2] != "remove")
            return finish(trySet<ItemOf<T>>(itemFieldsOf<T>(), m_parts[2], m_text, edit), m_parts[2]);
        return withModule(m_session, module.id, [&](Module& m) {
            std::erase_if(KindOf<T>::items(std::get<T>(m.settings)),
                          [&](const auto& one) { return one.id == item; });
            forgetItem(m, item);
        });
    }

    /// ride/PARAMETER, ride/NUMBER/PARAMETER of an item.
    template <class T> Result<Session> setRide(const Module& module) {
        std::string name = m_parts[2];
        if constexpr (HasItems<T>)
            if (m_parts.size() == 4)
                name = fmt::format("{}/{}", itemAt<T>(module, m_parts[2]), m_parts[3]);
        return rideSet(m_session, {m_owner, module.id, name}, movingValue(module.settings, name).has_value(),
                       m_path, m_text);
    }

    /// section/SECTION/PARAMETER, section/SECTION/NUMBER/PARAMETER of an item, section/SECTION/glide_ms,
    /// section/SECTION/remove.
    template <class T> Result<Session> setSection(const Module& module) {
        std::string name = m_parts[3];
        if constexpr (HasItems<T>)
            if (m_parts.size() == 5)
                name = fmt::format("{}/{}", itemAt<T>(module, m_parts[3]), m_parts[4]);
        const auto change = changeAt(module.changes, m_parts[2], name, m_text, m_path,
                                     [&](std::string_view id) { return movingValue(module.settings, id); });
        return change ? Result<Session>(withSectionChange(m_session, module.id, *change)) : change.error();
    }

    Session m_session;
    Id m_owner;
    ModuleName m_name;
    std::vector<std::string> m_parts; ///< of the path, from the module's name on
    std::string_view m_path;
    std::string_view m_text;
};

Result<Session> setRoute(Session s, Id owner, const std::vector<std::string>& parts, std::string_view text,
                         std::string_view path) {
    if (parts[1] == "bus") {
        const auto bus = findOwner(s, std::string(text));
        if (!bus || s.bus(*bus) == nullptr)
            return noSuch(path, text);
        return withOutputBus(std::move(s), owner, *bus);
    }
    const auto bus = parts.size() > 2 ? findOwner(s, parts[2]) : std::nullopt;
    if (!bus || s.bus(*bus) == nullptr || parts.size() < 4)
        return noSuch(path, parts.size() > 2 ? parts[2] : parts.back());
    Send send{*bus, 0, false};
    for (const auto& old : s.output(owner)->sends)
        if (old.bus == *bus)
            send = old;
    const auto status = trySet<Send>(sendFields(), parts[3], text, [&](const auto& change) { change(send); });
    if (!status)
        return noSuch(path, parts[3]);
    if (!*status)
        return status->error();
    return withSend(std::move(s), owner, send);
}

/// section/SECTION/PARAMETER, section/SECTION/send/BUS/PARAMETER, section/SECTION/glide_ms or remove.
Result<Session> setOutputSection(Session s, Id owner, const std::vector<std::string>& parts,
                                 std::string_view text, std::string_view path) {
    std::string name = parts[3];
    if (parts.size() == 6 && name == "send") {
        const auto bus = findOwner(s, parts[4]);
        if (!bus)
            return noSuch(path, parts[4]);
        name = fmt::format("{}/{}", *bus, parts[5]);
    } else if (parts.size() != 4) {
        return noSuch(path, parts.back());
    }
    const Output& out = *s.output(owner);
    const auto change = changeAt(out.changes, parts[2], name, text, path,
                                 [&](std::string_view id) { return movingValue(out, id); });
    return change ? Result<Session>(withOutputChange(std::move(s), owner, *change)) : change.error();
}

/// ride/PARAMETER or ride/send/BUS/PARAMETER.
Result<Session> setOutputRide(Session s, Id owner, const std::vector<std::string>& parts,
                              std::string_view text, std::string_view path) {
    std::string name = parts[2];
    if (parts.size() == 5 && name == "send") {
        const auto bus = findOwner(s, parts[3]);
        if (!bus)
            return noSuch(path, parts[3]);
        name = fmt::format("{}/{}", *bus, parts[4]);
    } else if (parts.size() != 3) {
        return noSuch(path, parts.back());
    }
    const bool isThere = movingValue(*s.output(owner), name).has_value();
    return rideSet(std::move(s), {owner, kNoId, name}, isThere, path, text);
}

Result<Session> setRole(Session s, Id owner, std::string_view text, std::string_view path) {
    if (s.element(owner) == nullptr)
        return noSuch(path, "role");
    for (const auto& info : allRoles())
        if (text == info.id || text == info.name)
            return withRole(std::move(s), owner, info.role);
    return Error{ErrorCode::BadValue, fmt::format("\"{}\" is no role.", text)};
}

} // namespace

Result<Session> withValueAt(Session s, std::string_view path, std::string_view text) {
    auto parts = split(path);
    // "path/NAME/..." is a parallel path, by its own name alone too.
    if (parts.size() >= 3 && parts[0] == "path" && !findOwner(s, "path")) {
        const auto named = findOwner(s, parts[1]);
        if (!named || s.bus(*named) == nullptr || !s.bus(*named)->path)
            return noSuch(path, parts[1]);
        parts.erase(parts.begin());
    }
    if (parts.size() < 2)
        return Error{ErrorCode::BadValue, fmt::format("\"{}\" is not a path. Enter NAME/PARAMETER.", path)};
    const auto owner = findOwner(s, parts[0]);
    if (!owner && path == kHouseStylePath) {
        s.houseStyle = text;
        return s;
    }
    if (!owner)
        return noSuch(path, parts[0]);
    if (parts[1] == "role")
        return setRole(std::move(s), *owner, text, path);
    if (parts[1] == "bus" || parts[1] == "send")
        return setRoute(std::move(s), *owner, parts, text, path);
    if (parts[1] == "section" && parts.size() >= 4)
        return setOutputSection(std::move(s), *owner, parts, text, path);
    if (parts[1] == "ride" && parts.size() >= 3)
        return setOutputRide(std::move(s), *owner, parts, text, path);
    if (const auto name = moduleName(parts[1]))
        return ModuleSetter(std::move(s), *owner, *name, {parts.begin() + 1, parts.end()}, path, text).set();
    if (auto status = trySet<Output>(outputFields(), parts[1], text, [&](const auto& change) {
            s = withOutput(std::move(s), *owner, change);
        }))
        return *status ? Result<Session>(std::move(s)) : status->error();
    if (const auto* bus = s.bus(*owner); bus != nullptr && bus->path)
        if (auto status = trySet<ParallelPath>(pathFields(), parts[1], text, [&](const auto& change) {
                s = withBus(std::move(s), *owner, [&](Bus& b) { change(*b.path); });
            }))
            return *status ? Result<Session>(std::move(s)) : status->error();
    if (s.element(*owner) != nullptr)
        if (auto status = trySet<InputSettings>(inputFields(), parts[1], text, [&](const auto& change) {
                s = withElement(std::move(s), *owner, [&](Element& e) { change(e.input); });
            }))
            return *status ? Result<Session>(std::move(s)) : status->error();
    return noSuch(path, parts[1]);
}

} // namespace cask::session
