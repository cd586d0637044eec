#include "core/session/session_json.h"

#include "core/session/parameters.h"
#include "core/session/routing.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>
#include <stdexcept>

namespace cask::session {
namespace {

using Json = nlohmann::ordered_json;

/// What can be wrong inside a file; turned into an Error at the boundary.
struct BadSession : std::runtime_error {
    using std::runtime_error::runtime_error;
};

/// Reads an object field by field and keeps what nobody asked for.
class ObjectReader {
  public:
    ObjectReader(const Json& json, std::string where) : m_json(json), m_where(std::move(where)) {
        if (!json.is_object())
            throw BadSession(m_where + " is no object");
    }
    [[nodiscard]] const Json* find(const char* key) {
        m_known.insert(key);
        const auto it = m_json.find(key);
        return it == m_json.end() || it->is_null() ? nullptr : &*it;
    }
    [[nodiscard]] double number(const char* key, double fallback) {
        const Json* value = find(key);
        if (value == nullptr)
            return fallback;
        if (!value->is_number())
            throw BadSession(m_where + "/" + key + " is no number");
        return value->get<double>();
    }
    [[nodiscard]] std::int64_t whole(const char* key, std::int64_t fallback) {
        const double value = number(key, static_cast<double>(fallback));
        if (!(std::abs(value) < 9e15))
            throw BadSession(m_where + "/" + key + " is out of range");
        return static_cast<std::int64_t>(value);
    }
    [[nodiscard]] int small(const char* key, int fallback) {
        const std::int64_t value = whole(key, fallback);
        if (value < -1'000'000'000 || value > 1'000'000'000)
            throw BadSession(m_where + "/" + key + " is out of range");
        return static_cast<int>(value);
    }
    [[nodiscard]] std::string text(const char* key) {
        const Json* value = find(key);
        if (value == nullptr)
            return {};
        if (!value->is_string())
            throw BadSession(m_where + "/" + key + " is no text");
        return value->get<std::string>();
    }
    [[nodiscard]] bool flag(const char* key, bool fallback) {
        const Json* value = find(key);
        if (value != nullptr && !value->is_boolean())
            throw BadSession(m_where + "/" + key + " is neither true nor false");
        return value == nullptr ? fallback : value->get<bool>();
    }
    template <class Each> void list(const char* key, Each each) {
        const Json* value = find(key);
        if (value == nullptr)
            return;
        if (!value->is_array())
            throw BadSession(m_where + "/" + key + " is no list");
        int index = 0;
        for (const auto& item : *value)
            each(item, fmt::format("{}/{}/{}", m_where, key, index++));
    }
    template <class T> void fields(std::span<const Field<T>> table, T& target) {
        for (const auto& f : table) {
            const std::string key(f.info.id);
            const Json* value = find(key.c_str());
            if (value == nullptr)
                continue;
            if (f.info.kind == ParameterKind::Switch && value->is_boolean())
                f.set(target, value->get<bool>() ? 1 : 0);
            else if (f.info.kind == ParameterKind::Choice && value->is_string())
                f.set(target, choiceIndex(f.info, value->get<std::string>()));
            else if (f.info.kind == ParameterKind::Number && value->is_number())
                f.set(target, clampValue(f.info, value->get<double>()));
            else
                throw BadSession(m_where + "/" + key + " has the wrong type");
        }
    }
    [[nodiscard]] Extra rest() const {
        Extra extra = Extra::object();
        for (const auto& [key, value] : m_json.items())
            if (!m_known.contains(key))
                extra[key] = value;
        return extra;
    }

  private:
    double choiceIndex(const ParameterInfo& info, const std::string& name) const {
        const auto it = std::find(info.choices.begin(), info.choices.end(), name);
        if (it == info.choices.end())
            throw BadSession(fmt::format("{}/{} is \"{}\", which is not known", m_where, info.id, name));
        return static_cast<double>(it - info.choices.begin());
    }

