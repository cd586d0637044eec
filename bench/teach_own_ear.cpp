// Teaches the second opinion on a drum's own strokes (core/measure/hits/own_ear) from takes with a known
// truth: those that tests/takes/make_takes.py made into FOLDER, and synthesised ones. Arguments: FOLDER OUT
// [pairs of nets]. By hand; what it wrote last is resources/ear/own_ear.txt.
#include "bench/teach_net.h"
#include "core/base/parallel.h"
#include "core/measure/hits/kit_hits.h"
#include "core/measure/hits/own_ear.h"
#include "core/media/audio_reader.h"
#include "tests/support/hit_score.h"
#include "tests/support/random_take.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <map>

namespace {

using namespace cask;
using namespace cask::measure;
using cask::bench::Lessons;
namespace fs = std::filesystem;
using Json = nlohmann::json;

constexpr double kStrokeS = 0.007;
constexpr unsigned long long kSalt = 4002; // of synthesised takes that no test has

/// Onsets of a drum as each of its microphones heard them, by input.
using Onsets = std::map<int, std::vector<double>>;

/// One part of a kit (most have one): what is looked at, and what it is.
struct PartLessons {
    KitModel kit;
    std::vector<Moment> moments;
    OwnLooks looks;
    std::vector<float> truth;
    std::vector<float> weight;
    std::vector<float> heard; ///< what a first net that did not learn from the take said
};
using TakeLessons = std::vector<PartLessons>;

TakeLessons lessonsOf(std::vector<HitInput> inputs, const Onsets& onsets) {
    std::vector<std::vector<Arrival>> arrivals;
    for (const auto& input : inputs)
        arrivals.push_back(findArrivals(input.channels));
    for (std::size_t i = 0; i < inputs.size(); ++i)
        inputs[i].arrivals = &arrivals[i];
    TakeLessons lessons;
    const auto observe = [&](const KitModel& kit, const std::vector<Moment>& moments, const OwnLooks& looks) {
        const std::size_t count = looks.candidates.size();
        std::vector<float> truth(count, 0.0F);
        std::vector<float> weight(count, 1.0F);
        std::map<std::pair<int, double>, std::pair<double, std::size_t>> nearest; // of each stroke
        for (std::size_t k = 0; k < count; ++k) {
            const auto& candidate = looks.candidates[k];
            const auto input = static_cast<std::size_t>(candidate.input);
            const auto& arrival =
                arrivals[input][static_cast<std::size_t>(moments[candidate.moment].arrivals[input])];
            const auto known = onsets.find(candidate.input);
            if (known == onsets.end())
                continue;
            for (const double onsetS : known->second) {
                const double awayS = std::abs(onsetS - arrival.timeS);
                if (awayS > kStrokeS)
                    continue;
                weight[k] = 0; // beside a stroke, unless it is the nearest
                const auto at = nearest.try_emplace({candidate.drum, onsetS}, awayS, k).first;
                if (awayS < at->second.first)
                    at->second = {awayS, k};
            }
        }
        for (const auto& [stroke, found] : nearest) {
            truth[found.second] = 1;
            weight[found.second] = 1;
        }
        lessons.push_back({kit, moments, looks, truth, weight, {}});
    };
    (void)findKitHits(inputs, {}, oneByOne, observe);
    return lessons;
}

BandTrail trailOf(const fs::path& path) {
    auto reader = media::AudioReader::open({path});
    if (!reader)
        throw std::runtime_error(reader.error().message);
    BandTrailMeter meter(reader->info().sampleRateHz);
    const auto channels = static_cast<std::size_t>(reader->info().channels);
    std::vector<float> block(65536 * channels);
    while (const Frames got = reader->read(block))
        meter.add(std::span(block).first(static_cast<std::size_t>(got) * channels), channels);
    return meter.take();
}

/// Role of a microphone of the truth, and the element that it stands at.
struct Standing {
    Role role;
    std::string drum;
};
Standing standingOf(const std::string& microphone) {
    static const std::map<std::string, Standing> known = {
        {"kick_in", {Role::KickIn, "kick"}},      {"kick_out", {Role::KickOut, "kick"}},
        {"snare_top", {Role::SnareTop, "snare"}}, {"snare_bottom", {Role::SnareBottom, "snare"}},
        {"hat", {Role::ClosedHat, "hat"}},        {"rack", {Role::RackTom, "rack"}},
        {"floor", {Role::FloorTom, "floor"}},     {"ride", {Role::Ride, "ride"}}};
    const auto at = known.find(microphone);
    if (at != known.end())
        return at->second;
    return {microphone.rfind("over", 0) == 0 ? Role::Overhead : Role::Room, ""};
}

TakeLessons readTake(const fs::path& folder) {
    std::ifstream file(folder / "truth.json");
    const Json truth = Json::parse(file);
    std::map<std::string, BandTrail> trails;
    for (const auto& [mic, stem] : truth["stems"].items())
        trails[mic] = trailOf(folder / stem["file"].get<std::string>());
    std::vector<HitInput> inputs;
    Onsets onsets;
    for (const auto& [mic, trail] : trails) {
        const auto standing = standingOf(mic);
        if (standing.drum.empty()) {
            if (!mic.ends_with("_l"))
                continue;
            const auto right = trails.find(mic.substr(0, mic.size() - 1) + "r");
            inputs.push_back({mic, standing.role, {&trail, &right->second}, 0});
            continue;
        }
        if (truth["elements"].contains(standing.drum)) {
            const auto& element = truth["elements"][standing.drum];
            const std::string there = element["heard_in"];
            const auto delay = [&](const std::string& m) {
                return truth["bleed"][m].contains(standing.drum)
                           ? truth["bleed"][m][standing.drum]["delay_ms"].get<double>()
                           : 0.0;
            };
            for (const auto& hit : element["hits"])
                onsets[static_cast<int>(inputs.size())].push_back(hit["time_s"].get<double>() +
                                                                  0.001 * (delay(mic) - delay(there)));
        }
        inputs.push_back({mic, standing.role, {&trail}, 0});
    }
    return lessonsOf(inputs, onsets);
}

TakeLessons madeTake(const test::TakeRecipe& recipe) {
    const auto take = test::makeRandomTake(recipe);
    const auto trails = test::trailsOf(take);
    Onsets onsets;
    for (std::size_t m = 0; m < take.microphones.size(); ++m)
        for (const auto& hit : take.hits)
            if (hit.drum == take.microphones[m].drum)
                onsets[static_cast<int>(m)].push_back(hit.onsetS +
                                                      take.delayS[static_cast<std::size_t>(hit.drum)][m]);
    return lessonsOf(trails.inputs, onsets);
}

void addRows(Lessons& lessons, const PartLessons& part, std::span<const float> rows) {
    const std::size_t width = part.truth.empty() ? 0 : rows.size() / part.truth.size();
    for (std::size_t k = 0; k < part.truth.size(); ++k)
        lessons.add(rows.subspan(k * width, width), std::span(part.truth).subspan(k, 1),
                    std::span(part.weight).subspan(k, 1));
}

Lessons firstLessons(const std::vector<TakeLessons>& takes, std::size_t parts, std::size_t without) {
    Lessons lessons(1);
    for (std::size_t t = 0; t < takes.size(); ++t)
        for (const auto& part : takes[t])
            if (t % parts != without)
                addRows(lessons, part, part.looks.rows);
    return lessons;
}

Lessons secondLessons(const std::vector<TakeLessons>& takes) {
    Lessons lessons(1);
    for (const auto& take : takes)
        for (const auto& part : take)
            addRows(lessons, part, bothOwnLooks(part.looks, part.heard, part.kit, part.moments));
    return lessons;
}

} // namespace

