#include "cli/commands.h"
#include "core/kit_measures/hit_analysis.h"
#include "core/project/hit_files.h"

#include <fmt/format.h>

#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

struct HitsOptions {
    std::string folder;
    bool asJson = false;
    bool asCsv = false;
    bool ownOnly = false;
    std::string outFolder;
    bool cues = false;
    bool overwrites = false;
};

int hits(Streams& streams, const HitsOptions& o) {
    const auto s = openSession(streams, o.folder);
    if (!s)
        return fail(streams, s.error());
    const auto found = findHits(streams, *s, o.folder);
    if (!found)
        return fail(streams, found.error());
    const auto& analysis = *found->analysis;
    const auto rows = project::hitRows(*s, analysis, o.ownOnly);
    if (o.asCsv)
        streams.out << project::hitsToCsv(rows);
    else if (o.asJson)
        streams.out << project::hitsToJson(*s, analysis, rows);
    else
        streams.out << project::hitsInWords(*s, analysis);
    if (!o.outFolder.empty()) {
        const auto written =
            project::writeHitFiles(*s, analysis, o.folder, o.outFolder, o.cues,
                                   o.overwrites ? IfExists::Replace : IfExists::Refuse, streams.cancel);
        if (!written)
            return failWriting(streams, written.error());
        for (const auto& path : *written)
            streams.err << "wrote " << path.string() << '\n';
    }
    return found->hasProblems ? kBadInput : kDone;
}

} // namespace

Result<FoundHits> findHits(Streams& streams, const session::Session& s, const std::string& folder) {
    const auto trails =
        project::measureTrails(s, folder, streams.cancel, progressTo(streams, "Searching for hits"));
    if (!trails)
        return trails.error();
    for (const auto& problem : trails->problems)
        streams.err << problem << '\n';
    auto analysis = kit::analyseHits(s, trails->lookup(), streams.cancel);
    if (!analysis)
        return analysis.error();
    return FoundHits{*analysis, !trails->problems.empty()};
}

void addHitsCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand(
        "hits", "Every hit of every drum: when, how loud, of which class, and where else it was heard");
    const auto o = std::make_shared<HitsOptions>();
    command->add_option("SESSION", o->folder, "Session folder")->required();
    command->add_flag(
        "--csv", o->asCsv,
        "Table on standard output: element,role,time_s,level_db,velocity,class,owner,confidence");
    command->add_flag("--json", o->asJson, "JSON on standard output, with tempo and timing");
    command->add_flag("--own", o->ownOnly, "Leave out what is spill");
    command->add_option("--out", o->outFolder,
                        "Folder for hits.csv, hits.json, hits.mid and a label file per element");
    command->add_flag("--overwrite", o->overwrites, "With --out: replace files of the same names");
    command->add_flag("--cues", o->cues,
                      "With --out: also a copy of each element's file with its own hits as cue marks");
    command->callback([&streams, &exitCode, o] { exitCode = hits(streams, *o); });
}

} // namespace cask::cli
