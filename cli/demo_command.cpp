#include "cli/commands.h"
#include "core/demo/demo_session.h"
#include "core/demo/programmed_demo.h"

#include <memory>
#include <ostream>

namespace cask::cli {

void addDemoCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand("demo", "Writes a demo session: a made-up kit with its truth");
    struct Options {
        std::string folder;
        bool isProgrammed = false;
    };
    const auto o = std::make_shared<Options>();
    command->add_option("DIR", o->folder, "Session folder to make, for example Demo.cask")->required();
    command->add_flag("--programmed", o->isProgrammed,
                      "A programmed kit whose drums are stacks, instead of a recorded one");
    command->callback([&streams, &exitCode, o] {
        const auto progress = progressTo(streams, "Writing the demo session");
        const auto written = o->isProgrammed ? demo::writeProgrammedDemo(o->folder, streams.cancel, progress)
                                             : demo::writeDemoSession(o->folder, streams.cancel, progress);
        if (!written)
            exitCode = fail(streams, written.error());
        else
            streams.out << written->string() << '\n';
    });
}

} // namespace cask::cli
