#include "core/session/chain_json.h"
#include "core/session/kinds.h"
#include "core/session/object_reader.h"
#include "core/session/output_changes.h"
#include "core/session/rides.h"
#include "core/session/session_check.h"
#include "core/session/session_json.h"
#include "core/session/session_limits.h"

#include <charconv>

namespace cask::session {

Extra withField(const Extra& extra, const char* key, const std::string& value) {
    Json json = extra.json.empty() ? Json::object() : Json::parse(extra.json);
    json[key] = value;
    return {json.dump(-1, ' ', false, Json::error_handler_t::replace)};
}

namespace {

/// `Of`: a module's settings, or an output.
template <class Of> SectionChange readChange(const Json& json, const std::string& where, const Of& of) {
    ObjectReader in(json, where);
    SectionChange change;
    change.section = in.text("section");
    change.glideMs = std::clamp(in.number("glide_ms", change.glideMs), 0.0, 10000.0);
    if (const Json* values = in.find("values")) {
        ObjectReader valuesIn(*values, where + "/values");
        for (const auto& [name, value] : values->items())
            if (const auto moving = movingValue(of, name); moving && valuesIn.find(name.c_str()))
                change.values[name] = clampValue(*moving->info, valuesIn.number(name.c_str(), 0));
        change.valuesExtra = valuesIn.rest();
    }
    change.extra = in.rest();
    return change;
}

/// Of values that there are here; points in order, the later one of two at one time.
template <class Of> void readRides(ObjectReader& owner, const Of& of, std::vector<Ride>& rides) {
    owner.list("rides", [&](const Json& json, const std::string& where) {
        ObjectReader in(json, where);
        Ride ride;
        ride.value = in.text("value");
        in.list("points", [&](const Json& point, const std::string& pointWhere) {
            if (!point.is_array() || point.size() != 2 || !point[0].is_number() || !point[1].is_number())
                throw BadSession(pointWhere + " is no pair of a time and a change");
            ride.points.push_back({point[0].get<double>(), point[1].get<double>()});
        });
        if (ride.points.size() > kMostRidePoints)
            throw BadSession(fmt::format("{} has more than {} points", where, kMostRidePoints));
        for (const auto& point : ride.points)
            if (!(std::abs(point.timeS) <= kLongestS) || !std::isfinite(point.change))
                throw BadSession(where + " has a point that lies nowhere");
        sortPoints(ride.points);
        ride.extra = in.rest();
        if (movingValue(of, ride.value) && !ride.points.empty())
            rides.push_back(std::move(ride));
        if (rides.size() > kMostRides)
            throw BadSession(fmt::format("{}: there are more than {} rides", where, kMostRides));
    });
}

template <class T> T readSettings(ObjectReader& in, Module& module) {
    T settings;
    in.fields(fieldsOf<T>(), settings);
    if constexpr (HasItems<T>)
        in.list(KindOf<T>::itemsId.data(), [&](const Json& itemJson, const std::string& itemWhere) {
            ObjectReader itemIn(itemJson, itemWhere);
            auto& item = KindOf<T>::items(settings).emplace_back();
            item.id = itemIn.small("id", 0);
            itemIn.fields(itemFieldsOf<T>(), item);
            if (auto extra = itemIn.rest(); !extra.json.empty())
                module.bandExtra[item.id] = std::move(extra);
        });
    return settings;
}

KeyTap readKeyTap(ObjectReader& in, KeyTap standard) {
    const auto& taps = keyTapInfo().choices;
    if (in.find("key_tap") == nullptr)
        return standard;
    const std::string text = in.text("key_tap");
    const auto found = std::find(taps.begin(), taps.end(), text);
    if (found == taps.end())
        throw BadSession(fmt::format("\"{}\" is no key_tap", text));
    return static_cast<KeyTap>(found - taps.begin());
}

Module readKnownModule(const Json& json, const std::string& where) {
    ObjectReader in(json, where);
    Module m;
    m.id = in.small("id", kNoId);
    m.isOn = in.flag("on", true);
    m.ordinal = in.small("ordinal", 0);
    const std::string type = in.text("type");
    const bool isKnown = withKind(type, [&]<class T>(std::type_identity<T>) {
        m.settings = readSettings<T>(in, m);
        if constexpr (KindOf<T>::hearsKey) {
            m.key = in.small("key", kNoId);
            m.keyTap = readKeyTap(in, standardKeyTap<T>());
        }
    });
    if (!isKnown)
        throw BadSession(fmt::format("{} is a module of type \"{}\", which is not known", where, type));
    in.list("changes", [&](const Json& changeJson, const std::string& changeWhere) {
        m.changes.push_back(readChange(changeJson, changeWhere, m.settings));
    });
    readRides(in, m.settings, m.rides);
    m.extra = in.rest();
    return m;
}

/// A newer program's module, or one with a value that makes no sense here, is kept as it is written.
Module readModule(const Json& json, const std::string& where) {
    try {
        return readKnownModule(json, where);
    } catch (const BadSession& bad) {
        ObjectReader in(json, where);
        Module m;
        m.id = in.small("id", kNoId);
        m.ordinal = in.small("ordinal", 0);
        m.isOn = false;
        const auto type = json.find("type");
        m.settings = UnknownModule{
            json.dump(-1, ' ', false, Json::error_handler_t::replace),
            type != json.end() && type->is_string() ? type->get<std::string>() : std::string(), bad.what()};
        return m;
    }
}

} // namespace

std::vector<Module> chainFromJson(const Json& list, const std::string& where) {
    if (!list.is_array())
        throw BadSession(where + " is no list");
    std::vector<Module> chain;
    int index = 0;
    for (const auto& json : list)
        chain.push_back(readModule(json, fmt::format("{}/{}", where, index++)));
    giveOrdinals(chain);
    return chain;
}

namespace {

std::vector<Module> readChain(ObjectReader& owner, const std::string& where) {
    const Json* list = owner.find("chain");
    return list == nullptr ? std::vector<Module>{} : chainFromJson(*list, where + "/chain");
}

Output readOutput(ObjectReader& owner, const std::string& where) {
    Output out;
    const Json* json = owner.find("output");
    if (json == nullptr)
        return out;
    ObjectReader in(*json, where + "/output");
    in.fields(outputFields(), out);
    out.bus = in.small("bus", kNoId);
    in.list("sends", [&](const Json& sendJson, const std::string& sendWhere) {
        ObjectReader sendIn(sendJson, sendWhere);
        Send send;
        send.bus = sendIn.small("bus", kNoId);
        sendIn.fields(sendFields(), send);
        send.extra = sendIn.rest();
        out.sends.push_back(std::move(send));
    });
    in.list("changes", [&](const Json& changeJson, const std::string& changeWhere) {
        out.changes.push_back(readChange(changeJson, changeWhere, out));
    });
    readRides(in, out, out.rides);
    out.extra = in.rest();
    return out;
}

/// A path that is no UTF-8 is stored byte by byte.
std::string fromHex(const std::string& hex, const std::string& where) {
    std::string bytes;
    for (std::size_t i = 0; i + 1 < hex.size(); i += 2) {
        unsigned value = 0;
        const auto [end, error] = std::from_chars(hex.data() + i, hex.data() + i + 2, value, 16);
        if (error != std::errc() || end != hex.data() + i + 2)
            throw BadSession(where + "/path_bytes is not hexadecimal");
        bytes.push_back(static_cast<char>(value));
    }
    return bytes;
}

SourceFile readFile(const Json& json, const std::string& where) {
    ObjectReader in(json, where);
    SourceFile f;
    f.id = in.small("id", kNoId);
    f.path = in.text("path");
    if (const std::string bytes = in.text("path_bytes"); !bytes.empty())
        f.path = fromHex(bytes, where);
    f.frames = in.whole("frames", 0);
    f.channels = in.small("channels", 0);
    f.sampleRateHz = in.number("sample_rate_hz", 0);
    f.format = in.text("format");
    f.contentHash = in.text("content_hash");
    if (in.find("time_reference") != nullptr)
        f.timeReference = in.whole("time_reference", 0);
    f.extra = in.rest();
    return f;
}

Element readElement(const Json& json, const std::string& where) {
    ObjectReader in(json, where);
    Element e;
    e.id = in.small("id", kNoId);
    e.name = in.text("name");
    const std::string role = in.text("role");
    e.role = roleFromId(role).value_or(Role::Unknown);
    e.roleConfidence = std::clamp(in.number("role_confidence", 0), 0.0, 1.0);
    in.list("channels", [&](const Json& refJson, const std::string& refWhere) {
        ObjectReader refIn(refJson, refWhere);
        const Id file = refIn.small("file", kNoId);
        const int channel = refIn.small("channel", 0);
        e.channels.push_back({file, channel, refIn.rest()});
    });
    e.startFrame = in.whole("start_frame", 0);
    if (const Json* input = in.find("input")) {
        ObjectReader inputIn(*input, where + "/input");
        inputIn.fields(inputFields(), e.input);
        e.input.extra = inputIn.rest();
    }
    e.chain = readChain(in, where);
    e.out = readOutput(in, where);
    e.extra = in.rest();
    if (!role.empty() && !roleFromId(role)) // a newer program's role stays until a person gives another
        e.extra = withField(e.extra, "role", role);
    return e;
}

Bus readBus(const Json& json, const std::string& where) {
    ObjectReader in(json, where);
    Bus b;
    b.id = in.small("id", kNoId);
    b.name = in.text("name");
    b.isMaster = in.flag("master", false);
    b.chain = readChain(in, where);
    b.out = readOutput(in, where);
    if (const Json* path = in.find("path")) {
        ObjectReader pathIn(*path, where + "/path");
        b.path.emplace();
        b.path->of = pathIn.small("of", kNoId);
        pathIn.fields(pathFields(), *b.path);
        b.path->extra = pathIn.rest();
    }
    b.extra = in.rest();
    return b;
}

HitEdit readHitEdit(const Json& json, const std::string& where) {
    ObjectReader in(json, where);
    HitEdit edit;
    const std::string kind = in.text("kind");
    const auto kinds = hitEditKinds();
    const auto it = std::find(kinds.begin(), kinds.end(), kind);
    if (it == kinds.end())
        throw BadSession(fmt::format("{} is a hit edit of kind \"{}\", which is not known", where, kind));
    edit.kind = static_cast<HitEdit::Kind>(it - kinds.begin());
    edit.element = in.small("element", kNoId);
    edit.timeS = in.number("time_s", 0);
    edit.toS = in.number("to_s", 0);
    edit.hitClass = in.text("class");
    edit.toElement = in.small("to_element", kNoId);
    edit.drum = in.text("drum");
    edit.toDrum = in.text("to_drum");
    edit.extra = in.rest();
    return edit;
}

Session readSession(const Json& json, const std::string& where);

/// Each is a session of its own inside this one, without states.
void readStates(ObjectReader& in, Session& s) {
    in.list("states", [&](const Json& j, const std::string& where) {
        ObjectReader stateIn(j, where);
        const std::string name = stateIn.text("name");
        const Json* session = stateIn.find("session");
        if (session == nullptr)
            throw BadSession(where + " holds no session");
        if (s.states.size() >= kMostStates)
            throw BadSession(fmt::format("there are more than {} states", kMostStates));
        auto state = readSession(*session, where + "/session");
        state.states.clear();
        state.letter.clear();
        s.nextId = std::max(s.nextId, state.nextId);
        s.states.push_back({name, std::make_shared<const Session>(std::move(state))});
    });
}

Session readSession(const Json& json, const std::string& where) {
    ObjectReader in(json, where);
    (void)in.find("format");
    (void)in.find("schema_version");
    Session s;
    s.name = in.text("name");
    s.sampleRateHz = in.number("sample_rate_hz", 48000);
    if (s.sampleRateHz < 8000 || s.sampleRateHz > 384000)
        throw BadSession("the session's sample rate is out of range");
    s.nextId = std::max(1, in.small("next_id", 1));
    in.list("files", [&](const Json& j, const std::string& itemWhere) {
        s.files.emplace_back(readFile(j, itemWhere));
    });
    in.list("elements", [&](const Json& j, const std::string& itemWhere) {
        s.elements.emplace_back(readElement(j, itemWhere));
    });
    in.list("buses", [&](const Json& j, const std::string& itemWhere) {
        s.buses.emplace_back(readBus(j, itemWhere));
    });
    in.list("sections", [&](const Json& j, const std::string& itemWhere) {
        ObjectReader sectionIn(j, itemWhere);
        Section section;
        section.name = sectionIn.text("name");
        section.startS = sectionIn.number("start_s", 0);
        section.endS = sectionIn.number("end_s", 0);
        section.extra = sectionIn.rest();
        s.sections.push_back(std::move(section));
    });
    in.list("markers", [&](const Json& j, const std::string& markerWhere) {
        ObjectReader markerIn(j, markerWhere);
        Marker marker;
        marker.name = markerIn.text("name");
        marker.timeS = markerIn.number("time_s", 0);
        marker.extra = markerIn.rest();
        s.markers.push_back(std::move(marker));
    });
    std::stable_sort(s.markers.begin(), s.markers.end(),
                     [](const Marker& a, const Marker& b) { return a.timeS < b.timeS; });
    if (const Json* tempo = in.find("tempo")) {
        ObjectReader tempoIn(*tempo, where + "/tempo");
        s.tempo.bpm = std::clamp(tempoIn.number("bpm", 0), 0.0, 400.0);
        s.tempo.beatsPerBar = std::clamp(tempoIn.small("beats_per_bar", 0), 0, 16);
        s.tempo.firstBarS = tempoIn.number("first_bar_s", -1);
        tempoIn.list("beats_s", [&](const Json& beat, const std::string& itemWhere) {
            if (!beat.is_number())
                throw BadSession(itemWhere + " is no number");
            s.tempo.beatsS.push_back(beat.get<double>());
        });
        s.tempo.extra = tempoIn.rest();
    }
    in.list("hit_edits", [&](const Json& j, const std::string& itemWhere) {
        s.hitEdits.push_back(readHitEdit(j, itemWhere));
    });
    in.list("dismissals", [&](const Json& j, const std::string& itemWhere) {
        ObjectReader dismissalIn(j, itemWhere);
        Dismissal dismissal;
        dismissal.finding = dismissalIn.text("finding");
        dismissal.reason = dismissalIn.text("reason");
        dismissal.extra = dismissalIn.rest();
        s.dismissals.push_back(std::move(dismissal));
    });
    in.list("links", [&](const Json& j, const std::string& itemWhere) {
        if (!j.is_array())
            throw BadSession(itemWhere + " is no list");
        auto& link = s.links.emplace_back();
        for (const auto& id : j) {
            if (!id.is_number_integer())
                throw BadSession(itemWhere + " holds what is no id");
            link.push_back(id.get<Id>());
        }
    });
    s.houseStyle = in.text("house_style");
    s.letter = in.text("letter");
    readStates(in, s);
    s.extra = in.rest();
    checkWhole(s);
    return s;
}

} // namespace

Result<Session> fromJson(std::string_view text, const std::string& name) {
    if (text.size() > kMostTextBytes)
        return Error{ErrorCode::BadFormat, fmt::format("{} is longer than {} MB, more than a session may be.",
                                                       name, kMostTextBytes >> 20U)};
    bool isTooDeep = false;
    const Json json = Json::parse(
        text,
        [&](int depth, Json::parse_event_t, Json&) {
            isTooDeep = isTooDeep || depth > kMostDepth;
            return !isTooDeep;
        },
        false);
    if (isTooDeep)
        return Error{ErrorCode::BadFormat,
                     fmt::format("{} is nested more than {} deep, which no session is.", name, kMostDepth)};
    if (json.is_discarded() || !json.is_object() || json.value("format", Json()) != "ember-cask-session")
        return Error{ErrorCode::BadFormat, name + " is not a session that can be read."};
    const auto version = json.find("schema_version");
    if (version == json.end() || !version->is_number_integer() || version->get<std::int64_t>() < 1)
        return Error{ErrorCode::BadFormat,
                     name + " does not say which version of the session format it has."};
    if (version->get<std::int64_t>() > kSchemaVersion)
        return Error{
            ErrorCode::NewerVersion,
            fmt::format("{} was written by a newer Ember Cask (session format {}, this one reads up to {}); "
                        "it was left as it is.",
                        name, version->get<std::int64_t>(), kSchemaVersion)};
    try {
        return readSession(json, "session");
    } catch (const BadSession& bad) {
        return Error{ErrorCode::BadFormat, fmt::format("{} is damaged: {}.", name, bad.what())};
    } catch (const Json::exception&) {
        return Error{ErrorCode::BadFormat, name + " is damaged and can't be read."};
    }
}

} // namespace cask::session
