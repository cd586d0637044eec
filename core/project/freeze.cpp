#include "core/project/freeze.h"

#include "core/base/file_system.h"
#include "core/base/hash.h"
#include "core/kit_measures/node_sound.h"
#include "core/media/audio_writer.h"
#include "core/session/edits.h"
#include "core/session/routing.h"
#include "core/session/session_json.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <set>

namespace cask::project {
namespace {

namespace fs = std::filesystem;
using session::Id;
using session::kNoId;
using session::Session;

/// Ids of what is only there while it plays lie far above those of any session.
constexpr Id kPlayedIds = 1'500'000'000;

const session::Output& outOf(const Session& s, Id node) {
    return *s.output(node);
}

std::vector<Id> nodesOf(const Session& s) {
    std::vector<Id> nodes;
    for (const auto& e : s.elements)
        nodes.push_back(e->id);
    for (const auto& b : s.buses)
        nodes.push_back(b->id);
    return nodes;
}

Id busOf(const Session& s, Id node) {
    const Id bus = outOf(s, node).bus;
    return bus == kNoId ? s.master().id : bus;
}

bool isFedBy(const Session& s, Id node, Id from) {
    const auto& sends = outOf(s, from).sends;
    return (from != s.master().id && busOf(s, from) == node) ||
           std::any_of(sends.begin(), sends.end(), [&](const auto& send) { return send.bus == node; });
}

bool listensTo(const Session& s, Id node, Id key) {
    const auto& chain = *s.chain(node);
    return std::any_of(chain.begin(), chain.end(), [&](const auto& m) { return m.key == key; });
}

/// These and all that they hang on. What feeds `cut` does not count.
std::set<Id> upstreamOf(const Session& s, std::set<Id> needed, const std::set<Id>& cut = {}) {
    const auto nodes = nodesOf(s);
    for (bool hasGrown = true; hasGrown;) {
        hasGrown = false;
        for (const Id from : nodes)
            if (!needed.contains(from) && std::any_of(needed.begin(), needed.end(), [&](Id node) {
                    return !cut.contains(node) && (isFedBy(s, node, from) || listensTo(s, node, from));
                }))
                hasGrown = needed.insert(from).second;
    }
    return needed;
}

/// As it is rendered: blended with nothing.
Session asRendered(Session s, Id what) {
    for (auto& bus : s.buses)
        if (bus->path && (bus->id == what || bus->path->of == what))
            bus.edit([](session::Bus& b) {
                b.path->isEqualGain = false;
                b.path->isInverted = false;
            });
    return session::withOutput(std::move(s), what, [](session::Output& out) {
        const Id bus = out.bus;
        out = {};
        out.bus = bus;
    });
}

bool hasSolos(const Session& s) {
    const auto nodes = nodesOf(s);
    return std::any_of(nodes.begin(), nodes.end(), [&](Id node) { return outOf(s, node).isAlone; });
}

Session withPlayedFile(Session s, Id what, const FrozenSound& sound) {
    session::SourceFile file;
    file.id = frozenFileId(what);
    file.channels = sound.channels;
    file.frames = sound.frames;
    file.sampleRateHz = s.sampleRateHz;
    s.files.emplace_back(std::move(file));
    return s;
}

std::vector<session::ChannelRef> channelsOf(Id what, const FrozenSound& sound) {
    std::vector<session::ChannelRef> channels;
    for (int c = 0; c < sound.channels; ++c)
        channels.push_back({frozenFileId(what), c, {}});
    return channels;
}

/// A bus that is heard nowhere.
constexpr Id kSilentBus = kPlayedIds - 1;
Id silentBus(Session& s) {
    if (s.bus(kSilentBus) == nullptr) {
        session::Bus bus;
        bus.id = kSilentBus;
        bus.out.isMuted = true;
        s.buses.emplace(s.buses.begin(), std::move(bus));
    }
    return kSilentBus;
}

Session withFrozenElement(Session s, Id what, const FrozenSound& sound) {
    // Those who listen to its file as it came still hear that.
    std::vector<Id> listeners;
    for (const Id node : nodesOf(s))
        for (const auto& module : *s.chain(node))
            if (module.key == what && module.keyTap == session::KeyTap::Source)
                listeners.push_back(module.id);
    if (!listeners.empty()) {
        session::Element heard = *s.element(what);
        heard.id = kPlayedIds + 2 * what;
        heard.chain.clear();
        heard.out = {};
        heard.out.bus = silentBus(s);
        const Id id = heard.id;
        s.elements.emplace_back(std::move(heard));
        for (const Id module : listeners)
            s = session::withModule(std::move(s), module, [&](session::Module& m) { m.key = id; });
    }
    return session::withElement(withPlayedFile(std::move(s), what, sound), what, [&](session::Element& e) {
        e.channels = channelsOf(what, sound);
        e.startFrame = 0;
        e.input = {};
        e.chain.clear();
    });
}

Session withFrozenBus(Session s, Id what, const FrozenSound& sound) {
    const auto needed = upstreamOf(s, {s.master().id}, {what, kSilentBus});
    std::erase_if(s.elements, [&](const auto& e) { return !needed.contains(e->id); });
    std::erase_if(s.buses, [&](const auto& b) { return !needed.contains(b->id) && b->id != what; });
    for (const Id node : nodesOf(s)) {
        if (!isFedBy(s, what, node))
            continue;
        const Id elsewhere = busOf(s, node) == what ? silentBus(s) : outOf(s, node).bus;
        s = session::withOutput(std::move(s), node, [&](session::Output& out) {
            out.bus = elsewhere;
            std::erase_if(out.sends, [&](const auto& send) { return send.bus == what; });
        });
    }
    for (auto& bus : s.buses)
        if (bus->id == what)
            bus.edit([](session::Bus& b) {
                b.chain.clear();
                if (b.path) {
                    b.path->lowCutHz = session::ParallelPath::kLeastCutHz;
                    b.path->pitchCents = 0;
                }
            });
    session::Element played;
    played.id = kPlayedIds + 2 * what + 1;
    played.role = Role::Loop; // mixed
    played.channels = channelsOf(what, sound);
    played.out.bus = what;
    s.elements.emplace_back(std::move(played));
    return withPlayedFile(std::move(s), what, sound);
}

} // namespace

std::string freezeKey(const Session& session, Id what) {
    if (session.output(what) == nullptr || what == session.master().id)
        return {};
    Session s = asRendered(session, what);
    const auto needed = upstreamOf(s, {what});
    const Id master = s.master().id;
    std::erase_if(s.elements, [&](const auto& e) { return !needed.contains(e->id); });
    std::erase_if(s.buses, [&](const auto& b) { return !needed.contains(b->id) && b->id != master; });
    std::set<Id> files;
    for (auto& e : s.elements)
        e.edit([&](session::Element& one) {
            one.name.clear();
            one.roleConfidence = 0;
            one.out.isAlone = false;
            if (one.id == what)
                one.out.bus = kNoId;
            for (const auto& ref : one.channels)
                files.insert(ref.file);
        });
    for (auto& b : s.buses)
        b.edit([&](session::Bus& one) {
            one.name.clear();
            one.out.isAlone = false;
            if (one.id == what)
                one.out.bus = kNoId;
            if (one.id == master) {
                one.chain.clear();
                one.out = {};
            }
        });
    std::erase_if(s.files, [&](const auto& file) { return !files.contains(file->id); });
    Session bare;
    bare.name.clear();
    bare.sampleRateHz = s.sampleRateHz;
    bare.files = s.files;
    bare.elements = s.elements;
    bare.buses = s.buses;
    bare.sections = s.sections;
    bare.tempo = s.tempo;
    // How far it reaches is of the whole session.
    const std::string text = fmt::format("{}\n{}\n{}", session::toJson(bare), what, session.lengthFrames());
    return hashBytes(std::as_bytes(std::span(text)));
}

Id frozenFileId(Id what) {
    return kPlayedIds + what;
}

fs::path frozenFile(const fs::path& cacheFolder, const std::string& key) {
    return cacheFolder / ("frozen " + key + ".wav");
}

Result<fs::path> freeze(const Session& session, Id what, const graph::SourceLookup& sources,
                        const fs::path& cacheFolder, const CancelToken& cancel, const ProgressFn& progress) {
    const std::string key = freezeKey(session, what);
    if (key.empty())
        return Error{ErrorCode::BadValue, "The master is not frozen: it is what is heard."};
    const fs::path file = frozenFile(cacheFolder, key);
    if (diskFileSystem().exists(file))
        return file;
    if (auto made = diskFileSystem().makeFolder(cacheFolder); !made)
        return made.error();
    const int channels = kit::nodeChannels(session, what);
    const Frames frames = session.lengthFrames() + secondsToFrames(kFreezeTailS, session.sampleRateHz);
    if (auto room = checkRoom(cacheFolder, media::bytesFor(frames, channels, media::SampleFormat::Float32));
        !room)
        return room.error();
    const media::WriteOptions options{media::Container::Wav, media::SampleFormat::Float32, false, 0};
    auto writer = media::AudioWriter::create(file, session.sampleRateHz, channels, options);
    if (!writer)
        return writer.error();
    if (auto done = kit::renderNode(
            asRendered(session, what), what, sources, 0, frames,
            [&](std::span<const float> block) { return writer->write(block); }, cancel, progress);
        !done)
        return done.error();
    if (auto done = writer->commit(); !done)
        return done.error();
    return file;
}

std::vector<Id> playedFrozen(const Session& s, const FrozenSounds& frozen) {
    std::vector<Id> played;
    const bool buses = !hasSolos(s);
    for (const auto& [what, sound] : frozen)
        if ((buses || s.element(what) != nullptr) && !sound.key.empty() && freezeKey(s, what) == sound.key)
            played.push_back(what);
    return played;
}

Session withFrozen(Session s, const FrozenSounds& frozen) {
    for (const Id what : playedFrozen(s, frozen)) {
        if (s.output(what) == nullptr) // within another one
            continue;
        const auto& sound = frozen.at(what);
        s = s.element(what) != nullptr ? withFrozenElement(std::move(s), what, sound)
                                       : withFrozenBus(std::move(s), what, sound);
    }
    return s;
}

std::vector<Id> readFrozen(const fs::path& cacheFolder) {
    std::vector<Id> frozen;
    const auto text = diskFileSystem().read(cacheFolder / "frozen.json");
    const auto json = text ? nlohmann::json::parse(*text, nullptr, false) : nlohmann::json();
    if (json.is_array())
        for (const auto& id : json)
            if (id.is_number_integer())
                frozen.push_back(id.get<Id>());
    return frozen;
}

Status writeFrozen(const fs::path& cacheFolder, const std::vector<Id>& frozen) {
    if (auto made = diskFileSystem().makeFolder(cacheFolder); !made)
        return made;
    return diskFileSystem().writeAtomically(cacheFolder / "frozen.json", nlohmann::json(frozen).dump());
}

} // namespace cask::project
