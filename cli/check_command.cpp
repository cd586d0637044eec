#include "cli/commands.h"
#include "cli/punch_report.h"

#include <fmt/format.h>

#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

using Json = nlohmann::ordered_json;

int check(Streams& streams, const std::string& folder, bool asJson) {
    const auto advice = findAdvice(streams, folder, {}, kit::KitDepth::Files);
    if (!advice)
        return fail(streams, advice.error());
    const auto& s = advice->session;
    Json list = Json::array();
    if (!asJson)
        streams.out << fmt::format("{:<30} {:>10} {:>10} {:>10} {:>10} {:>6}\n", "file", "peak dBFS",
                                   "peak dBTP", "RMS dBFS", "LUFS", "hits");
    bool isBad = false;
    for (const auto& file : s.files) {
        Json entry{{"file", file->path}};
        if (const auto& analysis = advice->measures.files.at(file->id).analysis) {
            const auto& f = analysis->facts;
            entry["peak_db"] = f.levels.peakDb;
            entry["true_peak_db"] = f.loudness.truePeakDb;
            entry["rms_db"] = f.levels.rmsDb;
            entry["crest_db"] = f.levels.crestDb();
            entry["integrated_lufs"] = f.loudness.integratedLufs;
            entry["noise_floor_db"] = f.levels.noiseFloorDb;
            entry["dc_offset"] = f.levels.dcOffset;
            entry["clipped_runs"] = f.levels.clippedRunCount;
            entry["arrivals"] = f.arrivals;
            if (!asJson)
                streams.out << fmt::format("{:<30} {:>10.1f} {:>10.1f} {:>10.1f} {:>10.1f} {:>6}\n",
                                           file->path, f.levels.peakDb, f.loudness.truePeakDb, f.levels.rmsDb,
                                           f.loudness.integratedLufs, f.arrivals);
        }
        entry["problems"] = Json::array();
        for (const auto& finding : advice->findings) {
            const auto* e = s.element(finding.element);
            if (finding.stage != Stage::Intake || !finding.isOpen() || e == nullptr ||
                e->channels.front().file != file->id)
                continue;
            isBad = isBad || finding.severity == advise::Severity::Fault;
            entry["problems"].push_back(finding.sentence);
            if (!asJson)
                streams.out << "  " << finding.sentence << '\n';
        }
        list.push_back(std::move(entry));
    }
    if (asJson)
        printJson(streams.out, {{"files", std::move(list)}});
    return isBad ? kBadInput : kDone;
}

/// What compressors and buses do to the hits.
int checkPunch(Streams& streams, const std::string& folder, bool asJson) {
    const auto advice = findAdvice(streams, folder, {}, kit::KitDepth::All);
    if (!advice)
        return fail(streams, advice.error());
    if (asJson)
        printJson(streams.out, punchAsJson(advice->session, advice->measures));
    else
        printPunch(streams.out, advice->session, advice->measures);
    return advice->hasProblems ? kBadInput : kDone;
}

} // namespace

void addCheckCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand(
        "check", "Measures the files of a session and says what is wrong with them, or what "
                 "a stage of the job does to the hits");
    const auto folder = std::make_shared<std::string>();
    const auto stage = std::make_shared<std::string>("intake");
    const auto json = std::make_shared<bool>(false);
    command->add_option("SESSION", *folder, "Session folder")->required();
    command->add_flag("--json", *json, "JSON on standard output");
    command->add_option("--stage", *stage, "intake (the files) or punch (compressors, limiters, buses)")
        ->check(CLI::IsMember({"intake", "punch"}));
    command->callback([&streams, &exitCode, folder, stage, json] {
        exitCode = *stage == "punch" ? checkPunch(streams, *folder, *json) : check(streams, *folder, *json);
    });
}

} // namespace cask::cli