int main(int argc, char** argv) {
    if (argc < 3) {
        fmt::print(stderr, "teach_own_ear FOLDER OUT [PAIRS]\n");
        return 2;
    }
    std::vector<fs::path> folders;
    for (const auto& entry : fs::directory_iterator(fs::path(argv[1]) / "sessions"))
        if (fs::exists(entry.path() / "truth.json") &&
            entry.path().filename().string().rfind("stems", 0) != 0)
            folders.push_back(entry.path());
    std::sort(folders.begin(), folders.end());
    const auto recipes = test::takeRecipes(kSalt);
    std::vector<TakeLessons> takes(folders.size() + recipes.size());
    inParallel(takes.size(), [&](std::size_t i) {
        takes[i] = i < folders.size() ? readTake(folders[i]) : madeTake(recipes[i - folders.size()]);
    });
    const std::size_t pairs = argc > 3 ? static_cast<std::size_t>(std::atoi(argv[3])) : 2;
    // The second net learns from what a first net says of takes that it never heard, as it will have to.
    constexpr std::size_t kParts = 3;
    std::array<std::vector<StrokeNet>, kParts> apart;
    for (auto& nets : apart)
        nets.resize(pairs);
    inParallel(kParts * pairs, [&](std::size_t n) {
        apart[n % kParts][n / kParts] =
            bench::teach(firstLessons(takes, kParts, n % kParts), static_cast<unsigned>(100 + n), 0);
    });
    for (std::size_t t = 0; t < takes.size(); ++t)
        for (auto& part : takes[t])
            part.heard = averageShares(apart[t % kParts], part.looks.rows);
    const auto first = firstLessons(takes, 1, 1);
    const auto second = secondLessons(takes);
    fmt::print("{} takes, {} rises\n", takes.size(), first.count());
    std::vector<StrokeNet> nets(2 * pairs);
    inParallel(nets.size(), [&](std::size_t n) {
        nets[n] = bench::teach(n % 2 == 0 ? first : second, static_cast<unsigned>(n + 1), 0);
    });
    std::ofstream(argv[2]) << writeNets("own-ear 1", nets);
    return 0;
}
