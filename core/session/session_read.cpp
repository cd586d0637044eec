#include "core/session/object_reader.h"
#include "core/session/routing.h"
#include "core/session/session_json.h"

namespace cask::session {
namespace {

SectionChange readChange(const Json& json, const std::string& where) {
    ObjectReader in(json, where);
    SectionChange change;
    change.section = in.text("section");
    change.glideMs = std::clamp(in.number("glide_ms", change.glideMs), 0.0, 10000.0);
    if (const Json* values = in.find("values")) {
        ObjectReader valuesIn(*values, where + "/values");
        for (const auto& field : gateFields())
            if (const std::string id(field.info.id); canChangeBySection(id) && valuesIn.find(id.c_str()))
                change.values[id] = clampValue(field.info, valuesIn.number(id.c_str(), 0));
    }
    change.extra = in.rest();
    return change;
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
            in.fields(eqFields(), eq);
            m.key = in.small("key", kNoId);
            in.list("bands", [&](const Json& bandJson, const std::string& bandWhere) {
                ObjectReader bandIn(bandJson, bandWhere);
                dsp::EqBand band;
                band.id = bandIn.small("id", 0);
                bandIn.fields(eqBandFields(), band);
                if (auto extra = bandIn.rest(); !extra.json.empty())
                    m.bandExtra[band.id] = std::move(extra);
                eq.bands.push_back(band);
            });
            m.settings = std::move(eq);
        } else if (type == "ceiling") {
            dsp::CeilingSettings ceiling;
            in.fields(ceilingFields(), ceiling);
            m.settings = ceiling;
        } else if (type == "low_end") {
            dsp::LowEndSettings lowEnd;
            in.fields(lowEndFields(), lowEnd);
            m.settings = lowEnd;
        } else if (type == "body") {
            dsp::BodySettings body;
            in.fields(bodyFields(), body);
            m.settings = body;
        } else if (type == "gate") {
            dsp::GateSettings gate;
            in.fields(gateFields(), gate);
            m.settings = gate;
            m.key = in.small("key", kNoId);
            in.list("changes", [&](const Json& changeJson, const std::string& changeWhere) {
                m.changes.push_back(readChange(changeJson, changeWhere));
            });
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
        send.extra = sendIn.rest();
        out.sends.push_back(std::move(send));
    });
    out.extra = in.rest();
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
        e.input.extra = inputIn.rest();
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
    edit.extra = in.rest();
    return edit;
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
    const auto checkKeys = [&](const std::vector<Module>& chain, const std::string& owner) {
        for (const auto& m : chain)
            if (m.key != kNoId && s.output(m.key) == nullptr)
                throw BadSession("a detector of " + owner + " listens to something that is not there");
    };
    for (const auto& e : s.elements)
        checkKeys(e->chain, e->name);
    for (const auto& b : s.buses)
        checkKeys(b->chain, b->name);
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
        section.extra = sectionIn.rest();
        s.sections.push_back(std::move(section));
    });
    if (const Json* tempo = in.find("tempo")) {
        ObjectReader tempoIn(*tempo, "session/tempo");
        s.tempo.bpm = std::clamp(tempoIn.number("bpm", 0), 0.0, 400.0);
        s.tempo.beatsPerBar = std::clamp(tempoIn.small("beats_per_bar", 0), 0, 16);
        s.tempo.firstBarS = tempoIn.number("first_bar_s", -1);
        s.tempo.extra = tempoIn.rest();
    }
    in.list("hit_edits",
            [&](const Json& j, const std::string& where) { s.hitEdits.push_back(readHitEdit(j, where)); });
    in.list("dismissals", [&](const Json& j, const std::string& where) {
        ObjectReader dismissalIn(j, where);
        Dismissal dismissal;
        dismissal.finding = dismissalIn.text("finding");
        dismissal.reason = dismissalIn.text("reason");
        dismissal.extra = dismissalIn.rest();
        s.dismissals.push_back(std::move(dismissal));
    });
    s.houseStyle = in.text("house_style");
    s.extra = in.rest();
    checkWhole(s);
    return s;
}

} // namespace

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
