#include "cli/commands.h"
#include "core/demo/demo_session.h"

#include <memory>
#include <ostream>

namespace cask::cli {

void addDemoCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand("demo", "Writes the demo session: a made-up kit with its truth");
    const auto folder = std::make_shared<std::string>();
    command->add_option("DIR", *folder, "Session folder to make, for example Demo.cask")->required();
    command->callback([&streams, &exitCode, folder] {
        const auto written =
            demo::writeDemoSession(*folder, streams.cancel, progressTo(streams, "Writing the demo session"));
        if (!written)
            exitCode = fail(streams, written.error());
        else
            streams.out << written->string() << '\n';
    });
}

} // namespace cask::cli
