#include "cli/commands.h"
#include "core/project/bounce.h"
#include "core/project/offline_sources.h"
#include "core/project/played_files.h"
#include "core/session/parameter_path.h"

#include <fmt/format.h>

#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

using session::Session;

struct BounceOptions {
    std::string folder, what, out, name;
    double fromS = 0;
    double toS = 0;
    bool replaces = false;
    bool onlyFile = false;
    bool json = false;
};

int bounce(Streams& streams, const BounceOptions& o) {
    const auto s = openSession(streams, o.folder);
    if (!s)
        return fail(streams, s.error());
    const auto what = session::findOwner(*s, o.what);
    if (!what)
        return fail(streams,
                    {ErrorCode::NotFound, fmt::format("There is no element or bus \"{}\".", o.what)});
    if (const auto can = project::canBeReplaced(*s, *what); o.replaces && !can)
        return fail(streams, can.error());
    project::BouncePart part{*what, secondsToFrames(o.fromS, s->sampleRateHz), 0};
    if (o.toS != 0) {
        part.frames = secondsToFrames(o.toS, s->sampleRateHz) - part.from;
        if (part.frames <= 0)
            return fail(streams, {ErrorCode::BadValue,
                                  fmt::format("{:g} s to {:g} s holds nothing: the end must lie after "
                                              "the beginning.",
                                              o.fromS, o.toS)});
    }
    const auto sources =
        project::openOfflineSources(*s, o.folder, streams.cancel, progressTo(streams, "Opening files"));
    if (!sources)
        return fail(streams, sources.error());
    for (const auto& problem : sources->problems)
        streams.err << problem << '\n';
    if (!sources->problems.empty())
        return fail(streams, {ErrorCode::NotReadable, "Nothing was rendered."});
    auto file = std::filesystem::path(o.out);
    if (o.out.empty()) {
        const auto folder = session::SessionStore(diskFileSystem(), o.folder).audioFolder();
        std::error_code error;
        std::filesystem::create_directories(folder, error);
        if (error)
            return fail(streams, {ErrorCode::NotWritable,
                                  fmt::format("{} can't be made: {}.", folder.string(), error.message())});
        file = project::freeBounceName(folder, s->nameOf(*what));
    }
    const auto protectedFiles = project::protectedFiles(*s, o.folder);
    auto made = project::bounce(*s, sources->lookup(), part, std::filesystem::absolute(file),
                                {IfExists::Refuse, &protectedFiles}, streams.cancel,
                                progressTo(streams, "Rendering"));
    if (!made)
        return failWriting(streams, made.error());
    const std::string written = made->path;
    made->path = session::storedPath(written, o.folder);
    std::string name = o.name.empty() ? s->nameOf(*what) + " bounced" : o.name;
    if (!o.onlyFile) {
        const auto saved = editSession(streams, o.folder, [&](const Session& newest) -> Result<Session> {
            if (newest.output(*what) == nullptr)
                return Error{ErrorCode::ChangedOnDisk,
                             fmt::format("{} is in {} no more; the file stays.", o.what, o.folder)};
            auto bounced = project::withBounced(newest, *made, part, name, o.replaces);
            name = bounced.session.nameOf(bounced.element);
            return std::move(bounced.session);
        });
        if (!saved)
            return fail(streams, saved.error());
    }
    if (o.json) {
        nlohmann::ordered_json json{{"file", written}, {"frames", made->frames}};
        if (!o.onlyFile) {
            json["element"] = name;
            json["muted"] = o.replaces ? nlohmann::ordered_json(o.what) : nlohmann::ordered_json();
        }
        printJson(streams.out, json);
    } else if (o.onlyFile) {
        streams.out << written << '\n';
    } else {
        streams.out << fmt::format("{} is an element now, from {}{}.\n", name, written,
                                   o.replaces ? "; " + o.what + " is muted" : "");
    }
    return kDone;
}

} // namespace

void addBounceCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand("bounce", "Renders an element or bus to a file and takes it in");
    const auto o = std::make_shared<BounceOptions>();
    command->add_option("SESSION", o->folder, "Session folder")->required();
    command->add_option("NAME", o->what, "The element, bus or parallel path")->required();
    command->add_option("--out", o->out, "The file (default: in the session's own folder of sound)");
    command->add_option("--name", o->name, "Name of the new element");
    command->add_option("--from", o->fromS, "From this second on")->check(CLI::NonNegativeNumber);
    command->add_option("--to", o->toS, "To this second")->check(CLI::PositiveNumber);
    command->add_flag("--replace", o->replaces, "Mutes what was rendered: the sum stays what it was");
    command->add_flag("--file-only", o->onlyFile, "Writes the file and leaves the session as it is");
    command->add_flag("--json", o->json, "JSON on standard output");
    command->callback([&streams, &exitCode, o] { exitCode = bounce(streams, *o); });
}

} // namespace cask::cli
