#include "cli/commands.h"
#include "core/project/source_check.h"

#include <fmt/format.h>

#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

/// The file of a session by its name or path; kNoId when there is none, or more than one of that name.
session::Id findFile(const session::Session& s, const std::string& wanted) {
    session::Id found = session::kNoId;
    for (const auto& file : s.files) {
        if (file->path == wanted)
            return file->id;
        if (std::filesystem::path(file->path).filename() != wanted)
            continue;
        if (found != session::kNoId)
            return session::kNoId;
        found = file->id;
    }
    return found;
}

int relink(Streams& streams, const std::string& folder, const std::string& file, const std::string& path) {
    const auto saved =
        editSession(streams, folder, [&](const session::Session& s) -> Result<session::Session> {
            const auto id = findFile(s, file);
            if (id == session::kNoId)
                return Error{
                    ErrorCode::NotFound,
                    fmt::format(
                        "The session has no file \"{}\", or more than one of that name; its whole path is "
                        "wanted then.",
                        file)};
            std::error_code error;
            const auto where = path.empty() ? session::resolvePath(*s.file(id), folder)
                                            : std::filesystem::absolute(path, error).lexically_normal();
            auto now = project::sourceAsItIs(s, id, where, streams.cancel);
            if (!now)
                return now.error();
            if (path.empty()) // it stays where it is, also when that is told by the session's own folder
                now->path = s.file(id)->path;
            session::Session next = s;
            for (auto& item : next.files)
                if (item->id == id)
                    item.edit([&](session::SourceFile& f) { f = *now; });
            return next;
        });
    return saved ? kDone : fail(streams, saved.error());
}

} // namespace

void addRelinkCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command =
        app.add_subcommand("relink", "Takes a file of the session as it is now, or from another place");
    struct Options {
        std::string folder, file, path;
    };
    const auto o = std::make_shared<Options>();
    command->add_option("SESSION", o->folder, "Session folder")->required();
    command->add_option("FILE", o->file, "Name or path of the file as the session knows it")->required();
    command->add_option("PATH", o->path,
                        "Where it is now (default: where it was; a changed file is accepted)");
    command->callback([&streams, &exitCode, o] { exitCode = relink(streams, o->folder, o->file, o->path); });
}

} // namespace cask::cli
