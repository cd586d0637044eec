#include "cli/commands.h"
#include "core/measure/file_analysis.h"
#include "core/media/audio_reader.h"
#include "core/project/offline_sources.h"

#include <fmt/format.h>

#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

using Json = nlohmann::ordered_json;

/// What is wrong with a file, one sentence each.
std::vector<std::string> problemsOf(const session::SourceFile& file, const measure::FileFacts& f,
                                    const std::vector<std::string>& warnings) {
    std::vector<std::string> problems = warnings;
    const auto& l = f.levels;
    if (l.isSilent())
        problems.push_back(fmt::format("{} is silent.", file.path));
    if (l.clippedRunCount > 0)
        problems.push_back(
            fmt::format("{} is clipped in {}.", file.path,
                        l.clippedRunCount == 1 ? "one place" : fmt::format("{} places", l.clippedRunCount)));
    if (std::abs(l.dcOffset) > 0.001)
        problems.push_back(
            fmt::format("{} has a constant offset of {:+.2f} % of full scale.", file.path, 100 * l.dcOffset));
    if (f.notFiniteSamples > 0)
        problems.push_back(fmt::format("{} holds {} samples that are no numbers; they are silenced.",
                                       file.path, f.notFiniteSamples));
    return problems;
}

int check(Streams& streams, const std::string& folder, bool asJson) {
    const auto s = openSession(streams, folder);
    if (!s)
        return fail(streams, s.error());
    Json list = Json::array();
    bool isBad = false;
    if (!asJson)
        streams.out << fmt::format("{:<30} {:>10} {:>10} {:>10} {:>10} {:>6}\n", "file", "peak dBFS",
                                   "peak dBTP", "RMS dBFS", "LUFS", "hits");
    for (const auto& file : s->files) {
        std::vector<std::string> problems;
        Json entry{{"file", file->path}};
        const auto prepared = project::prepareFile(*file, folder, s->sampleRateHz);
        auto analysis = prepared ? measure::analyseFile(prepared->playable, {}, {})
                                 : Result<std::shared_ptr<const measure::FileAnalysis>>(prepared.error());
        if (!analysis) {
            problems.push_back(analysis.error().message);
        } else {
            const auto& f = (*analysis)->facts;
            const auto reader = media::AudioReader::open(session::resolvePath(*file, folder));
            problems = problemsOf(*file, f, reader ? reader->info().warnings : std::vector<std::string>());
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
        isBad = isBad || !problems.empty();
        entry["problems"] = problems;
        list.push_back(std::move(entry));
        if (!asJson)
            for (const auto& problem : problems)
                streams.out << "  " << problem << '\n';
    }
    if (asJson)
        streams.out << Json{{"files", std::move(list)}}.dump(2) << '\n';
    return isBad ? kBadInput : kDone;
}

} // namespace

void addCheckCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command =
        app.add_subcommand("check", "Measures the files of a session and says what is wrong with them");
    const auto folder = std::make_shared<std::string>();
    const auto json = std::make_shared<bool>(false);
    command->add_option("SESSION", *folder, "Session folder")->required();
    command->add_flag("--json", *json, "JSON on standard output");
    command->callback([&streams, &exitCode, folder, json] { exitCode = check(streams, *folder, *json); });
}

} // namespace cask::cli
