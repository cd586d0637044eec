#include "core/session/session_check.h"

#include "core/session/kinds.h"
#include "core/session/object_reader.h"
#include "core/session/routing.h"
#include "core/session/session_limits.h"

namespace cask::session {
namespace {

void checkCount(std::size_t count, std::size_t most, const std::string& what) {
    if (count > most)
        throw BadSession(fmt::format("there are {} {}, and {} are the most", count, what, most));
}

void checkTime(double seconds, const std::string& what) {
    if (!(std::abs(seconds) <= kLongestS))
        throw BadSession(what + " lies more than 24 hours from the start");
}

void checkCounts(const Session& s) {
    checkCount(s.files.size(), kMostFiles, "files");
    checkCount(s.elements.size(), kMostElements, "elements");
    checkCount(s.buses.size(), kMostBuses, "buses");
    checkCount(s.sections.size(), kMostSections, "sections");
    checkCount(s.markers.size(), kMostMarkers, "markers");
    checkCount(s.hitEdits.size(), kMostHitEdits, "hit edits");
    checkCount(s.tempo.beatsS.size(), kMostBeats, "beats");
    const auto checkOne = [](const auto& owner) {
        checkCount(owner.chain.size(), kMostModules, "modules in the chain of " + owner.name);
        checkCount(owner.out.sends.size(), kMostSends, "sends of " + owner.name);
        for (const auto& m : owner.chain)
            withSettings(m.settings, [&]<class T>(const T& settings) {
                if constexpr (HasItems<T>)
                    checkCount(
                        KindOf<T>::items(settings).size(), kMostBands,
                        fmt::format("{} in an {} of {}", KindOf<T>::itemsId, KindOf<T>::words, owner.name));
            });
    };
    for (const auto& e : s.elements)
        checkOne(*e);
    for (const auto& b : s.buses)
        checkOne(*b);
    for (const auto& section : s.sections) {
        checkTime(section.startS, "section " + section.name);
        checkTime(section.endS, "section " + section.name);
    }
    for (const auto& marker : s.markers)
        checkTime(marker.timeS, "marker " + marker.name);
    for (const auto& edit : s.hitEdits) {
        checkTime(edit.timeS, "a hit edit");
        checkTime(edit.toS, "a hit edit");
    }
    checkTime(s.tempo.firstBarS, "the first bar");
    for (std::size_t i = 0; i < s.tempo.beatsS.size(); ++i) {
        checkTime(s.tempo.beatsS[i], "a beat");
        if (i > 0 && !(s.tempo.beatsS[i] > s.tempo.beatsS[i - 1]))
            throw BadSession("the beats of the tempo do not rise");
    }
}

void checkFile(const SourceFile& f) {
    if (f.frames < 0 || f.channels < 0 || f.channels > 64)
        throw BadSession("file " + f.path + " has an impossible length or number of channels");
    if (f.frames == 0 && f.sampleRateHz == 0)
        return; // nothing is known of it yet
    if (!(f.sampleRateHz >= kLowestFileRateHz && f.sampleRateHz <= kHighestFileRateHz))
        throw BadSession(fmt::format("file {} has a sample rate of {} Hz, outside {:.0f} Hz to {:.0f} kHz",
                                     f.path, f.sampleRateHz, kLowestFileRateHz, kHighestFileRateHz / 1000));
    if (static_cast<double>(f.frames) / f.sampleRateHz > kLongestS)
        throw BadSession("file " + f.path + " is longer than 24 hours");
}

} // namespace

void checkWhole(Session& s) {
    std::set<Id> ids;
    Id greatest = 0;
    const auto take = [&](Id id, const std::string& what) {
        if (id <= kNoId || !ids.insert(id).second)
            throw BadSession(what + " has no id of its own");
        greatest = std::max(greatest, id);
    };
    checkCounts(s);
    for (const auto& f : s.files) {
        take(f->id, "file " + f->path);
        checkFile(*f);
    }
    const auto takeChain = [&](const std::vector<Module>& chain, const std::string& owner) {
        for (const auto& m : chain) {
            take(m.id, "a module of " + owner);
            forEachItemId(m.settings, [&](Id id) { take(id, "a band of " + owner); });
        }
    };
    for (const auto& e : s.elements) {
        take(e->id, "element " + e->name);
        if (std::abs(framesToSeconds(e->startFrame, s.sampleRateHz)) > kLongestS)
            throw BadSession("element " + e->name + " starts more than 24 hours from the start");
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
        if (b->path && (b->isMaster || b->path->of == b->id || s.output(b->path->of) == nullptr))
            throw BadSession("the parallel path " + b->name + " stands beside something that is not there");
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
    for (auto& link : s.links)
        std::erase_if(link, [&](Id id) { return s.output(id) == nullptr; });
    std::erase_if(s.links, [](const auto& link) { return link.size() < 2; });
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

} // namespace cask::session
