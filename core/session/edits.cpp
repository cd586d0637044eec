#include "core/session/edits.h"

#include "core/session/kinds.h"
#include "core/session/kit_order.h"
#include "core/session/output_changes.h"
#include "core/session/routing.h"

#include <algorithm>
#include <cmath>

namespace cask::session {
namespace {

template <class T> Shared<T>* find(std::vector<Shared<T>>& list, Id id) {
    const auto it =
        std::find_if(list.begin(), list.end(), [id](const Shared<T>& item) { return item->id == id; });
    return it == list.end() ? nullptr : &*it;
}

} // namespace

Session withElement(Session s, Id id, const std::function<void(Element&)>& change) {
    if (auto* e = find(s.elements, id))
        e->edit(change);
    return s;
}

Session withBus(Session s, Id id, const std::function<void(Bus&)>& change) {
    if (auto* b = find(s.buses, id))
        b->edit(change);
    return s;
}

Session withOutput(Session s, Id id, const std::function<void(Output&)>& change) {
    s = withElement(std::move(s), id, [&](Element& e) { change(e.out); });
    return withBus(std::move(s), id, [&](Bus& b) { change(b.out); });
}

Session withChain(Session s, Id id, const std::function<void(std::vector<Module>&)>& change) {
    s = withElement(std::move(s), id, [&](Element& e) { change(e.chain); });
    return withBus(std::move(s), id, [&](Bus& b) { change(b.chain); });
}

Session withBand(Session s, Id owner, Id band, const std::function<void(dsp::EqBand&)>& change) {
    return withChain(std::move(s), owner, [&](std::vector<Module>& chain) {
        for (auto& module : chain)
            if (auto* eq = std::get_if<dsp::EqSettings>(&module.settings))
                for (auto& b : eq->bands)
                    if (b.id == band)
                        change(b);
    });
}

Id startingBus(const Session& s, Role role) {
    const auto named = [&](std::string_view name) {
        for (const auto& b : s.buses)
            if (b->name == name)
                return b->id;
        return s.master().id;
    };
    if (role == Role::Unknown) // nobody has said where it belongs
        return s.master().id;
    switch (roleInfo(role).group) {
    case RoleGroup::Shells:
        return named("Shells");
    case RoleGroup::Cymbals:
        return named("Cymbals");
    case RoleGroup::Rooms:
        return named("Rooms");
    case RoleGroup::Context:
    case RoleGroup::Aside:
        break;
    }
    return s.master().id;
}

namespace {

Session withRoleOf(Session s, Id element, const RoleGuess& said) {
    const auto* before = s.element(element);
    if (before == nullptr)
        return s;
    // In older sessions what nobody knew stood where the shells are.
    const bool follows = before->out.bus == startingBus(s, before->role) ||
                         (before->role == Role::Unknown && before->out.bus == startingBus(s, Role::KickIn));
    const Id bus = startingBus(s, said.role);
    s = withElement(std::move(s), element, [&](Element& e) {
        e.role = said.role;
        e.roleConfidence = said.confidence;
        if (follows)
            e.out.bus = bus;
    });
    placeInKit(s, element);
    return s;
}

} // namespace

Session withRole(Session s, Id element, Role role) {
    return withRoleOf(std::move(s), element, {role, 1});
}

Session withGuessedRole(Session s, Id element, const RoleGuess& guess) {
    const auto* before = s.element(element);
    if (before == nullptr || before->roleConfidence > 0 || guess.confidence <= 0)
        return s;
    return withRoleOf(std::move(s), element, guess);
}

namespace {

/// Detectors that listened to what is gone listen to their own sound.
void forgetKey(Session& s, Id gone) {
    const auto edit = [&](auto& owners) {
        for (auto& owner : owners)
            if (std::any_of(owner->chain.begin(), owner->chain.end(),
                            [&](const Module& m) { return m.key == gone; }))
                owner.edit([&](auto& o) {
                    for (auto& m : o.chain)
                        m.key = m.key == gone ? kNoId : m.key;
                });
    };
    edit(s.elements);
    edit(s.buses);
}

} // namespace

Result<Session> withPairJoined(Session s, Id left, Id right) {
    const auto* l = s.element(left);
    const auto* r = s.element(right);
    if (l == nullptr || r == nullptr || left == right || l->isStereo() || r->isStereo())
        return Error{ErrorCode::BadValue, "Two mono elements are needed to join a pair."};
    const ChannelRef rightChannel = r->channels[0];
    const InputSettings rightInput = r->input;
    if (l->startFrame != r->startFrame)
        return Error{ErrorCode::BadValue,
                     l->name + " and " + r->name + " do not start at the same time; they stay apart."};
    constexpr double kMostApartMs = 100; // as far as the right side can be shifted against the left
    if (std::abs(rightInput.shiftMs - l->input.shiftMs) > kMostApartMs)
        return Error{ErrorCode::BadValue,
                     l->name + " and " + r->name + " are shifted more than 100 ms apart; they stay apart."};
    const PairMark mark = pairMark(l->name);
    s = withElement(std::move(s), left, [&](Element& e) {
        e.channels.push_back(rightChannel);
        e.input.rightShiftMs = rightInput.shiftMs - e.input.shiftMs;
        e.input.isRightInverted = rightInput.isInverted != e.input.isInverted;
        e.out.pan = 0;
        if (mark.side != 0 && !mark.stem.empty())
            e.name = mark.stem;
    });
    std::erase_if(s.elements, [&](const Shared<Element>& e) { return e->id == right; });
    forgetKey(s, right);
    return s;
}

void giveOwnIds(Session& s, std::vector<Module>& chain) {
    for (auto& module : chain) {
        module.id = s.nextId++;
        renumberItems(module, [&] { return s.nextId++; });
    }
}

Result<Session> withPairParted(Session s, Id element) {
    const auto* e = s.element(element);
    if (e == nullptr || !e->isStereo())
        return Error{ErrorCode::BadValue, "Only a stereo element can be parted."};
    Element right = *e;
    right.id = s.nextId++;
    right.channels = {e->channels[1]};
    right.input.shiftMs = shiftMsOf(e->input, 1);
    right.input.isInverted = isInverted(e->input, 1);
    right.input.rightShiftMs = 0;
    right.input.isRightInverted = false;
    right.name = e->name + " R";
    right.out.pan = 1;
    giveOwnIds(s, right.chain);
    const auto at = std::find_if(s.elements.begin(), s.elements.end(),
                                 [&](const Shared<Element>& item) { return item->id == element; });
    s.elements.insert(at + 1, Shared<Element>(std::move(right)));
    return withElement(std::move(s), element, [](Element& left) {
        left.channels.resize(1);
        left.input.rightShiftMs = 0;
        left.input.isRightInverted = false;
        left.name += " L";
        left.out.pan = -1;
    });
}

Session withoutElement(Session s, Id element) {
    forgetKey(s, element);
    for (auto& b : s.buses) // what stood beside it is a bus as any other
        if (b->path && b->path->of == element)
            b.edit([&](Bus& path) { path.path.reset(); });
    std::erase_if(s.elements, [&](const Shared<Element>& e) { return e->id == element; });
    std::erase_if(s.files, [&](const Shared<SourceFile>& f) {
        return std::none_of(s.elements.begin(), s.elements.end(), [&](const Shared<Element>& e) {
            return std::any_of(e->channels.begin(), e->channels.end(),
                               [&](const ChannelRef& ref) { return ref.file == f->id; });
        });
    });
    return s;
}

Id addBand(Session& s, Id owner, dsp::EqBand band, EqPlace place) {
    band.id = s.nextId++;
    const auto* chain = s.chain(owner);
    if (chain == nullptr)
        return band.id;
    const Module* eq = findEq(*chain, place);
    const Id module =
        eq != nullptr ? eq->id : addModule(s, owner, dsp::EqSettings{}, static_cast<int>(place));
    s = withModule(std::move(s), module,
                   [&](Module& m) { std::get<dsp::EqSettings>(m.settings).bands.push_back(band); });
    return band.id;
}

Id addModule(Session& s, Id owner, const ModuleSettings& settings, int ordinal) {
    Module module;
    module.id = s.nextId++;
    module.settings = settings;
    module.keyTap = standardKeyTap(settings);
    s = withChain(std::move(s), owner, [&](std::vector<Module>& chain) {
        module.ordinal = ordinal > 0 ? ordinal : freeOrdinal(chain, kindId(settings));
        const ChainPlace place = placeOf(settings, module.ordinal);
        auto at = chain.end();
        while (at != chain.begin() && placeOf((at - 1)->settings, (at - 1)->ordinal) > place)
            --at;
        chain.insert(at, module);
    });
    return module.id;
}

Session withModulesSwapped(Session s, Id owner, Id module, Id other) {
    return withChain(std::move(s), owner, [&](std::vector<Module>& chain) {
        const auto at = [&](Id id) {
            return std::find_if(chain.begin(), chain.end(), [&](const Module& m) { return m.id == id; });
        };
        if (at(module) != chain.end() && at(other) != chain.end())
            std::iter_swap(at(module), at(other));
    });
}

Session withoutBand(Session s, Id owner, Id band) {
    return withChain(std::move(s), owner, [&](std::vector<Module>& chain) {
        for (auto& module : chain)
            if (auto* eq = std::get_if<dsp::EqSettings>(&module.settings);
                eq != nullptr &&
                std::erase_if(eq->bands, [&](const dsp::EqBand& b) { return b.id == band; }) > 0)
                forgetItem(module, band);
    });
}

Session withModule(Session s, Id module, const std::function<void(Module&)>& change) {
    const auto has = [&](const std::vector<Module>& chain) {
        return std::any_of(chain.begin(), chain.end(), [&](const Module& m) { return m.id == module; });
    };
    const auto edit = [&](auto& owners) {
        for (auto& owner : owners)
            if (has(owner->chain))
                owner.edit([&](auto& o) {
                    for (auto& m : o.chain)
                        if (m.id == module)
                            change(m);
                });
    };
    edit(s.elements);
    edit(s.buses);
    return s;
}

Session withGate(Session s, Id module, const std::function<void(dsp::GateSettings&)>& change) {
    return withModule(std::move(s), module, [&](Module& m) {
        if (auto* gate = std::get_if<dsp::GateSettings>(&m.settings))
            change(*gate);
    });
}

Session withoutModule(Session s, Id module) {
    const auto edit = [&](auto& owners) {
        for (auto& owner : owners)
            owner.edit(
                [&](auto& o) { std::erase_if(o.chain, [&](const Module& m) { return m.id == module; }); });
    };
    edit(s.elements);
    edit(s.buses);
    return s;
}

namespace {

const Module* findModule(const Session& s, Id owner, Id module) {
    if (const auto* chain = s.chain(owner))
        for (const auto& m : *chain)
            if (m.id == module)
                return &m;
    return nullptr;
}

Result<Session> withKeyAndTap(Session s, Id owner, Id module, Id key, KeyTap tap) {
    if (auto allowed = key == kNoId ? Status(Done{}) : checkKey(s, owner, key, tap); !allowed)
        return allowed.error();
    return withModule(std::move(s), module, [&](Module& m) {
        m.key = key;
        m.keyTap = tap;
    });
}

} // namespace

Result<Session> withKey(Session s, Id owner, Id module, Id key) {
    const Module* m = findModule(s, owner, module);
    return m == nullptr ? Result<Session>(std::move(s)) : withKeyAndTap(s, owner, module, key, m->keyTap);
}

Result<Session> withKeyTap(Session s, Id owner, Id module, KeyTap tap) {
    const Module* m = findModule(s, owner, module);
    return m == nullptr ? Result<Session>(std::move(s)) : withKeyAndTap(s, owner, module, m->key, tap);
}

Session withSectionChange(Session s, Id module, const SectionChange& change) {
    return withModule(std::move(s), module, [&](Module& m) { putChange(m.changes, change); });
}

Result<Session> withOutputBus(Session s, Id from, Id bus) {
    if (auto allowed = checkRoute(s, from, bus); !allowed)
        return allowed.error();
    return withOutput(std::move(s), from, [&](Output& out) { out.bus = bus; });
}

Result<Session> withSend(Session s, Id from, Send send) {
    if (auto allowed = checkRoute(s, from, send.bus); !allowed)
        return allowed.error();
    return withOutput(std::move(s), from, [&](Output& out) {
        std::erase_if(out.sends, [&](const Send& old) { return old.bus == send.bus; });
        out.sends.push_back(send);
    });
}

Id addBus(Session& s, std::string name, Id target) {
    Bus bus;
    bus.id = s.nextId++;
    bus.name = std::move(name);
    bus.out.bus = target;
    const Id id = bus.id;
    s.buses.insert(s.buses.end() - 1, Shared<Bus>(std::move(bus)));
    return id;
}

Session withoutSend(Session s, Id from, Id bus) {
    return withOutput(std::move(s), from, [&](Output& out) {
        std::erase_if(out.sends, [&](const Send& send) { return send.bus == bus; });
        forgetSend(out, bus);
    });
}

Session withoutBus(Session s, Id bus) {
    const auto* gone = s.bus(bus);
    if (gone == nullptr || gone->isMaster)
        return s;
    const Id target = gone->out.bus;
    const auto reroute = [&](Output& out) {
        if (out.bus == bus)
            out.bus = target;
        std::erase_if(out.sends, [&](const Send& send) { return send.bus == bus; });
        forgetSend(out, bus);
    };
    std::erase_if(s.buses, [&](const Shared<Bus>& b) { return b->id == bus; });
    forgetKey(s, bus);
    for (auto& b : s.buses) // what stood beside it is a bus as any other
        if (b->path && b->path->of == bus)
            b.edit([&](Bus& path) { path.path.reset(); });
    for (auto& e : s.elements)
        e.edit([&](Element& element) { reroute(element.out); });
    for (auto& b : s.buses)
        b.edit([&](Bus& other) { reroute(other.out); });
    return s;
}

Session withName(Session s, Id id, const std::string& name) {
    if (name.empty())
        return s;
    if (s.bus(id) != nullptr)
        return withBus(std::move(s), id, [&](Bus& b) { b.name = name; });
    return withElement(std::move(s), id, [&](Element& e) { e.name = name; });
}

Session untouched(const Session& session, Untouched kind) {
    Session s = session;
    const auto plainOutput = [&](Output& out, bool isElement) {
        if (kind == Untouched::NoProcessing)
            return;
        out.levelDb = 0;
        out.widthPercent = 100;
        out.sends.clear();
        out.changes.clear();
        out.rides.clear();
        if (isElement)
            out.pan = 0;
    };
    for (auto& item : s.elements) {
        item.edit([&](Element& e) {
            const char side = e.isStereo() ? '\0' : pairMark(e.name).side;
            e.chain.clear();
            if (kind == Untouched::FilesAsTheyCame)
                e.input = {};
            plainOutput(e.out, true);
            if (kind == Untouched::FilesAsTheyCame && side != 0)
                e.out.pan = side == 'L' ? -1 : 1;
        });
    }
    for (auto& item : s.buses) {
        item.edit([&](Bus& b) {
            b.chain.clear();
            plainOutput(b.out, false);
        });
    }
    return s;
}

} // namespace cask::session
