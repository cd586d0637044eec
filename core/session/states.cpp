#include "core/session/states.h"

#include <algorithm>

namespace cask::session {
namespace {

std::shared_ptr<const Session> withoutOthers(const Session& s) {
    auto alone = s;
    alone.states.clear();
    alone.letter.clear();
    return std::make_shared<const Session>(std::move(alone));
}

auto named(std::vector<NamedState>& states, std::string_view name) {
    return std::find_if(states.begin(), states.end(),
                        [&](const NamedState& state) { return state.name == name; });
}

void put(Session& s, const std::string& name, std::shared_ptr<const Session> mix) {
    if (const auto at = named(s.states, name); at != s.states.end())
        at->session = std::move(mix);
    else
        s.states.push_back({name, std::move(mix)});
}

void keepHearing(Output& out, const Output& now) {
    out.isMuted = now.isMuted;
    out.isAlone = now.isAlone;
}

} // namespace

Session withState(Session s, const std::string& name) {
    put(s, name, withoutOthers(s));
    return s;
}

Session withoutState(Session s, std::string_view name) {
    std::erase_if(s.states, [&](const NamedState& state) { return state.name == name; });
    return s;
}

const Session* stateOf(const Session& s, std::string_view name) {
    for (const auto& state : s.states)
        if (state.name == name)
            return state.session.get();
    return nullptr;
}

Session mixedAs(Session s, const Session& state) {
    for (auto& e : s.elements)
        if (const auto* then = state.element(e->id))
            e.edit([&](Element& element) {
                element.input = then->input;
                element.chain = then->chain;
                const Output now = element.out;
                element.out = then->out;
                keepHearing(element.out, now);
            });
    for (const auto& then : state.elements)
        if (s.element(then->id) == nullptr) {
            s.elements.push_back(then);
            for (const auto& ref : then->channels)
                if (const auto* file = state.file(ref.file); file != nullptr && s.file(ref.file) == nullptr)
                    s.files.emplace_back(*file);
        }
    auto buses = state.buses;
    for (auto& b : buses)
        if (const auto* now = s.bus(b->id))
            b.edit([&](Bus& bus) {
                bus.name = now->name;
                keepHearing(bus.out, now->out);
            });
    // What was made since goes to what there is: buses of before are all here.
    for (const auto& b : s.buses)
        if (state.bus(b->id) == nullptr)
            buses.insert(buses.end() - 1, b);
    s.buses = std::move(buses);
    s.links = state.links;
    for (auto& link : s.links)
        std::erase_if(link, [&](Id id) { return s.output(id) == nullptr; });
    s.houseStyle = state.houseStyle;
    s.nextId = std::max(s.nextId, state.nextId);
    return s;
}

std::string letterOf(const Session& s) {
    return s.letter == "B" ? "B" : "A";
}

std::string otherLetter(const Session& s) {
    return s.letter == "B" ? "A" : "B";
}

const Session* otherMix(const Session& s) {
    return stateOf(s, otherLetter(s));
}

Session withLetterSwitched(Session s) {
    const std::string now = letterOf(s);
    const std::string other = otherLetter(s);
    const auto mix = withoutOthers(s);
    if (const auto at = named(s.states, other); at != s.states.end()) {
        const auto then = at->session;
        s.states.erase(at);
        s = mixedAs(std::move(s), *then);
    }
    put(s, now, mix);
    s.letter = other;
    return s;
}

Session withLettersEqual(Session s) {
    return withoutState(std::move(s), otherLetter(s));
}

} // namespace cask::session
