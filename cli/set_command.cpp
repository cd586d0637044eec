#include "cli/commands.h"
#include "core/session/parameter_path.h"

#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

int setValue(Streams& streams, const std::string& folder, const std::string& path, const std::string& value,
             bool json) {
    if (path.empty()) {
        const auto s = openSession(streams, folder);
        if (!s)
            return fail(streams, s.error());
        nlohmann::ordered_json list = nlohmann::ordered_json::object();
        for (const auto& v : session::listValues(*s)) {
            if (json)
                list[v.path] = v.value;
            else
                streams.out << v.path << " = " << v.value << '\n';
        }
        if (json)
            printJson(streams.out, list);
        return kDone;
    }
    if (auto saved = editSession(
            streams, folder, [&](const session::Session& s) { return session::withValueAt(s, path, value); });
        !saved)
        return fail(streams, saved.error());
    return kDone;
}

} // namespace

void addSetCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand("set", "Sets a value, or lists all values");
    struct Options {
        std::string folder, path, value;
        bool json = false;
    };
    const auto o = std::make_shared<Options>();
    command->add_option("SESSION", o->folder, "Session folder")->required();
    auto* path = command->add_option("PATH", o->path, "For example \"Snare Top/level_db\" or \"Kit/eq/add\"");
    command->add_option("VALUE", o->value, "As a person types it: \"-4 dB\", \"1.2k\", \"L 30\", \"on\"")
        ->needs(path);
    command->add_flag("--json", o->json, "JSON on standard output");
    command->callback(
        [&streams, &exitCode, o] { exitCode = setValue(streams, o->folder, o->path, o->value, o->json); });
}

} // namespace cask::cli
