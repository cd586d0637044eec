#include "cli/commands.h"
#include "core/kit_measures/trim_to_target.h"

#include <fmt/format.h>

#include <cmath>
#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

struct TrimOptions {
    std::string folder;
    double peakDb = -12;
    bool applies = false;
    bool asJson = false;
};

int trim(Streams& streams, const TrimOptions& o) {
    const auto s = openSession(streams, o.folder);
    if (!s)
        return fail(streams, s.error());
    const auto found = findHits(streams, *s, o.folder);
    if (!found)
        return fail(streams, found.error());
    const auto steps = kit::trimToTarget(*s, *found->analysis, o.peakDb);
    if (o.applies && !steps.empty()) {
        const auto saved =
            editSession(streams, o.folder, [&](const session::Session& newest) -> Result<session::Session> {
                if (newest != *s)
                    return Error{ErrorCode::ChangedOnDisk, o.folder + " was changed while it was measured; "
                                                                      "nothing was changed."};
                return kit::withTrims(newest, steps);
            });
        if (!saved)
            return fail(streams, saved.error());
    }
    nlohmann::ordered_json list = nlohmann::ordered_json::array();
    for (const auto& step : steps) {
        const auto name = s->nameOf(step.element);
        if (o.asJson)
            list.push_back({{"element", name},
                            {"parameter", "trim_db"},
                            {"before", inHundredths(step.beforeDb)},
                            {"after", inHundredths(step.afterDb)},
                            {"accents_db", inHundredths(step.accentDb)},
                            {"hits", step.hits},
                            {"thresholds", step.thresholds}});
        else
            streams.out << fmt::format(
                "{:<18} trim {:.1f} dB to {:.1f} dB: accents at {:.1f} dBFS ({} hits), {} "
                "thresholds move along\n",
                name, step.beforeDb, step.afterDb, step.accentDb, step.hits, step.thresholds);
    }
    if (o.asJson)
        printJson(streams.out,
                  {{"target_peak_db", o.peakDb}, {"applied", o.applies}, {"steps", std::move(list)}});
    else if (steps.empty())
        streams.out << fmt::format("Every element with own hits is at {:.1f} dBFS.\n", o.peakDb);
    return found->hasProblems ? kBadInput : kDone;
}

} // namespace

void addTrimCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand(
        "trim", "Own accents of every element at one peak, by trim; thresholds move along");
    const auto o = std::make_shared<TrimOptions>();
    command->add_option("SESSION", o->folder, "Session folder")->required();
    command->add_option("--peak", o->peakDb, "Peak of own accents, dBFS (default -12)")
        ->check(CLI::Range(-60.0, 0.0));
    command->add_flag("--apply", o->applies, "Takes the steps and saves the session");
    command->add_flag("--json", o->asJson, "JSON on standard output");
    command->callback([&streams, &exitCode, o] { exitCode = trim(streams, *o); });
}

} // namespace cask::cli
