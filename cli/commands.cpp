#include "cli/commands.h"

#include <fmt/format.h>

#include <cmath>
#include <memory>
#include <ostream>

namespace cask::cli {

int fail(Streams& streams, const Error& error) {
    streams.err << error.message << '\n';
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

Result<session::Session> openSession(Streams& streams, const std::string& folder) {
    auto opened = session::SessionStore(diskFileSystem(), folder).open();
    if (!opened)
        return opened.error();
    for (const auto& note : opened->notes)
        streams.err << note << '\n';
    if (opened->unsaved)
        streams.err << folder << " has unsaved work beside the saved state; the saved state is used.\n";
    return std::move(opened->session);
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
    addAdviseCommand(app, streams, exitCode);
    addApplyCommand(app, streams, exitCode);
    addSetCommand(app, streams, exitCode);
    addRenderCommand(app, streams, exitCode);
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& error) {
        return app.exit(error, streams.out, streams.err) == 0 ? kDone : kWrongUse;
    }
    return exitCode;
}

} // namespace cask::cli
