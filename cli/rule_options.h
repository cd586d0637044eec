// Options of commands that choose among hits by a rule.
#pragma once

#include <CLI/CLI.hpp>

#include <core/layers/layer.h>
#include <string>
#include <vector>

namespace cask::cli {

struct RuleOptions {
    std::string kind = "all";
    std::vector<double> velocities;
    layers::LayerRule rule;
    /// With what was given by words.
    [[nodiscard]] layers::LayerRule made() const;
};
void addRuleOptions(CLI::App& command, RuleOptions& o);

} // namespace cask::cli
