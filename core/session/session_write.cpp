#include "core/base/utf8.h"
#include "core/session/chain_json.h"
#include "core/session/kinds.h"
#include "core/session/session_json.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace cask::session {
using Json = nlohmann::ordered_json;

void putExtra(Json& json, const Extra& extra) {
    if (extra.json.empty())
        return;
    const Json fields = Json::parse(extra.json, nullptr, false);
    for (const auto& [key, value] : fields.items())
        json[key] = value;
}

namespace {

template <class T> void putFields(Json& json, std::span<const Field<T>> table, const T& source) {
    for (const auto& f : table) {
        const double value = f.get(source);
        const std::string key(f.info.id);
        if (f.info.kind == ParameterKind::Switch)
            json[key] = value > 0.5;
        else if (f.info.kind == ParameterKind::Choice)
            json[key] = f.info.choices[static_cast<std::size_t>(value)];
        else
            json[key] = value;
    }
}

template <class T> void putSettings(Json& json, const T& settings, const Module& module) {
    putFields(json, fieldsOf<T>(), settings);
    if constexpr (KindOf<T>::hearsKey) {
        if (module.key != kNoId)
            json["key"] = module.key;
        if (module.key != kNoId || module.keyTap != standardKeyTap<T>())
            json["key_tap"] = keyTapInfo().choices[static_cast<std::size_t>(module.keyTap)];
    }
    if constexpr (HasItems<T>) {
        Json items = Json::array();
        for (const auto& item : KindOf<T>::items(settings)) {
            Json one{{"id", item.id}};
            putFields(one, itemFieldsOf<T>(), item);
            if (const auto it = module.bandExtra.find(item.id); it != module.bandExtra.end())
                putExtra(one, it->second);
            items.push_back(std::move(one));
        }
        json[KindOf<T>::itemsId] = std::move(items);
    }
}

void putChanges(Json& json, const std::vector<SectionChange>& changes) {
    for (const auto& change : changes) {
        Json one{{"section", change.section}, {"glide_ms", change.glideMs}, {"values", Json::object()}};
        for (const auto& [id, value] : change.values)
            one["values"][id] = value;
        putExtra(one["values"], change.valuesExtra);
        putExtra(one, change.extra);
        json["changes"].push_back(std::move(one));
    }
}

void putRides(Json& json, const std::vector<Ride>& rides) {
    for (const auto& ride : rides) {
        Json one{{"value", ride.value}, {"points", Json::array()}};
        for (const auto& point : ride.points)
            one["points"].push_back(Json::array({point.timeS, point.change}));
        putExtra(one, ride.extra);
        json["rides"].push_back(std::move(one));
    }
}

Json toJson(const Module& module) {
    if (const auto* unknown = std::get_if<UnknownModule>(&module.settings))
        return Json::parse(unknown->json); // written as it came
    Json json{{"id", module.id},
              {"on", module.isOn},
              {"type", kindId(module.settings)},
              {"ordinal", module.ordinal}};
    withSettings(module.settings, [&](const auto& settings) { putSettings(json, settings, module); });
    putChanges(json, module.changes);
    putRides(json, module.rides);
    putExtra(json, module.extra);
    return json;
}

} // namespace

Json chainToJson(const std::vector<Module>& chain) {
    Json list = Json::array();
    for (const auto& m : chain)
        list.push_back(toJson(m));
    return list;
}

