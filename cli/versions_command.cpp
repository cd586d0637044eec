#include "cli/commands.h"

#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

int versions(Streams& streams, const std::string& folder, bool asJson) {
    session::SessionStore store(diskFileSystem(), folder);
    if (!diskFileSystem().exists(store.sessionFile()) && store.versions().empty())
        return fail(streams, {ErrorCode::NotFound, folder + " holds no session."});
    nlohmann::ordered_json list = nlohmann::ordered_json::array();
    const auto tell = [&](const std::string& name, const char* what) {
        if (asJson)
            list.push_back({{"name", name}, {"kind", what}});
        else
            streams.out << name << "  " << what << '\n';
    };
    if (const auto opened = store.open())
        for (const auto& work : opened->unsaved)
            tell(work.file, "unsaved");
    for (const auto& name : store.versions())
        tell(name, "saved before");
    if (asJson)
        printJson(streams.out, {{"versions", std::move(list)}});
    return kDone;
}

/// Unsaved work by its file, or a version by its name.
Result<session::Session> findState(session::SessionStore& store, const std::string& name,
                                   std::optional<session::UnsavedWork>& taken) {
    const auto opened = store.open();
    if (opened)
        for (const auto& work : opened->unsaved)
            if (work.file == name) {
                taken = work;
                return work.session;
            }
    const auto version = store.openVersion(name);
    if (!version)
        return version.error();
    return version->session;
}

int restore(Streams& streams, const std::string& folder, const std::string& name) {
    constexpr std::chrono::seconds kPatience(10);
    session::SessionStore store(diskFileSystem(), folder);
    if (!diskFileSystem().exists(folder))
        return fail(streams, {ErrorCode::NotFound, folder + " holds no session."});
    const auto lock = store.lock(kPatience);
    if (!lock)
        return fail(streams, {lock.error().code, lock.error().message + " Nothing was changed."});
    std::optional<session::UnsavedWork> taken;
    const auto state = findState(store, name, taken);
    if (!state)
        return fail(streams, state.error());
    if (auto saved = store.save(*state); !saved)
        return fail(streams, saved.error());
    if (taken)
        if (auto settled = store.settle(*taken); !settled)
            return fail(streams, settled.error());
    streams.err << name << " is the session now; what was there before is kept as a version.\n";
    return kDone;
}

} // namespace

void addVersionsCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand("versions", "Lists unsaved work and earlier saves, newest first");
    const auto folder = std::make_shared<std::string>();
    const auto json = std::make_shared<bool>(false);
    command->add_option("SESSION", *folder, "Session folder")->required();
    command->add_flag("--json", *json, "JSON on standard output");
    command->callback([&streams, &exitCode, folder, json] { exitCode = versions(streams, *folder, *json); });
}

void addRestoreCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand(
        "restore", "Makes an earlier save, or unsaved work, the session; keeps what was there");
    const auto folder = std::make_shared<std::string>();
    const auto name = std::make_shared<std::string>();
    command->add_option("SESSION", *folder, "Session folder")->required();
    command->add_option("NAME", *name, "As `versions` prints it")->required();
    command->callback([&streams, &exitCode, folder, name] { exitCode = restore(streams, *folder, *name); });
}

} // namespace cask::cli