    const Json& m_json;
    std::string m_where;
    std::set<std::string> m_known;
};

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

void putExtra(Json& json, const Extra& extra) {
    for (const auto& [key, value] : extra.items())
        json[key] = value;
}

Json toJson(const dsp::EqSettings& eq) {
    Json bands = Json::array();
    for (const auto& band : eq.bands) {
        Json b{{"id", band.id}};
        putFields(b, eqBandFields(), band);
        bands.push_back(std::move(b));
    }
    return {{"type", "eq"}, {"bands", std::move(bands)}};
}

Json toJson(const dsp::CeilingSettings& ceiling) {
    Json json{{"type", "ceiling"}};
    putFields(json, ceilingFields(), ceiling);
    return json;
}

Json toJson(const Output& out, bool isMaster) {
    Json json = Json::object();
    putFields(json, outputFields(), out);
    if (!isMaster)
        json["bus"] = out.bus;
    Json sends = Json::array();
    for (const auto& send : out.sends) {
        Json s{{"bus", send.bus}};
        putFields(s, sendFields(), send);
        sends.push_back(std::move(s));
    }
    json["sends"] = std::move(sends);
    return json;
}

Json toJson(const SourceFile& file) {
    Json json{{"id", file.id},
              {"path", file.path},
              {"frames", file.frames},
              {"channels", file.channels},
              {"sample_rate_hz", file.sampleRateHz},
              {"format", file.format}};
    if (file.timeReference)
        json["time_reference"] = *file.timeReference;
    putExtra(json, file.extra);
    return json;
}

Json toJson(const Element& e) {
    Json channels = Json::array();
    for (const auto& ref : e.channels)
        channels.push_back({{"file", ref.file}, {"channel", ref.channel}});
    Json input = Json::object();
    putFields(input, inputFields(), e.input);
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
    return json;
}

Json toJson(const Bus& b) {
    Json json{{"id", b.id},
              {"name", b.name},
              {"master", b.isMaster},
              {"chain", chainToJson(b.chain)},
              {"output", toJson(b.out, b.isMaster)}};
    putExtra(json, b.extra);
    return json;
}

std::vector<Module> readChain(ObjectReader& owner) {
    std::vector<Module> chain;
    owner.list("chain", [&](const Json& json, const std::string& where) {
        ObjectReader in(json, where);
        Module m;
        m.id = in.small("id", kNoId);
        m.isOn = in.flag("on", true);
        const std::string type = in.text("type");
        if (type == "eq") {
            dsp::EqSettings eq;
            in.list("bands", [&](const Json& bandJson, const std::string& bandWhere) {
                ObjectReader bandIn(bandJson, bandWhere);
                dsp::EqBand band;
                band.id = bandIn.small("id", 0);
                bandIn.fields(eqBandFields(), band);
                eq.bands.push_back(band);
            });
            m.settings = std::move(eq);
        } else if (type == "ceiling") {
            dsp::CeilingSettings ceiling;
            in.fields(ceilingFields(), ceiling);
            m.settings = ceiling;
        } else {
            throw BadSession(fmt::format("{} is a module of type \"{}\", which is not known", where, type));
        }
        m.extra = in.rest();
        chain.push_back(std::move(m));
    });
    return chain;
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
        out.sends.push_back(send);
    });
    return out;
}

SourceFile readFile(const Json& json, const std::string& where) {
    ObjectReader in(json, where);
    SourceFile f;
    f.id = in.small("id", kNoId);
    f.path = in.text("path");
    f.frames = std::max<Frames>(0, in.whole("frames", 0));
    f.channels = std::clamp(in.small("channels", 0), 0, 64);
    f.sampleRateHz = std::clamp(in.number("sample_rate_hz", 0), 0.0, 768000.0);
    f.format = in.text("format");
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
    e.role = roleFromId(in.text("role")).value_or(Role::Unknown);
    e.roleConfidence = std::clamp(in.number("role_confidence", 0), 0.0, 1.0);
    in.list("channels", [&](const Json& refJson, const std::string& refWhere) {
        ObjectReader refIn(refJson, refWhere);
        const Id file = refIn.small("file", kNoId);
        e.channels.push_back({file, refIn.small("channel", 0)});
    });
    e.startFrame = in.whole("start_frame", 0);
    if (const Json* input = in.find("input")) {
        ObjectReader inputIn(*input, where + "/input");
        inputIn.fields(inputFields(), e.input);
    }
    e.chain = readChain(in);
    e.out = readOutput(in, where);
    e.extra = in.rest();
    return e;
}

Bus readBus(const Json& json, const std::string& where) {
    ObjectReader in(json, where);
    Bus b;
    b.id = in.small("id", kNoId);
    b.name = in.text("name");
    b.isMaster = in.flag("master", false);
    b.chain = readChain(in);
    b.out = readOutput(in, where);
    b.extra = in.rest();
    return b;
}

