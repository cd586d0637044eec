#include "cli/commands.h"
#include "core/session/reference.h"

#include <memory>
#include <ostream>

namespace cask::cli {

void addParametersCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand("parameters", "Lists every parameter with its range and its meaning");
    const auto schema = std::make_shared<bool>(false);
    command->add_flag("--schema", *schema, "JSON Schema of a module instead");
    command->callback([&streams, &exitCode, schema] {
        streams.out << (*schema ? session::moduleSchema() + "\n" : session::parameterPage());
        exitCode = kDone;
    });
}

} // namespace cask::cli
