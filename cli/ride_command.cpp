// A value ridden by a rule over hits.
#include "cli/commands.h"
#include "cli/rule_options.h"
#include "core/project/played_files.h"
#include "core/project/rule_ride.h"
#include "core/session/parameter_path.h"

#include <fmt/format.h>

#include <algorithm>
#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

using Json = nlohmann::ordered_json;
using session::RideChoice;
using session::Session;

struct RideOptions {
    std::string folder, owner, value, hitsOf;
    RuleOptions rule;
    project::HitShape shape;
    bool json = false;
};

int list(Streams& streams, const std::vector<RideChoice>& choices, bool json) {
    if (json) {
        Json values = Json::array();
        for (const auto& choice : choices)
            values.push_back({{"value", choice.words}, {"set", choice.set}});
        printJson(streams.out, values);
        return kDone;
    }
    for (const auto& choice : choices)
        streams.out << choice.words << '\n';
    return kDone;
}

int ride(Streams& streams, const RideOptions& o) {
    const auto s = openSession(streams, o.folder);
    if (!s)
        return fail(streams, s.error());
    const auto owner = session::findOwner(*s, o.owner);
    if (!owner)
        return fail(streams, {ErrorCode::NotFound, fmt::format("There is no \"{}\".", o.owner)});
    const auto choices = session::rideChoices(*s, *owner);
    if (o.value.empty())
        return list(streams, choices, o.json);
    const auto choice =
        std::find_if(choices.begin(), choices.end(), [&](const RideChoice& c) { return c.words == o.value; });
    if (choice == choices.end())
        return fail(
            streams,
            {ErrorCode::NotFound,
             fmt::format("{} has no \"{}\" that can be ridden; without a name, what it has is listed.",
                         o.owner, o.value)});
    if (o.shape.change == 0)
        return fail(streams, {ErrorCode::BadValue, "Say by how much it moves with --change."});
    const std::string& of = o.hitsOf.empty() ? o.owner : o.hitsOf;
    const auto element = session::findOwner(*s, of);
    if (!element || s->element(*element) == nullptr)
        return fail(streams, {ErrorCode::NotFound,
                              fmt::format("There is no element \"{}\": say whose hits with --hits-of.", of)});
    const auto found = findHits(streams, *s, o.folder);
    if (!found)
        return fail(streams, found.error());
    const auto strikes = project::strikesOf(*s, *found->analysis, *element);
    const auto rule = o.rule.made();
    if (layers::strikesOf(rule, strikes).empty())
        return fail(streams,
                    {ErrorCode::Empty, fmt::format("None of the {} hits of {} is meant; nothing was changed.",
                                                   strikes.size(), of)});
    std::size_t chosen = 0;
    const auto saved = editSession(streams, o.folder, [&](const Session& newest) -> Result<Session> {
        if (newest.output(*owner) == nullptr)
            return Error{ErrorCode::ChangedOnDisk, fmt::format("{} is there no more.", o.owner)};
        return project::withRuledRide(newest, choice->place, strikes, rule, o.shape, &chosen);
    });
    if (!saved)
        return fail(streams, saved.error());
    if (o.json)
        printJson(streams.out,
                  {{"value", choice->words}, {"hits_of", of}, {"hits", strikes.size()}, {"chosen", chosen}});
    else
        streams.out << fmt::format("The {} of {} moves at {} of {} hits of {}.\n", choice->words, o.owner,
                                   chosen, strikes.size(), of);
    return kDone;
}

} // namespace

void addRideCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand("ride", "Rides a value at the hits that a rule chooses");
    const auto o = std::make_shared<RideOptions>();
    command->add_option("SESSION", o->folder, "Session folder")->required();
    command->add_option("NAME", o->owner, "The element or bus")->required();
    command->add_option("VALUE", o->value, "What is ridden, as it is listed without it");
    command->add_option("--hits-of", o->hitsOf, "Whose hits (default: its own)");
    command->add_option("--change", o->shape.change, "By so much, in the value's unit");
    command->add_option("--ahead", o->shape.aheadMs, "There so long before a hit, ms")
        ->check(CLI::Range(0.0, 1000.0));
    command->add_option("--glide", o->shape.glideMs, "Within so long, ms")->check(CLI::Range(0.0, 10000.0));
    command->add_option("--hold", o->shape.holdMs, "For so long behind the hit, ms")
        ->check(CLI::Range(0.0, 60000.0));
    command->add_option("--back", o->shape.backMs, "Back within so long, ms")
        ->check(CLI::Range(1.0, 60000.0));
    addRuleOptions(*command, o->rule);
    command->add_flag("--json", o->json, "JSON on standard output");
    command->callback([&streams, &exitCode, o] { exitCode = ride(streams, *o); });
}

} // namespace cask::cli
