#include "cli/commands.h"

#include <fmt/format.h>

#include <cmath>
#include <memory>
#include <new>
#include <ostream>

namespace cask::cli {

int fail(Streams& streams, const Error& error) {
    streams.err << error.message << '\n';
    return kBadInput;
}

int failWriting(Streams& streams, const Error& error) {
    streams.err << error.message
                << (error.code == ErrorCode::Exists
                        ? " Nothing was written; --overwrite replaces what is there.\n"
                        : " Nothing was written.\n");
    return kBadInput;
}

ProgressFn progressTo(Streams& streams, std::string what) {
    if (!streams.showsProgress)
        return {};
    return [&streams, what = std::move(what), last = std::make_shared<int>(-1)](double share) {
        const int percent = static_cast<int>(std::lround(share * 100));
        if (percent == *last)
            return;
        *last = percent;
        streams.err << fmt::format("\r{} {} %", what, percent) << (percent >= 100 ? "\n" : "") << std::flush;
    };
}

void printJson(std::ostream& out, const nlohmann::ordered_json& json) {
    out << json.dump(2, ' ', false, nlohmann::ordered_json::error_handler_t::replace) << '\n';
}

namespace {

Result<session::Session> openFrom(Streams& streams, session::SessionStore& store) {
    auto opened = store.open();
    if (!opened) {
        if (const auto version = store.newestReadableVersion();
            version && opened.error().code != ErrorCode::NewerVersion)
            return Error{opened.error().code,
                         fmt::format("{} `ember-cask-cli restore \"{}\" {}` makes it the session.",
                                     opened.error().message, store.folder().string(), *version)};
        return opened.error();
    }
    for (const auto& note : opened->notes)
        streams.err << note << '\n';
    streams.hasProblems = streams.hasProblems || !opened->notes.empty();
    if (!opened->unsaved.empty())
        streams.err << fmt::format(
            "{} has unsaved work beside the saved state ({}); the saved state is used, and the "
            "unsaved work stays.\n",
            store.folder().string(), opened->unsaved.front().file);
    return std::move(opened->session);
}

} // namespace

Result<session::Session> openSession(Streams& streams, const std::string& folder) {
    session::SessionStore store(diskFileSystem(), folder);
    return openFrom(streams, store);
}

Status editSession(Streams& streams, const std::string& folder,
                   const std::function<Result<session::Session>(const session::Session&)>& change) {
    constexpr std::chrono::seconds kPatience(10);
    session::SessionStore store(diskFileSystem(), folder);
    if (!diskFileSystem().exists(folder)) // the lock would make it
        return Error{ErrorCode::NotFound, folder + " holds no session."};
    const auto lock = store.lock(kPatience);
    if (!lock)
        return Error{lock.error().code, lock.error().message + " Nothing was changed."};
    if (!(*lock)->caution().empty())
        streams.err << (*lock)->caution() << '\n';
    const auto opened = openFrom(streams, store);
    if (!opened)
        return opened.error();
    auto changed = change(*opened);
    if (!changed)
        return changed.error();
    return store.save(*changed);
}

int run(int argc, const char* const* argv, Streams streams) {
    CLI::App app{"Ember Cask: a bench for drum kits, on the command line"};
    app.set_version_flag("--version", "ember-cask-cli " CASK_VERSION);
    app.require_subcommand(1);
    int exitCode = kDone;
    addDemoCommand(app, streams, exitCode);
    addNewCommand(app, streams, exitCode);
    addCheckCommand(app, streams, exitCode);
    addHitsCommand(app, streams, exitCode);
    addSpillCommand(app, streams, exitCode);
    addAlignCommand(app, streams, exitCode);
    addBalanceCommand(app, streams, exitCode);
    addParallelCommand(app, streams, exitCode);
    addDriveCommand(app, streams, exitCode);
    addPushCommand(app, streams, exitCode);
    addDenseCommand(app, streams, exitCode);
    addRideCommand(app, streams, exitCode);
    addLoopCommand(app, streams, exitCode);
    addTriggerCommand(app, streams, exitCode);
    addCrowdCommand(app, streams, exitCode);
    addShelfCommand(app, streams, exitCode);
    addLayerCommand(app, streams, exitCode);
    addBounceCommand(app, streams, exitCode);
    addRecipeCommand(app, streams, exitCode);
    addTrimCommand(app, streams, exitCode);
    addStateCommand(app, streams, exitCode);
    addReferenceCommand(app, streams, exitCode);
    addPatternCommand(app, streams, exitCode);
    addStackCommand(app, streams, exitCode);
    addAdviseCommand(app, streams, exitCode);
    addWishCommand(app, streams, exitCode);
    addApplyCommand(app, streams, exitCode);
    addSetCommand(app, streams, exitCode);
    addParametersCommand(app, streams, exitCode);
    addVersionsCommand(app, streams, exitCode);
    addRestoreCommand(app, streams, exitCode);
    addRelinkCommand(app, streams, exitCode);
    addRenderCommand(app, streams, exitCode);
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& error) {
        exitCode = app.exit(error, streams.out, streams.err) == 0 ? kDone : kWrongUse;
    } catch (const std::bad_alloc&) {
        streams.err << "There is not enough memory for that; nothing more was done.\n";
        return kBadInput;
    } catch (const std::exception& error) {
        streams.err << fmt::format("This should not happen: {}. Nothing more was done.\n", error.what());
        return kBadInput;
    }
    if (!streams.out.flush()) {
        streams.err << "The results can't be written to standard output: is the disk full?\n";
        return kBadInput;
    }
    return exitCode == kDone && streams.hasProblems ? kBadInput : exitCode;
}

} // namespace cask::cli
