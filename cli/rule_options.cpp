#include "cli/rule_options.h"

namespace cask::cli {

layers::LayerRule RuleOptions::made() const {
    layers::LayerRule made = rule;
    made.kind = kind == "accents"     ? layers::StrikeKind::Accents
                : kind == "no-ghosts" ? layers::StrikeKind::NoGhosts
                : kind == "ghosts"    ? layers::StrikeKind::Ghosts
                                      : layers::StrikeKind::All;
    if (velocities.size() == 2) {
        made.lowVelocity = velocities[0];
        made.highVelocity = velocities[1];
    }
    return made;
}

void addRuleOptions(CLI::App& command, RuleOptions& o) {
    command.add_option("--rule", o.kind, "all, accents, no-ghosts or ghosts")
        ->check(CLI::IsMember({"all", "accents", "no-ghosts", "ghosts"}));
    command.add_option("--velocity", o.velocities, "Only from one velocity to another, 1 to 127")
        ->expected(2);
    command.add_option("--every", o.rule.every, "Every Nth hit")->check(CLI::Range(1, 1000));
    command.add_option("--first", o.rule.first, "Beginning with this one")->check(CLI::Range(1, 1000));
    command.add_flag("--never-in-rolls", o.rule.neverInRolls, "No hit of a roll");
    command.add_option("--chance", o.rule.chancePercent, "Percent")->check(CLI::Range(0.0, 100.0));
    command.add_option("--seed", o.rule.seed, "Of chance and alternates");
}

} // namespace cask::cli