/// The promises that the rest of the program relies on.
void checkWhole(Session& s) {
    std::set<Id> ids;
    Id greatest = 0;
    const auto take = [&](Id id, const std::string& what) {
        if (id <= kNoId || !ids.insert(id).second)
            throw BadSession(what + " has no id of its own");
        greatest = std::max(greatest, id);
    };
    for (const auto& f : s.files)
        take(f->id, "file " + f->path);
    const auto takeChain = [&](const std::vector<Module>& chain, const std::string& owner) {
        for (const auto& m : chain) {
            take(m.id, "a module of " + owner);
            if (const auto* eq = std::get_if<dsp::EqSettings>(&m.settings))
                for (const auto& band : eq->bands)
                    take(band.id, "a band of " + owner);
        }
    };
    for (const auto& e : s.elements) {
        take(e->id, "element " + e->name);
        takeChain(e->chain, e->name);
        if (e->channels.empty() || e->channels.size() > 2)
            throw BadSession("element " + e->name + " has neither one nor two channels");
        for (const auto& ref : e->channels) {
            const auto* f = s.file(ref.file);
            if (f == nullptr || ref.channel < 0 || ref.channel >= std::max(1, f->channels))
                throw BadSession("element " + e->name + " names a channel that no file has");
        }
    }
    for (const auto& b : s.buses) {
        take(b->id, "bus " + b->name);
        takeChain(b->chain, b->name);
    }
    const auto masters =
        std::count_if(s.buses.begin(), s.buses.end(), [](const Shared<Bus>& b) { return b->isMaster; });
    if (masters != 1 || !s.buses.back()->isMaster)
        throw BadSession("there must be one master bus, last in the list");
    const auto checkOut = [&](const Output& out, const std::string& name, bool isMaster) {
        if (!isMaster && s.bus(out.bus) == nullptr)
            throw BadSession(name + " goes to a bus that is not there");
        for (const auto& send : out.sends)
            if (s.bus(send.bus) == nullptr)
                throw BadSession(name + " sends to a bus that is not there");
    };
    for (const auto& e : s.elements)
        checkOut(e->out, e->name, false);
    for (const auto& b : s.buses)
        checkOut(b->out, b->name, b->isMaster);
    if (const auto order = busOrder(s); !order)
        throw BadSession(order.error().message);
    s.nextId = std::max(s.nextId, greatest + 1);
}

Session readSession(const Json& json) {
    ObjectReader in(json, "session");
    (void)in.find("format");
    (void)in.find("schema_version");
    Session s;
    s.name = in.text("name");
    s.sampleRateHz = in.number("sample_rate_hz", 48000);
    if (s.sampleRateHz < 8000 || s.sampleRateHz > 384000)
        throw BadSession("the session's sample rate is out of range");
    s.nextId = std::max(1, in.small("next_id", 1));
    in.list("files",
            [&](const Json& j, const std::string& where) { s.files.emplace_back(readFile(j, where)); });
    in.list("elements",
            [&](const Json& j, const std::string& where) { s.elements.emplace_back(readElement(j, where)); });
    in.list("buses",
            [&](const Json& j, const std::string& where) { s.buses.emplace_back(readBus(j, where)); });
    in.list("sections", [&](const Json& j, const std::string& where) {
        ObjectReader sectionIn(j, where);
        Section section;
        section.name = sectionIn.text("name");
        section.startS = sectionIn.number("start_s", 0);
        section.endS = sectionIn.number("end_s", 0);
        s.sections.push_back(std::move(section));
    });
    s.extra = in.rest();
    checkWhole(s);
    return s;
}

} // namespace

Json chainToJson(const std::vector<Module>& chain) {
    Json list = Json::array();
    for (const auto& m : chain) {
        Json json{{"id", m.id}, {"on", m.isOn}};
        const Json settings = std::visit([](const auto& value) { return toJson(value); }, m.settings);
        for (const auto& [key, value] : settings.items())
            json[key] = value;
        putExtra(json, m.extra);
        list.push_back(std::move(json));
    }
    return list;
}

std::string toJson(const Session& s) {
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
    for (const auto& section : s.sections)
        json["sections"].push_back(
            {{"name", section.name}, {"start_s", section.startS}, {"end_s", section.endS}});
    putExtra(json, s.extra);
    return json.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

Result<Session> fromJson(std::string_view text, const std::string& name) {
    const Json json = Json::parse(text, nullptr, false);
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
        return readSession(json);
    } catch (const BadSession& bad) {
        return Error{ErrorCode::BadFormat, fmt::format("{} is damaged: {}.", name, bad.what())};
    } catch (const Json::exception&) {
        return Error{ErrorCode::BadFormat, name + " is damaged and can't be read."};
    }
}

} // namespace cask::session
