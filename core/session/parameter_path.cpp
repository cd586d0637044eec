#include "core/session/parameter_path.h"

#include "core/session/edits.h"
#include "core/session/parameters.h"

#include <fmt/format.h>

#include <charconv>
#include <optional>

namespace cask::session {
namespace {

constexpr ParameterInfo kGlideInfo{.id = "glide_ms",
                                   .words = "glide",
                                   .unit = Unit::Milliseconds,
                                   .most = 10000,
                                   .standard = 20,
                                   .step = 10};

std::vector<std::string> split(std::string_view path) {
    std::vector<std::string> parts;
    while (!path.empty()) {
        const auto slash = path.find('/');
        parts.emplace_back(path.substr(0, slash));
        path = slash == std::string_view::npos ? std::string_view() : path.substr(slash + 1);
    }
    return parts;
}

std::optional<Id> findOwner(const Session& s, const std::string& name) {
    for (const auto& e : s.elements)
        if (e->name == name)
            return e->id;
    for (const auto& b : s.buses)
        if (b->name == name || (b->isMaster && name == "master"))
            return b->id;
    return std::nullopt;
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

Result<Session> setOn(Session s, Id module, std::string_view text) {
    const auto on = parseValue({.id = "on", .words = "on", .kind = ParameterKind::Switch}, text);
    if (!on)
        return on.error();
    return withModule(std::move(s), module, [&](Module& m) { m.isOn = *on > 0.5; });
}

/// `text`: an element or bus, or "own".
Result<Session> setKey(Session s, Id owner, Id module, std::string_view path, std::string_view text) {
    const auto key = text == "own" ? std::optional(kNoId) : findOwner(s, std::string(text));
    if (!key)
        return noSuch(path, text);
    return withKey(std::move(s), owner, module, *key == owner ? kNoId : *key);
}

/// NAME/eq/add, NAME/eq/PARAMETER, NAME/eq/key, NAME/eq/on, NAME/eq/remove, NAME/eq/NUMBER/PARAMETER|remove;
/// the same with eq2 for the second equaliser.
Result<Session> setEq(Session s, Id owner, const std::vector<std::string>& parts, std::string_view path,
                      std::string_view text) {
    const EqPlace place = parts[1] == "eq2" ? EqPlace::Colour : EqPlace::Repair;
    if (parts.size() == 3 && parts[2] == "add") {
        const auto kind = parseValue(field(eqBandFields(), "kind").info, text);
        if (!kind)
            return kind.error();
        dsp::EqBand band;
        band.kind = static_cast<dsp::FilterKind>(static_cast<int>(*kind));
        addBand(s, owner, band, place);
        return s;
    }
    const Module* module = findModule<dsp::EqSettings>(*s.chain(owner), place == EqPlace::Colour ? 1 : 0);
    if (module == nullptr || parts.size() < 3)
        return noSuch(path, parts.size() > 2 ? parts[2] : parts.back());
    const Id id = module->id;
    if (parts.size() == 3) {
        if (parts[2] == "remove")
            return withoutModule(std::move(s), id);
        if (parts[2] == "on")
            return setOn(std::move(s), id, text);
        if (parts[2] == "key")
            return setKey(std::move(s), owner, id, path, text);
        const auto status = trySet<dsp::EqSettings>(eqFields(), parts[2], text, [&](const auto& change) {
            s = withModule(std::move(s), id,
                           [&](Module& m) { change(std::get<dsp::EqSettings>(m.settings)); });
        });
        if (status)
            return *status ? Result<Session>(std::move(s)) : status->error();
    }
    int number = 0;
    if (parts.size() < 4 ||
        std::from_chars(parts[2].data(), parts[2].data() + parts[2].size(), number).ec != std::errc())
        return noSuch(path, parts[2]);
    const auto& bands = std::get<dsp::EqSettings>(module->settings).bands;
    if (number < 1 || number > static_cast<int>(bands.size()))
        return noSuch(path, parts[2]);
    const Id band = bands[static_cast<std::size_t>(number - 1)].id;
    if (parts[3] == "remove")
        return withoutBand(std::move(s), owner, band);
    const auto status = trySet<dsp::EqBand>(eqBandFields(), parts[3], text, [&](const auto& change) {
        s = withBand(std::move(s), owner, band, change);
    });
    if (!status)
        return noSuch(path, parts[3]);
    if (!*status)
        return status->error();
    return s;
}

/// NAME/KIND/PARAMETER, NAME/KIND/on, NAME/KIND/remove of a module that is nothing but its values. The first
/// of its kind in the chain, made when there is none.
template <class T>
Result<Session> setModule(Session s, Id owner, const std::vector<std::string>& parts, std::string_view path,
                          std::string_view text, std::span<const Field<T>> fields) {
    if (parts.size() != 3)
        return noSuch(path, parts.back());
    const Module* found = findModule<T>(*s.chain(owner));
    if (parts[2] == "remove" && found == nullptr)
        return noSuch(path, parts[1]);
    if (parts[2] == "remove")
        return withoutModule(s, found->id);
    const Id id = found != nullptr ? found->id : addModule(s, owner, T{});
    if (parts[2] == "on")
        return setOn(std::move(s), id, text);
    const auto status = trySet<T>(fields, parts[2], text, [&](const auto& change) {
        s = withModule(std::move(s), id, [&](Module& m) { change(std::get<T>(m.settings)); });
    });
    if (!status)
        return noSuch(path, parts[2]);
    if (!*status)
        return status->error();
    return s;
}

/// NAME/gate/PARAMETER, NAME/gate/key, NAME/gate/on, NAME/gate/remove,
/// NAME/gate/section/SECTION/PARAMETER|glide_ms|remove. The first gate of the chain, made when there is none.
Result<Session> setGate(Session s, Id owner, const std::vector<std::string>& parts, std::string_view path,
                        std::string_view text) {
    if (parts.size() < 3)
        return noSuch(path, parts.back());
    const std::string& what = parts[2];
    const Module* found = findModule<dsp::GateSettings>(*s.chain(owner));
    if (found == nullptr && what == "remove")
        return noSuch(path, "gate");
    Module module;
    if (found != nullptr)
        module = *found;
    Id id = module.id;
    if (found == nullptr)
        id = addGate(s, owner, {});
    if (what == "remove")
        return withoutModule(std::move(s), id);
    if (what == "key")
        return setKey(std::move(s), owner, id, path, text);
    if (what == "on")
        return setOn(std::move(s), id, text);
    if (what == "section") {
        if (parts.size() < 5)
            return noSuch(path, parts.back());
        SectionChange change;
        change.section = parts[3];
        for (const auto& old : module.changes)
            if (old.section == parts[3])
                change = old;
        if (parts[4] == "remove") {
            change.values.clear();
            return withSectionChange(std::move(s), id, change);
        }
        if (parts[4] == "glide_ms" && !change.values.empty()) {
            const auto glide = parseValue(kGlideInfo, text);
            if (!glide)
                return glide.error();
            change.glideMs = *glide;
            return withSectionChange(std::move(s), id, change);
        }
        for (const auto& f : gateFields())
            if (f.info.id == parts[4] && canChangeBySection(f.info.id)) {
                const auto value = parseValue(f.info, text);
                if (!value)
                    return value.error();
                change.values[parts[4]] = *value;
                return withSectionChange(std::move(s), id, change);
            }
        return noSuch(path, parts[4]);
    }
    const auto status = trySet<dsp::GateSettings>(
        gateFields(), what, text, [&](const auto& change) { s = withGate(std::move(s), id, change); });
    if (!status)
        return noSuch(path, what);
    if (!*status)
        return status->error();
    return s;
}

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
    const auto parts = split(path);
    if (parts.size() < 2)
        return Error{ErrorCode::BadValue, fmt::format("\"{}\" is no path: NAME/PARAMETER is wanted.", path)};
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
    if (parts[1] == "eq" || parts[1] == "eq2")
        return setEq(std::move(s), *owner, parts, path, text);
    if (parts[1] == "gate")
        return setGate(std::move(s), *owner, parts, path, text);
    if (parts[1] == "ceiling")
        return setModule<dsp::CeilingSettings>(std::move(s), *owner, parts, path, text, ceilingFields());
    if (parts[1] == "low_end")
        return setModule<dsp::LowEndSettings>(std::move(s), *owner, parts, path, text, lowEndFields());
    if (parts[1] == "body")
        return setModule<dsp::BodySettings>(std::move(s), *owner, parts, path, text, bodyFields());
    if (auto status = trySet<Output>(outputFields(), parts[1], text, [&](const auto& change) {
            s = withOutput(std::move(s), *owner, change);
        }))
        return *status ? Result<Session>(std::move(s)) : status->error();
    if (s.element(*owner) != nullptr)
        if (auto status = trySet<InputSettings>(inputFields(), parts[1], text, [&](const auto& change) {
                s = withElement(std::move(s), *owner, [&](Element& e) { change(e.input); });
            }))
            return *status ? Result<Session>(std::move(s)) : status->error();
    return noSuch(path, parts[1]);
}

namespace {

template <class T> std::string standardText(std::span<const Field<T>> fields, const std::string& id) {
    for (const auto& f : fields)
        if (f.info.id == id)
            return formatValue(f.info, f.info.standard);
    return {};
}

} // namespace

bool isStandardValue(const PathValue& v) {
    const auto parts = split(v.path);
    if (parts.size() >= 3 && parts[1].starts_with("eq")) {
        // The kind and the numbers of a move always say something.
        const std::string& id = parts.back();
        if (id == "threshold_db" || id == "range_db" || id == "attack_ms" || id == "release_ms")
            return v.value == standardText(eqBandFields(), id);
        return (id == "on" && v.value == "on") || (id == "key" && v.value == "own") ||
               (id == "amount_percent" && v.value == "100 %") || (id == "part" && v.value == "both sides") ||
               (id == "dynamics" && v.value == "steady") || (id == "keyed" && v.value == "off");
    }
    if (parts.size() != 3 || parts[1] != "gate")
        return false;
    if (parts[2] == "on" || parts[2] == "key")
        return v.value == (parts[2] == "on" ? "on" : "own");
    return v.value == standardText(gateFields(), parts[2]);
}

std::vector<PathValue> listValues(const Session& s) {
    std::vector<PathValue> values;
    const auto add = [&](const std::string& prefix, const auto& fields, const auto& source) {
        for (const auto& f : fields)
            values.push_back({fmt::format("{}/{}", prefix, f.info.id), formatValue(f.info, f.get(source))});
    };
    const auto addOwner = [&](const std::string& name, const std::vector<Module>& chain, const Output& out) {
        add(name, outputFields(), out);
        if (out.bus != kNoId)
            values.push_back({name + "/bus", s.nameOf(out.bus)});
        for (const auto& send : out.sends)
            add(name + "/send/" + s.nameOf(send.bus), sendFields(), send);
        for (const auto& [index, kind] : {std::pair{0, "eq"}, std::pair{1, "eq2"}})
            if (const auto* m = findModule<dsp::EqSettings>(chain, index)) {
                const auto& eq = std::get<dsp::EqSettings>(m->settings);
                const auto prefix = fmt::format("{}/{}", name, kind);
                values.push_back({prefix + "/on", m->isOn ? "on" : "off"});
                values.push_back({prefix + "/key", m->key == kNoId ? "own" : s.nameOf(m->key)});
                add(prefix, eqFields(), eq);
                int number = 1;
                for (const auto& band : eq.bands)
                    add(fmt::format("{}/{}", prefix, number++), eqBandFields(), band);
            }
        const auto addSimple = [&]<class T>(const std::string& kind, std::span<const Field<T>> fields) {
            if (const auto* m = findModule<T>(chain)) {
                values.push_back({name + kind + "/on", m->isOn ? "on" : "off"});
                add(name + kind, fields, std::get<T>(m->settings));
            }
        };
        addSimple("/low_end", lowEndFields());
        addSimple("/body", bodyFields());
        addSimple("/ceiling", ceilingFields());
        if (const auto* m = findModule<dsp::GateSettings>(chain)) {
            const auto prefix = name + "/gate";
            values.push_back({prefix + "/on", m->isOn ? "on" : "off"});
            values.push_back({prefix + "/key", m->key == kNoId ? "own" : s.nameOf(m->key)});
            add(prefix, gateFields(), std::get<dsp::GateSettings>(m->settings));
            for (const auto& change : m->changes) {
                const auto section = prefix + "/section/" + change.section;
                for (const auto& [id, value] : change.values)
                    values.push_back({section + "/" + id, formatValue(field(gateFields(), id).info, value)});
                values.push_back({section + "/glide_ms", formatValue(kGlideInfo, change.glideMs)});
            }
        }
    };
    for (const auto& e : s.elements) {
        values.push_back({e->name + "/role", std::string(roleInfo(e->role).name)});
        add(e->name, inputFields(), e->input);
        addOwner(e->name, e->chain, e->out);
    }
    for (const auto& b : s.buses)
        addOwner(b->name, b->chain, b->out);
    return values;
}

} // namespace cask::session
