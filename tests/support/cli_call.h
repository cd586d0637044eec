// Runs a command of the command line in this process.
#pragma once

#include "cli/commands.h"

#include <sstream>
#include <string>
#include <vector>

namespace cask::test {

struct Ran {
    int code;
    std::string out;
    std::string err;
};

inline Ran call(std::vector<std::string> arguments) {
    arguments.insert(arguments.begin(), "ember-cask-cli");
    std::vector<const char*> argv;
    for (const auto& a : arguments)
        argv.push_back(a.c_str());
    std::ostringstream out;
    std::ostringstream err;
    const int code = cli::run(static_cast<int>(argv.size()), argv.data(), {out, err});
    return {code, out.str(), err.str()};
}

} // namespace cask::test