namespace {

Json toJson(const Output& out, bool isMaster) {
    Json json = Json::object();
    putFields(json, outputFields(), out);
    if (!isMaster)
        json["bus"] = out.bus;
    Json sends = Json::array();
    for (const auto& send : out.sends) {
        Json s{{"bus", send.bus}};
        putFields(s, sendFields(), send);
        putExtra(s, send.extra);
        sends.push_back(std::move(s));
    }
    json["sends"] = std::move(sends);
    putChanges(json, out.changes);
    putRides(json, out.rides);
    putExtra(json, out.extra);
    return json;
}

Json toJson(const SourceFile& file) {
    Json json{{"id", file.id},
              {"path", toUtf8(file.path)},
              {"frames", file.frames},
              {"channels", file.channels},
              {"sample_rate_hz", file.sampleRateHz},
              {"format", file.format}};
    if (!isUtf8(file.path)) {
        std::string hex;
        for (const char c : file.path)
            hex += fmt::format("{:02x}", static_cast<unsigned char>(c));
        json["path_bytes"] = std::move(hex);
    }
    if (!file.contentHash.empty())
        json["content_hash"] = file.contentHash;
    if (file.timeReference)
        json["time_reference"] = *file.timeReference;
    putExtra(json, file.extra);
    return json;
}

Json toJson(const Element& e) {
    Json channels = Json::array();
    for (const auto& ref : e.channels) {
        Json one{{"file", ref.file}, {"channel", ref.channel}};
        putExtra(one, ref.extra);
        channels.push_back(std::move(one));
    }
    Json input = Json::object();
    putFields(input, inputFields(), e.input);
    putExtra(input, e.input.extra);
    Json json{{"id", e.id},
              {"name", e.name},
              {"role", roleInfo(e.role).id},
              {"role_confidence", e.roleConfidence},
              {"channels", std::move(channels)},
              {"start_frame", e.startFrame},
              {"input", std::move(input)},
              {"chain", chainToJson(e.chain)},
              {"output", toJson(e.out, false)}};
    putExtra(json, e.extra);
    if (e.role != Role::Unknown) // a person has given it one that is known here
        json["role"] = roleInfo(e.role).id;
    return json;
}

Json toJson(const Bus& b) {
    Json json{{"id", b.id},
              {"name", b.name},
              {"master", b.isMaster},
              {"chain", chainToJson(b.chain)},
              {"output", toJson(b.out, b.isMaster)}};
    if (b.path) {
        Json path{{"of", b.path->of}};
        putFields(path, pathFields(), *b.path);
        putExtra(path, b.path->extra);
        json["path"] = std::move(path);
    }
    putExtra(json, b.extra);
    return json;
}

Json toJson(const HitEdit& edit) {
    Json json{{"kind", hitEditKinds()[static_cast<std::size_t>(edit.kind)]},
              {"element", edit.element},
              {"time_s", edit.timeS}};
    if (edit.kind == HitEdit::Kind::Move)
        json["to_s"] = edit.toS;
    if (edit.kind == HitEdit::Kind::Class)
        json["class"] = edit.hitClass;
    if (!edit.drum.empty())
        json["drum"] = edit.drum;
    if (edit.kind == HitEdit::Kind::Owner && edit.toDrum.empty())
        json["to_element"] = edit.toElement;
    if (!edit.toDrum.empty())
        json["to_drum"] = edit.toDrum;
    putExtra(json, edit.extra);
    return json;
}

Json sessionJson(const Session& s) {
    Json json{{"format", "ember-cask-session"},
              {"schema_version", kSchemaVersion},
              {"name", s.name},
              {"sample_rate_hz", s.sampleRateHz},
              {"next_id", s.nextId},
              {"files", Json::array()},
              {"elements", Json::array()},
              {"buses", Json::array()},
              {"sections", Json::array()}};
    for (const auto& f : s.files)
        json["files"].push_back(toJson(*f));
    for (const auto& e : s.elements)
        json["elements"].push_back(toJson(*e));
    for (const auto& b : s.buses)
        json["buses"].push_back(toJson(*b));
    for (const auto& section : s.sections) {
        Json one{{"name", section.name}, {"start_s", section.startS}, {"end_s", section.endS}};
        putExtra(one, section.extra);
        json["sections"].push_back(std::move(one));
    }
    for (const auto& marker : s.markers) {
        Json one{{"name", marker.name}, {"time_s", marker.timeS}};
        putExtra(one, marker.extra);
        json["markers"].push_back(std::move(one));
    }
    // Written only when there is something: most sessions stay as short as they were.
    if (s.tempo != TempoSettings{}) {
        json["tempo"] = {
            {"bpm", s.tempo.bpm}, {"beats_per_bar", s.tempo.beatsPerBar}, {"first_bar_s", s.tempo.firstBarS}};
        if (!s.tempo.beatsS.empty())
            json["tempo"]["beats_s"] = s.tempo.beatsS;
        putExtra(json["tempo"], s.tempo.extra);
    }
    for (const auto& edit : s.hitEdits)
        json["hit_edits"].push_back(toJson(edit));
    for (const auto& dismissal : s.dismissals) {
        Json one{{"finding", dismissal.finding}, {"reason", dismissal.reason}};
        putExtra(one, dismissal.extra);
        json["dismissals"].push_back(std::move(one));
    }
    if (!s.links.empty())
        json["links"] = s.links;
    if (!s.houseStyle.empty())
        json["house_style"] = s.houseStyle;
    if (!s.letter.empty())
        json["letter"] = s.letter;
    for (const auto& state : s.states)
        json["states"].push_back(Json{{"name", state.name}, {"session", sessionJson(*state.session)}});
    putExtra(json, s.extra);
    return json;
}

} // namespace

std::string toJson(const Session& s) {
    return sessionJson(s).dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

} // namespace cask::session
