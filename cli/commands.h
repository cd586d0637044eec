// The command line: one file per command. Results go to stdout, progress and problems to stderr.
#pragma once

#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include <cmath>
#include <core/advise/finding.h>
#include <core/advise/kit_measures.h>
#include <core/base/progress.h>
#include <core/kit_measures/hit_analysis.h>
#include <core/project/measured_files.h>
#include <core/session/session_store.h>
#include <functional>
#include <iosfwd>
#include <string>

namespace cask::cli {

inline constexpr int kDone = 0;
inline constexpr int kBadInput = 1;
inline constexpr int kWrongUse = 2;

/// Where a command writes, so that tests can read it.
struct Streams {
    std::ostream& out;
    std::ostream& err;
    bool showsProgress = false;
    CancelToken cancel = {};  ///< set by a signal
    bool hasProblems = false; ///< something was said that makes the exit code 1
};

/// Runs the program; returns its exit code.
[[nodiscard]] int run(int argc, const char* const* argv, Streams streams);

void addDemoCommand(CLI::App& app, Streams& streams, int& exitCode);
void addNewCommand(CLI::App& app, Streams& streams, int& exitCode);
void addCheckCommand(CLI::App& app, Streams& streams, int& exitCode);
void addAlignCommand(CLI::App& app, Streams& streams, int& exitCode);
void addBalanceCommand(CLI::App& app, Streams& streams, int& exitCode);
void addParallelCommand(CLI::App& app, Streams& streams, int& exitCode);
void addDriveCommand(CLI::App& app, Streams& streams, int& exitCode);
void addPushCommand(CLI::App& app, Streams& streams, int& exitCode);
void addDenseCommand(CLI::App& app, Streams& streams, int& exitCode);
void addRecipeCommand(CLI::App& app, Streams& streams, int& exitCode);
void addTrimCommand(CLI::App& app, Streams& streams, int& exitCode);
void addStateCommand(CLI::App& app, Streams& streams, int& exitCode);
void addReferenceCommand(CLI::App& app, Streams& streams, int& exitCode);
void addBounceCommand(CLI::App& app, Streams& streams, int& exitCode);
void addRideCommand(CLI::App& app, Streams& streams, int& exitCode);
void addLoopCommand(CLI::App& app, Streams& streams, int& exitCode);
void addTriggerCommand(CLI::App& app, Streams& streams, int& exitCode);
void addCrowdCommand(CLI::App& app, Streams& streams, int& exitCode);
void addShelfCommand(CLI::App& app, Streams& streams, int& exitCode);
void addLayerCommand(CLI::App& app, Streams& streams, int& exitCode);
void addStackCommand(CLI::App& app, Streams& streams, int& exitCode);
void addPatternCommand(CLI::App& app, Streams& streams, int& exitCode);
void addHitsCommand(CLI::App& app, Streams& streams, int& exitCode);
void addSpillCommand(CLI::App& app, Streams& streams, int& exitCode);
void addAdviseCommand(CLI::App& app, Streams& streams, int& exitCode);
void addWishCommand(CLI::App& app, Streams& streams, int& exitCode);
void addApplyCommand(CLI::App& app, Streams& streams, int& exitCode);
void addSetCommand(CLI::App& app, Streams& streams, int& exitCode);
void addParametersCommand(CLI::App& app, Streams& streams, int& exitCode);
void addVersionsCommand(CLI::App& app, Streams& streams, int& exitCode);
void addRestoreCommand(CLI::App& app, Streams& streams, int& exitCode);
void addRelinkCommand(CLI::App& app, Streams& streams, int& exitCode);
void addRenderCommand(CLI::App& app, Streams& streams, int& exitCode);

/// As numbers stand in JSON: rounded to two places.
[[nodiscard]] inline double inHundredths(double value) {
    return std::round(100 * value) / 100;
}

/// Prints the sentence of an error; returns kBadInput.
int fail(Streams& streams, const Error& error);
/// The same for files that could not be written: says how to replace what is there.
int failWriting(Streams& streams, const Error& error);
[[nodiscard]] ProgressFn progressTo(Streams& streams, std::string what);
/// Indented JSON and a line end; bytes that are no UTF-8 are replaced.
void printJson(std::ostream& out, const nlohmann::ordered_json& json);
/// Opens a session folder, printing what can't be used. Unsaved work is mentioned, not taken.
[[nodiscard]] Result<session::Session> openSession(Streams& streams, const std::string& folder);
/// Changes a session alone: waits a little for another writer, reads the newest state, saves what `change`
/// makes of it. Nothing is written when it fails.
[[nodiscard]] Status
editSession(Streams& streams, const std::string& folder,
            const std::function<Result<session::Session>(const session::Session&)>& change);

/// The hits of a session, with problems of its files printed.
struct FoundHits {
    std::shared_ptr<const kit::HitAnalysis> analysis;
    bool hasProblems = false;
};
[[nodiscard]] Result<FoundHits> findHits(Streams& streams, const session::Session& s,
                                         const std::string& folder);

/// What is measured of a session, and what follows from it by its house style or by the one named.
struct Advice {
    session::Session session;
    advise::KitMeasures measures;
    std::vector<advise::Finding> findings;
    std::string style;        ///< id
    bool hasProblems = false; ///< files that can't be used
};
/// Opens the session and measures it.
[[nodiscard]] Result<Advice> findAdvice(Streams& streams, const std::string& folder,
                                        const std::string& style = {},
                                        kit::KitDepth depth = kit::KitDepth::All);

} // namespace cask::cli
