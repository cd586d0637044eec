// For how many close microphones a gate is possible, and for how many of these one is proposed: every
// combination of detector cuts, thresholds, holds and releases is tried on the true hits of takes with a
// known truth. Arguments: a folder of takes.
#include "core/measure/gate/gate_search.h"
#include "tests/support/take_truth.h"

#include <fmt/format.h>

#include <exception>
#include <set>

namespace {

using namespace cask;
using test::Json;

constexpr double kKeptShare = 0.98;
constexpr double kSpillDb = -6;

std::vector<dsp::GateSettings> detectorsFor(measure::GateTracks& tracks, dsp::GateSettings start) {
    start.floorDb = -18; // as the standard style allows
    std::vector<dsp::GateSettings> all{start};
    for (const double hz : {300.0, 1000.0, 3000.0, 7000.0})
        all.emplace_back(start).lowCutHz = hz;
    for (const double hz : {150.0, 400.0, 1000.0})
        all.emplace_back(start).highCutHz = hz;
    if (const auto best = measure::withBestDetectorFilter(tracks, start, measure::GateWants::Ghosts))
        all.push_back(*best);
    return all;
}

bool isPossible(const measure::HitMaterial& material) {
    measure::GateTracks tracks(material);
    const auto nature = measure::measureNature(material);
    for (const auto& detector : detectorsFor(tracks, measure::gateStart(nature))) {
        const auto grid = measure::gateGridFor(tracks, detector);
        for (const double openDb : grid.openDb) {
            std::vector<dsp::GateSettings> settings;
            for (const double gapDb : grid.gapDb)
                for (const double holdMs : grid.holdMs)
                    for (const double releaseMs : grid.releaseMs) {
                        auto& s = settings.emplace_back(detector);
                        s.openDb = openDb;
                        s.closeDb = openDb - gapDb;
                        s.holdMs = holdMs;
                        s.releaseMs = releaseMs;
                    }
            for (const auto& report :
                 measure::judgeGates(tracks, settings, measure::GatePrecision::Rough, nature.ownMs()))
                if (report.all.ownKept() >= kKeptShare * report.all.own() &&
                    report.all.spillChangeDb() <= kSpillDb)
                    return true;
        }
    }
    return false;
}

std::set<std::string> proposedFor(const std::filesystem::path& take) {
    const auto folder = std::filesystem::temp_directory_path() / ("cask-gates-" + take.filename().string());
    std::filesystem::remove_all(folder);
    std::filesystem::create_directories(folder);
    test::must({"new", folder / "S.cask", take});
    const Json advice = Json::parse(test::must({"advise", folder / "S.cask", "--stage", "clean", "--json"}));
    std::filesystem::remove_all(folder);
    std::set<std::string> elements;
    for (const auto& f : advice["findings"])
        if (f["id"].get<std::string>().rfind("gate-", 0) == 0 && !f["proposal"].is_null())
            elements.insert(f["element"]);
    return elements;
}

int run(const char* folder) {
    int possible = 0;
    int proposed = 0;
    int beyond = 0; // proposed though no setting does as much on the true hits
    for (const auto& take : test::takesIn(folder)) {
        const Json truth = test::truthOf(take);
        if (truth.contains("mix"))
            continue;
        const auto gated = proposedFor(take);
        for (const auto& [drum, element] : truth["elements"].items()) {
            if (element["close_mic"].is_null() || !element["scored"].get<bool>() || element["hits"].empty())
                continue;
            const bool isProposed = gated.count(test::stemOf(truth, element["close_mic"])) > 0;
            const bool can = isPossible(test::closeMaterial(take, truth, drum));
            possible += can ? 1 : 0;
            proposed += can && isProposed ? 1 : 0;
            beyond += !can && isProposed ? 1 : 0;
            if (can && !isProposed)
                fmt::print("  possible, not proposed: {} {}\n", take.filename().string(), drum);
            std::fflush(stdout);
        }
    }
    fmt::print(
        "a gate that keeps 98 % of own hits and takes 6 dB off what lies between: possible for {} close "
        "microphones, proposed for {} of these ({:.0f} %) and for {} others\n",
        possible, proposed, possible > 0 ? 100.0 * proposed / possible : 100.0, beyond);
    return 0;
}

} // namespace

int main(int argc, char** argv) {
    try {
        if (argc > 1)
            return run(argv[1]);
        fmt::print(stderr, "Wanted: a folder of takes.\n");
    } catch (const std::exception& e) {
        fmt::print(stderr, "{}\n", e.what());
    }
    return 1;
}
