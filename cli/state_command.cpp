// Mixes kept under names: listed, kept, taken up again, compared in words.
#include "cli/commands.h"
#include "core/session/session_difference.h"
#include "core/session/states.h"

#include <fmt/format.h>

#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

struct StateOptions {
    std::string folder, name, other;
    bool asJson = false;
};

Error noSuchState(const session::Session& s, const std::string& name) {
    std::string names;
    for (const auto& state : s.states)
        names += (names.empty() ? "" : ", ") + state.name;
    return {ErrorCode::NotFound, fmt::format("There is no state \"{}\"; {}.", name,
                                             names.empty() ? "none is kept" : "there are " + names)};
}

int list(Streams& streams, const StateOptions& o) {
    const auto s = openSession(streams, o.folder);
    if (!s)
        return fail(streams, s.error());
    auto all = nlohmann::ordered_json::array();
    for (const auto& state : s->states) {
        const auto differences = session::differencesInWords(*state.session, *s).size();
        all.push_back({{"name", state.name}, {"differences", differences}});
        if (!o.asJson)
            streams.out << fmt::format("{}: {} differences to the mix as it is now\n", state.name,
                                       differences);
    }
    if (o.asJson)
        printJson(streams.out, {{"heard", session::letterOf(*s)}, {"states", std::move(all)}});
    return kDone;
}

int compare(Streams& streams, const StateOptions& o) {
    const auto s = openSession(streams, o.folder);
    if (!s)
        return fail(streams, s.error());
    for (const auto* name : {&o.name, &o.other})
        if (!name->empty() && session::stateOf(*s, *name) == nullptr)
            return fail(streams, noSuchState(*s, *name));
    const auto& from = *session::stateOf(*s, o.name);
    const auto& to = o.other.empty() ? *s : *session::stateOf(*s, o.other);
    const auto lines = session::differencesInWords(from, to);
    if (o.asJson)
        printJson(streams.out, {{"from", o.name}, {"to", o.other}, {"differences", lines}});
    else
        for (const auto& line : lines)
            streams.out << line << '\n';
    if (lines.empty() && !o.asJson)
        streams.out << "Nothing differs.\n";
    return kDone;
}

int change(Streams& streams, const StateOptions& o,
           const std::function<Result<session::Session>(const session::Session&)>& edit) {
    const auto status = editSession(streams, o.folder, edit);
    return status ? kDone : fail(streams, status.error());
}

} // namespace

void addStateCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand("state", "Mixes of a session kept under names");
    command->require_subcommand(1);
    const auto o = std::make_shared<StateOptions>();
    const auto add = [&](const char* name, const char* words, bool isNamed) {
        auto* sub = command->add_subcommand(name, words);
        sub->add_option("SESSION", o->folder, "Session folder")->required();
        if (isNamed)
            sub->add_option("NAME", o->name, "Name of the state")->required();
        return sub;
    };
    auto* lists = add("list", "All that are kept", false);
    lists->add_flag("--json", o->asJson, "JSON on standard output");
    lists->callback([&streams, &exitCode, o] { exitCode = list(streams, *o); });
    add("save", "Keeps the mix as it is now; one of that name is replaced", true)
        ->callback([&streams, &exitCode, o] {
            exitCode = change(streams, *o, [o](const session::Session& s) -> Result<session::Session> {
                if (o->name == "A" || o->name == "B")
                    return Error{ErrorCode::BadValue,
                                 "A and B are the two that are compared; give the state another name."};
                return session::withState(s, o->name);
            });
        });
    add("apply", "Mixes as it was; files, names, sections and hits stay", true)
        ->callback([&streams, &exitCode, o] {
            exitCode = change(streams, *o, [o](const session::Session& s) -> Result<session::Session> {
                const auto* state = session::stateOf(s, o->name);
                return state == nullptr ? Result<session::Session>(noSuchState(s, o->name))
                                        : session::mixedAs(s, *state);
            });
        });
    add("remove", "Forgets a state", true)->callback([&streams, &exitCode, o] {
        exitCode = change(streams, *o, [o](const session::Session& s) -> Result<session::Session> {
            return session::stateOf(s, o->name) == nullptr ? Result<session::Session>(noSuchState(s, o->name))
                                                           : session::withoutState(s, o->name);
        });
    });
    auto* compares = add("compare", "What has changed since, or to another state, in words", true);
    compares->add_option("OTHER", o->other, "Another state (default: the mix as it is now)");
    compares->add_flag("--json", o->asJson, "JSON on standard output");
    compares->callback([&streams, &exitCode, o] { exitCode = compare(streams, *o); });
}

} // namespace cask::cli
