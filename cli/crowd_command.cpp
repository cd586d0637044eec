// Elements that would not be missed, and those that are heard as one drum.
#include "cli/commands.h"
#include "core/kit_measures/crowding.h"
#include "core/project/offline_sources.h"

#include <fmt/format.h>

#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

using Json = nlohmann::ordered_json;

struct CrowdOptions {
    std::string folder;
    bool json = false;
};

int crowd(Streams& streams, const CrowdOptions& o) {
    const auto s = openSession(streams, o.folder);
    if (!s)
        return fail(streams, s.error());
    const auto sources =
        project::openOfflineSources(*s, o.folder, streams.cancel, progressTo(streams, "Reading files"));
    if (!sources)
        return fail(streams, sources.error());
    for (const auto& problem : sources->problems)
        streams.err << problem << '\n';
    const auto found = kit::measureCrowding(*s, sources->lookup(), streams.cancel,
                                            progressTo(streams, "Muting each in turn"));
    if (!found)
        return fail(streams, found.error());
    Json list = Json::array();
    for (const auto& one : *found) {
        const auto nameOf = [&](int at) { return s->nameOf((*found)[static_cast<std::size_t>(at)].element); };
        const std::string name = s->nameOf(one.element);
        Json json{{"element", name},
                  {"most_lost_db", inHundredths(one.part.mostLostDb)},
                  {"most_lost_hz", one.part.mostLostHz},
                  {"silent", one.part.isSilent},
                  {"changes_nothing", one.changesNothing()}};
        if (one.part.likest >= 0) {
            json["moves_most_with"] = nameOf(one.part.likest);
            json["correlation"] = inHundredths(one.part.likeness);
            json["one_drum"] = one.isOneWith();
        }
        list.push_back(std::move(json));
        if (o.json)
            continue;
        std::string text = one.part.isSilent ? "is silent"
                                             : fmt::format("muted, {:.0f} Hz loses {:.1f} dB",
                                                           one.part.mostLostHz, one.part.mostLostDb);
        if (one.changesNothing())
            text += ": it changes nothing";
        if (one.isOneWith())
            text +=
                fmt::format("; heard as one with {} ({:.2f})", nameOf(one.part.likest), one.part.likeness);
        streams.out << fmt::format("{:<16} {}\n", name, text);
    }
    if (o.json)
        printJson(streams.out, {{"elements", std::move(list)}});
    return kDone;
}

} // namespace

void addCrowdCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand(
        "crowd", "Each element muted in turn: who would not be missed, and who is heard as one with whom");
    auto o = std::make_shared<CrowdOptions>();
    command->add_option("SESSION", o->folder, "Session folder")->required();
    command->add_flag("--json", o->json, "JSON on standard output");
    command->callback([&streams, &exitCode, o] { exitCode = crowd(streams, *o); });
}

} // namespace cask::cli
