#include "cli/commands.h"
#include "core/advise/role_guess.h"
#include "core/base/utf8.h"
#include "core/project/intake_files.h"
#include "core/project/measured_files.h"

#include <fmt/format.h>

#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

struct Options {
    std::string folder;
    std::vector<std::string> inputs;
    double rateHz = 0;
    bool json = false;
};

/// Files whose names say nothing are listened to.
session::Session withRolesFromSound(session::Session s, const std::string& folder, Streams& streams) {
    for (const auto& e : std::vector(s.elements)) {
        const auto* file = s.file(e->channels.front().file);
        if (e->roleConfidence > 0 || file->channels > 2)
            continue;
        const auto progress = progressTo(streams, "Listening to " + e->name);
        const auto measured = project::measureFile(*file, folder, s.sampleRateHz, streams.cancel, progress);
        if (const auto& analysis = measured.measure.analysis)
            s = advise::withRoleFromSound(std::move(s), file->id, analysis->facts);
    }
    return s;
}

int makeSession(Streams& streams, const Options& o) {
    session::SessionStore store(diskFileSystem(), o.folder);
    const bool wasThere = diskFileSystem().exists(o.folder);
    const auto lock = store.lock();
    if (!lock)
        return fail(streams, lock.error());
    // A folder that was made for nothing goes again.
    const auto fail = [&](Streams& to, const Error& error) {
        std::error_code ignored;
        if (!wasThere) {
            std::filesystem::remove_all(store.cacheFolder(), ignored);
            std::filesystem::remove(std::filesystem::path(o.folder) / ".lock", ignored);
            std::filesystem::remove(o.folder, ignored);
        }
        return cli::fail(to, error);
    };
    if (diskFileSystem().exists(store.sessionFile()))
        return fail(streams,
                    {ErrorCode::NotWritable, o.folder + " holds a session already; it was left as it is."});
    const std::vector<std::filesystem::path> paths(o.inputs.begin(), o.inputs.end());
    const auto scan = project::scanIntake(paths, streams.cancel, progressTo(streams, "Reading the files"));
    if (streams.cancel.isCancelled())
        return fail(streams, {ErrorCode::Cancelled, "Stopped; no session was made."});
    for (const auto& sentence : scan.problems)
        streams.err << sentence << '\n';
    for (const auto& sentence : scan.warnings)
        streams.err << sentence << '\n';
    if (scan.files.empty())
        return fail(streams, {ErrorCode::Empty, "None of the files could be imported; no session was made."});
    auto s = session::emptySession(o.rateHz > 0 ? o.rateHz : session::commonRate(scan.files));
    s.name = toUtf8(std::filesystem::path(o.folder).stem().string());
    s = session::withFiles(std::move(s), scan.files);
    s = withRolesFromSound(std::move(s), o.folder, streams);
    if (streams.cancel.isCancelled())
        return fail(streams, {ErrorCode::Cancelled, "Stopped; no session was made."});
    if (auto saved = store.save(s); !saved)
        return fail(streams, saved.error());
    if (o.json) {
        nlohmann::ordered_json json{{"session", o.folder}, {"sample_rate_hz", s.sampleRateHz}};
        json["elements"] = nlohmann::ordered_json::array();
        for (const auto& e : s.elements)
            json["elements"].push_back({{"element", e->name},
                                        {"role", roleInfo(e->role).id},
                                        {"role_confidence", e->roleConfidence},
                                        {"channels", e->channels.size()},
                                        {"bus", s.nameOf(e->out.bus)}});
        json["problems"] = scan.problems;
        json["warnings"] = scan.warnings;
        printJson(streams.out, json);
    } else {
        for (const auto& e : s.elements)
            streams.out << fmt::format("{:<28} {:<14} {:<7} to {}\n", e->name, roleInfo(e->role).name,
                                       e->isStereo() ? "stereo" : "mono", s.nameOf(e->out.bus));
    }
    return scan.problems.empty() ? kDone : kBadInput;
}

} // namespace

void addNewCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand("new", "Makes a session from sound files and folders");
    const auto o = std::make_shared<Options>();
    command->add_option("DIR", o->folder, "Session folder to make")->required();
    command->add_option("FILES", o->inputs, "Files and folders to import")->required();
    command->add_option("--rate", o->rateHz, "Sample rate of the session, Hz (default: that of most files)")
        ->check(CLI::Range(8000.0, 384000.0));
    command->add_flag("--json", o->json, "JSON on standard output");
    command->callback([&streams, &exitCode, o] { exitCode = makeSession(streams, *o); });
}

} // namespace cask::cli
