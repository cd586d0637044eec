#include "core/session/routing.h"

#include <algorithm>
#include <functional>
#include <map>

namespace cask::session {
namespace {

/// What waits for the sound of an element or bus after its chain: where it goes and who listens to it.
std::vector<Id> targets(const Session& session, Id id, bool withListeners = true) {
    std::vector<Id> ids;
    if (const auto* out = session.output(id)) {
        if (out->bus != kNoId)
            ids.push_back(out->bus);
        for (const auto& send : out->sends)
            ids.push_back(send.bus);
    }
    if (!withListeners)
        return ids;
    const bool isBus = session.bus(id) != nullptr;
    const auto addListeners = [&](const auto& owners) {
        for (const auto& owner : owners)
            if (std::any_of(owner->chain.begin(), owner->chain.end(), [&](const Module& m) {
                    return m.key == id && (isBus || m.keyTap == KeyTap::Chain);
                }))
                ids.push_back(owner->id);
    };
    addListeners(session.elements);
    addListeners(session.buses);
    return ids;
}

Error loopError(const Session& session, const std::vector<Id>& path) {
    std::string text;
    for (const Id id : path)
        text += (text.empty() ? "" : " \u2192 ") + session.nameOf(id);
    return {ErrorCode::RouteLoop, "This route would feed itself: " + text + "."};
}

/// Path from one element or bus to another along outputs, sends and keys; empty when there is none.
std::vector<Id> findPath(const Session& session, Id from, Id to, bool withListeners = true) {
    std::vector<Id> path;
    std::vector<Id> seen;
    const std::function<bool(Id)> walk = [&](Id at) {
        path.push_back(at);
        if (at == to)
            return true;
        if (std::find(seen.begin(), seen.end(), at) == seen.end()) {
            seen.push_back(at);
            for (const Id next : targets(session, at, withListeners))
                if (walk(next))
                    return true;
        }
        path.pop_back();
        return false;
    };
    walk(from);
    return path;
}

} // namespace

Result<std::vector<Id>> nodeOrder(const Session& session) {
    enum class Mark { New, Open, Done };
    std::map<Id, Mark> marks;
    std::vector<Id> order;
    std::vector<Id> path;
    std::vector<Id> loop;
    const std::function<bool(Id)> visit = [&](Id id) {
        path.push_back(id);
        if (marks[id] == Mark::Open) {
            loop.assign(std::find(path.begin(), path.end(), id), path.end());
            return false;
        }
        if (marks[id] == Mark::New) {
            marks[id] = Mark::Open;
            for (const Id next : targets(session, id))
                if (!visit(next))
                    return false;
            marks[id] = Mark::Done;
            order.push_back(id);
        }
        path.pop_back();
        return true;
    };
    for (auto it = session.buses.rbegin(); it != session.buses.rend(); ++it)
        if (!visit((*it)->id))
            return loopError(session, loop);
    for (auto it = session.elements.rbegin(); it != session.elements.rend(); ++it)
        if (!visit((*it)->id))
            return loopError(session, loop);
    std::reverse(order.begin(), order.end());
    return order;
}

Result<std::vector<Id>> busOrder(const Session& session) {
    auto order = nodeOrder(session);
    if (order)
        std::erase_if(*order, [&](Id id) { return session.bus(id) == nullptr; });
    return order;
}

Status checkKey(const Session& session, Id owner, Id key, KeyTap tap) {
    if (session.output(key) == nullptr)
        return Error{ErrorCode::BadValue, "There is no such element or bus to listen to."};
    if (session.bus(key) == nullptr && tap == KeyTap::Source)
        return Done{};
    if (auto path = findPath(session, owner, key); !path.empty()) {
        path.push_back(owner);
        return loopError(session, path);
    }
    return Done{};
}

Status checkRoute(const Session& session, Id from, Id to) {
    if (session.bus(to) == nullptr)
        return Error{ErrorCode::BadValue, "There is no such bus."};
    if (auto path = findPath(session, to, from); !path.empty()) {
        path.insert(path.begin(), from);
        return loopError(session, path);
    }
    return Done{};
}

bool reaches(const Session& session, Id from, Id bus) {
    return !findPath(session, from, bus, false).empty();
}

bool isHeard(const Session& session, const Element& element) {
    if (element.out.isMuted || !isMixed(element.role))
        return false;
    if (element.out.isSoloSafe)
        return true;
    bool anyAlone = false;
    for (const auto& e : session.elements)
        anyAlone = anyAlone || e->out.isAlone;
    bool throughBus = false;
    for (const auto& b : session.buses) {
        anyAlone = anyAlone || b->out.isAlone;
        if (b->out.isAlone || b->out.isSoloSafe)
            throughBus = throughBus || reaches(session, element.id, b->id);
    }
    return !anyAlone || element.out.isAlone || throughBus;
}

} // namespace cask::session
