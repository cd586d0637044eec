// Scores the hit analysis on made-up takes whose truth is known. Arguments: indices of takes (default: all;
// 48 and more: the demo kit with other seeds), or "salt N" for takes that no test has. With "--takes DIR":
// hits, faults and findings on folders of sampled takes (tests/takes/make_takes.py), or drums in mixes of
// them (make_loops.py); "--gates" also renders gates. "--least F" fails where F of the hits at 10 ms is less,
// a fault is found where none is, or mixes have less than F - 0.04 for kick or snare, or F - 0.15 for hats.
#include "tests/support/hit_score.h"

#include "core/base/worker_pool.h"
#include "core/measure/hits/kit_hits.h"
#include "core/measure/hits/tempo.h"
#include "tests/support/random_take.h"
#include "tests/support/takes_score.h"

#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <cstdlib>
#include <map>
#include <mutex>

namespace {

int scoreFolder(int argc, char** argv) {
    bool gates = false;
    double least = 0;
    for (int i = 3; i < argc; ++i) {
        gates = gates || std::string_view(argv[i]) == "--gates";
        if (std::string_view(argv[i]) == "--least" && i + 1 < argc)
            least = std::atof(argv[i + 1]);
    }
    try {
        const auto score = cask::test::scoreTakes(argv[2], gates);
        fmt::print("{}", score.text());
        bool isGood = score.hits.f() >= least && (least == 0 || score.falseFaults.empty());
        for (const auto& [drum, counts] : score.mixed)
            isGood = isGood &&
                     (least == 0 || drum == "tom" || counts.f() >= least - (drum == "hat" ? 0.15 : 0.04));
        return isGood ? 0 : 1;
    } catch (const std::exception& problem) {
        fmt::print(stderr, "{}\n", problem.what());
        return 2;
    }
}

} // namespace

int main(int argc, char** argv) {
    using namespace cask;
    if (argc > 2 && std::string_view(argv[1]) == "--takes")
        return scoreFolder(argc, argv);
    const bool isSalted = argc == 3 && std::string_view(argv[1]) == "salt";
    const auto recipes = isSalted ? test::takeRecipes(static_cast<unsigned long long>(std::atoll(argv[2])))
                                  : test::takeRecipes();
    std::vector<std::size_t> chosen;
    for (int i = 1; i < argc && !isSalted; ++i)
        chosen.push_back(static_cast<std::size_t>(std::atoi(argv[i])));
    if (chosen.empty())
        for (std::size_t i = 0; i < recipes.size(); ++i)
            chosen.push_back(i);
    test::Score total;
    std::map<std::string, test::Score> byDifficulty;
    std::mutex mutex;
    WorkerPool pool(2);
    for (const std::size_t i : chosen)
        pool.post([&, i] {
            const auto take = i < recipes.size() ? test::makeRandomTake(recipes[i])
                                                 : test::demoAsTake(20 + i - recipes.size());
            const auto trails = test::trailsOf(take);
            const auto start = std::chrono::steady_clock::now();
            const auto hits = measure::findKitHits(trails.inputs);
            const double ms =
                std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - start).count();
            const std::lock_guard lock(mutex);
            const auto score = test::scoreTake(take, hits, chosen.size() <= 2);
            fmt::print("{:2} {:10} {:24} {:3.0f} bpm {}  {:.0f} ms\n", i,
                       (i < recipes.size() ? recipes[i].groove : "demo"), take.difficulty, take.tempoBpm,
                       score.text(), ms);
            const auto tempo = measure::findTempo(measure::playedNotes(hits));
            const double beats = (take.firstBarS - tempo.firstBarS) * take.tempoBpm / 60;
            fmt::print("   tempo {:.2f} (true {:.2f}, {:+.3f} %), bar off by {:.2f} beats, swing {:.1f} "
                       "(true {:.1f}){}, sure {:.2f}\n",
                       tempo.bpm, take.tempoBpm, 100 * (tempo.bpm / take.tempoBpm - 1),
                       beats - 4 * std::round(beats / 4), tempo.swingPercent, take.swingPercent,
                       tempo.isSwingOnSixteenths ? " on sixteenths" : "", tempo.confidence);
            for (std::size_t m = 0; m < hits.lagS.size(); ++m)
                if (hits.lagS[m] != 0)
                    fmt::print("   {} seems {:.1f} ms late (planted: {:.1f} ms)\n", take.microphones[m].name,
                               1000 * hits.lagS[m], take.recipe.lateFileMs);
            std::fflush(stdout);
            total.add(score);
            byDifficulty[take.difficulty].add(score);
        });
    pool.waitIdle();
    for (const auto& [name, score] : byDifficulty)
        fmt::print("{:30} {}\n", name, score.text());
    fmt::print("{:30} {}\n", "all", total.text());
}
