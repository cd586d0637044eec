#include "cli/commands.h"
#include "core/advise/house_style_files.h"
#include "core/kit_measures/densify.h"
#include "core/project/offline_sources.h"
#include "core/session/parameter_path.h"

#include <fmt/format.h>

#include <cmath>
#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

using Json = nlohmann::ordered_json;

struct DenseOptions {
    std::string folder;
    std::string bus = "Kit";
    std::string approach;
    double byDb = 2;
    bool applies = false;
    bool asJson = false;
};

int dense(Streams& streams, const DenseOptions& o) {
    const auto s = openSession(streams, o.folder);
    if (!s)
        return fail(streams, s.error());
    const auto bus = session::findOwner(*s, o.bus);
    if (!bus || s->bus(*bus) == nullptr)
        return fail(streams, {ErrorCode::NotFound, fmt::format("There is no bus \"{}\".", o.bus)});
    const auto style = advise::loadHouseStyles().find(s->houseStyle);
    const auto found = findHits(streams, *s, o.folder);
    if (!found)
        return fail(streams, found.error());
    const auto sources =
        project::openOfflineSources(*s, o.folder, streams.cancel, progressTo(streams, "Opening files"));
    if (!sources)
        return fail(streams, sources.error());
    auto ways = kit::densify(*s, *bus, o.byDb, *found->analysis, sources->lookup(), style, streams.cancel,
                             progressTo(streams, "Searching"));
    if (!ways)
        return fail(streams, ways.error());
    if (!o.approach.empty())
        std::erase_if(*ways,
                      [&](const auto& way) { return kit::denseApproachId(way.approach) != o.approach; });
    const bool isTaken = o.applies && !ways->empty() && ways->front().isReached;
    if (isTaken) {
        const auto saved =
            editSession(streams, o.folder, [&](const session::Session& newest) -> Result<session::Session> {
                if (newest != *s)
                    return Error{ErrorCode::ChangedOnDisk,
                                 o.folder + " was changed while it was measured; nothing was changed."};
                return ways->front().session;
            });
        if (!saved)
            return fail(streams, saved.error());
    }
    Json list = Json::array();
    for (const auto& way : *ways) {
        const auto words = kit::inWords(way, *s, *bus);
        list.push_back({{"approach", kit::denseApproachId(way.approach)},
                        {"words", words},
                        {"reached", way.isReached},
                        {"denser_db", inHundredths(way.denserDb)},
                        {"cymbals_db", inHundredths(way.cymbalsDb)},
                        {"kept_attack_db", inHundredths(way.keptAttackDb)},
                        {"sustain_db", inHundredths(way.sustainDb)},
                        {"amount", inHundredths(way.amount)}});
        if (!o.asJson)
            streams.out << fmt::format(
                "{}{}: {:+.1f} dB denser, cymbals {:+.1f} dB, first 10 ms {:+.1f} dB, tails "
                "{:+.1f} dB\n",
                way.isReached ? "" : "not reached: ", words, way.denserDb, way.cymbalsDb, way.keptAttackDb,
                way.sustainDb);
    }
    if (o.asJson)
        printJson(streams.out,
                  {{"bus", o.bus}, {"by_db", o.byDb}, {"applied", isTaken}, {"ways", std::move(list)}});
    else if (o.applies)
        streams.out << (isTaken ? "The first way is taken.\n" : "No way reaches it; nothing was changed.\n");
    return found->hasProblems ? kBadInput : kDone;
}

} // namespace

void addDenseCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand(
        "dense",
        "Makes a bus denser by so many dB: on the bus, on every shell or by a path, each with its price");
    const auto o = std::make_shared<DenseOptions>();
    command->add_option("SESSION", o->folder, "Session folder")->required();
    command->add_option("--by", o->byDb, "How much denser, dB of loudness against true peak (default 2)")
        ->check(CLI::Range(0.2, 12.0));
    command->add_option("--bus", o->bus, "The bus (default: Kit)");
    command->add_option("--approach", o->approach, "Only this one: bus, elements, path or none")
        ->check(CLI::IsMember({"bus", "elements", "path"}));
    command->add_flag("--apply", o->applies, "Takes the first way and saves the session");
    command->add_flag("--json", o->asJson, "JSON on standard output");
    command->callback([&streams, &exitCode, o] { exitCode = dense(streams, *o); });
}

} // namespace cask::cli
