#include "cli/commands.h"
#include "core/kit_measures/partners.h"
#include "core/project/offline_sources.h"

#include <fmt/format.h>

#include <cmath>
#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

int align(Streams& streams, const std::string& folder, bool asJson) {
    const auto s = openSession(streams, folder);
    if (!s)
        return fail(streams, s.error());
    const auto sources =
        project::openOfflineSources(*s, folder, streams.cancel, progressTo(streams, "Opening files"));
    if (!sources)
        return fail(streams, sources.error());
    for (const auto& problem : sources->problems)
        streams.err << problem << '\n';
    const auto trails =
        project::measureTrails(*s, folder, streams.cancel, progressTo(streams, "Searching for hits"));
    if (!trails)
        return fail(streams, trails.error());
    const auto hits = kit::analyseHits(*s, trails->lookup(), streams.cancel);
    if (!hits)
        return fail(streams, hits.error());
    const auto pairs = kit::alignPartners(*s, **hits, sources->lookup(), streams.cancel,
                                          progressTo(streams, "Measuring pairs"));
    if (!pairs)
        return fail(streams, pairs.error());
    nlohmann::ordered_json list = nlohmann::ordered_json::array();
    for (const auto& pair : *pairs) {
        const auto& a = pair.alignment;
        if (a.hits == 0 && !asJson) {
            streams.out << fmt::format("{} and {}: no hits to go by\n", s->nameOf(pair.first),
                                       s->nameOf(pair.second));
            continue;
        }
        if (asJson)
            list.push_back({{"first", s->nameOf(pair.first)},
                            {"second", s->nameOf(pair.second)},
                            {"near", pair.isNear},
                            {"hits", a.hits},
                            {"delay_ms", a.delayMs},
                            {"inverted", a.isInverted},
                            {"confidence", a.confidence},
                            {"low_sum_db", a.lowSumDb},
                            {"low_sum_moved_db", a.lowSumMovedDb}});
        else
            streams.out << fmt::format(
                "{} and {}: {:.2f} ms {}, {}; sum from {:.0f} to {:.0f} Hz {:+.1f} dB, {:+.1f} dB "
                "when moved (confidence {} %)\n",
                s->nameOf(pair.first), s->nameOf(pair.second), std::abs(a.delayMs),
                a.delayMs < 0 ? "early" : "late", a.isInverted ? "inverted" : "same polarity", a.low.fromHz,
                a.low.toHz, a.lowSumDb, a.lowSumMovedDb, std::lround(100 * a.confidence));
    }
    if (asJson)
        printJson(streams.out, {{"pairs", std::move(list)}});
    else if (pairs->empty())
        streams.out << "There are no two microphones of one drum in this session.\n";
    return sources->problems.empty() ? kDone : kBadInput;
}

} // namespace

void addAlignCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand(
        "align", "Delay, polarity and low-end sum of the microphones that hear one drum; changes nothing");
    const auto folder = std::make_shared<std::string>();
    const auto json = std::make_shared<bool>(false);
    command->add_option("SESSION", *folder, "Session folder")->required();
    command->add_flag("--json", *json, "JSON on standard output");
    command->callback([&streams, &exitCode, folder, json] { exitCode = align(streams, *folder, *json); });
}

} // namespace cask::cli
