// Teaches the ear for loops (core/measure/hits/loop_ear) from lessons: a folder of NAME.wav and NAME.json as
// tests/takes/make_lessons.py makes them. Arguments: FOLDER OUT [pairs of nets]. By hand; what it wrote last
// is resources/ear/loop_ear.txt.
#include "bench/teach_net.h"
#include "core/base/parallel.h"
#include "core/measure/hits/loop_ear.h"
#include "core/media/audio_reader.h"
#include "tests/support/random_mix.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <fstream>

namespace {

using namespace cask;
using namespace cask::measure;
using cask::bench::Lessons;
namespace fs = std::filesystem;

/// One made-up loop: its arrivals, and what was struck at each.
struct Lesson {
    std::vector<Arrival> arrivals;
    std::vector<float> look; ///< first look, one row for each arrival
    std::vector<LoopShares> truth;
    std::vector<LoopShares> weight; ///< how much a mistake counts; 0 next to a stroke
    std::vector<LoopShares> heard;  ///< what a first net that did not learn from it said
};

int drumOf(const std::string& name) {
    if (name.find("rack") == 0 || name.find("floor") == 0)
        return static_cast<int>(LoopDrum::Tom);
    constexpr std::array<std::string_view, kLoopDrums> kNames = {"kick", "snare", "hat",
                                                                 "tom",  "ride",  "crash"};
    const auto at = std::find(kNames.begin(), kNames.end(), name);
    return at == kNames.end() ? -1 : static_cast<int>(at - kNames.begin());
}

/// Onsets by drum, and whether each is a ghost.
using Struck = std::array<std::vector<std::pair<double, bool>>, kLoopDrums>;

Lesson lessonOf(const std::vector<BandTrail>& trails, const Struck& struck) {
    constexpr double kStrokeS = 0.014;
    constexpr float kGhostWeight = 0.3F; // too soft to be heard in many mixes
    std::vector<const BandTrail*> channels;
    for (const auto& trail : trails)
        channels.push_back(&trail);
    Lesson lesson;
    lesson.arrivals = findArrivals(channels);
    lesson.look = firstLook(channels, lesson.arrivals);
    LoopShares ones;
    ones.fill(1);
    lesson.truth.resize(lesson.arrivals.size());
    lesson.weight.assign(lesson.arrivals.size(), ones);
    for (std::size_t d = 0; d < kLoopDrums; ++d)
        for (const auto& [timeS, isGhost] : struck[d]) {
            std::size_t nearest = lesson.arrivals.size();
            double leastS = kStrokeS;
            for (std::size_t i = 0; i < lesson.arrivals.size(); ++i) {
                const double awayS = std::abs(lesson.arrivals[i].timeS - timeS);
                if (awayS < kStrokeS && lesson.truth[i][d] == 0)
                    lesson.weight[i][d] = 0;
                if (awayS < leastS) {
                    leastS = awayS;
                    nearest = i;
                }
            }
            if (nearest == lesson.arrivals.size())
                continue;
            lesson.truth[nearest][d] = 1;
            lesson.weight[nearest][d] = isGhost ? kGhostWeight : 1;
        }
    return lesson;
}

Lesson readLesson(const fs::path& truth) {
    auto reader = media::AudioReader::open({fs::path(truth).replace_extension(".wav")});
    if (!reader)
        throw std::runtime_error(reader.error().message);
    const auto channels = static_cast<std::size_t>(reader->info().channels);
    std::vector<BandTrailMeter> meters(channels, BandTrailMeter(reader->info().sampleRateHz));
    std::vector<float> block(65536 * channels);
    while (const Frames got = reader->read(block))
        for (std::size_t c = 0; c < channels; ++c)
            meters[c].add(std::span(block).subspan(c, static_cast<std::size_t>(got) * channels - c),
                          channels);
    std::vector<BandTrail> trails;
    for (auto& meter : meters)
        trails.push_back(meter.take());
    std::ifstream file(truth);
    const auto told = nlohmann::json::parse(file);
    Struck struck;
    for (const auto& [name, strokes] : told.items())
        if (const int drum = drumOf(name); drum >= 0)
            for (const auto& stroke : strokes)
                struck[static_cast<std::size_t>(drum)].emplace_back(stroke[0], stroke[2] == "ghost");
    return lessonOf(trails, struck);
}

/// Synthesised drums, as the sampled ones are few: several mixes of one take.
std::vector<Lesson> madeLessons(const test::TakeRecipe& recipe) {
    constexpr unsigned long long kMixes = 2;
    const auto take = test::makeRandomTake(recipe);
    Struck struck;
    for (const auto& hit : take.hits)
        if (const int drum = drumOf(take.drums[static_cast<std::size_t>(hit.drum)]); drum >= 0)
            struck[static_cast<std::size_t>(drum)].emplace_back(hit.onsetS,
                                                                hit.kind == "ghost" || hit.kind == "drag");
    std::vector<Lesson> lessons;
    for (unsigned long long m = 0; m < kMixes; ++m) {
        std::vector<BandTrail> trails;
        for (const auto& side : test::mixOf(take, recipe.seed + m)) {
            BandTrailMeter meter(take.recipe.sampleRateHz);
            meter.add(side);
            trails.push_back(meter.take());
        }
        lessons.push_back(lessonOf(trails, struck));
    }
    return lessons;
}

constexpr unsigned long long kSalt = 4001; // of takes that no test has

Lessons firstRows(const std::vector<Lesson>& lessons, std::size_t parts, std::size_t without) {
    Lessons rows(kLoopDrums);
    for (std::size_t n = 0; n < lessons.size(); ++n)
        for (std::size_t i = 0; n % parts != without && i < lessons[n].arrivals.size(); ++i)
            rows.add(std::span(lessons[n].look).subspan(i * kFirstLook, kFirstLook), lessons[n].truth[i],
                     lessons[n].weight[i]);
    return rows;
}

Lessons secondRows(const std::vector<Lesson>& lessons) {
    Lessons rows(kLoopDrums);
    for (const auto& lesson : lessons) {
        const auto others = secondLook(lesson.look, lesson.heard, lesson.arrivals);
        for (std::size_t i = 0; i < lesson.arrivals.size(); ++i) {
            std::vector<float> row(lesson.look.begin() + static_cast<std::ptrdiff_t>(i * kFirstLook),
                                   lesson.look.begin() + static_cast<std::ptrdiff_t>((i + 1) * kFirstLook));
            row.insert(row.end(), others.begin() + static_cast<std::ptrdiff_t>(i * kSecondLook),
                       others.begin() + static_cast<std::ptrdiff_t>((i + 1) * kSecondLook));
            rows.add(row, lesson.truth[i], lesson.weight[i]);
        }
    }
    return rows;
}

} // namespace

int main(int argc, char** argv) {
    if (argc < 3) {
        fmt::print(stderr, "teach_loop_ear FOLDER OUT [PAIRS]\n");
        return 2;
    }
    std::vector<fs::path> truths;
    for (const auto& entry : fs::directory_iterator(argv[1]))
        if (entry.path().extension() == ".json" &&
            fs::exists(fs::path(entry.path()).replace_extension(".wav")))
            truths.push_back(entry.path());
    std::sort(truths.begin(), truths.end());
    std::vector<Lesson> lessons(truths.size());
    inParallel(truths.size(), [&](std::size_t i) { lessons[i] = readLesson(truths[i]); });
    auto recipes = test::takeRecipes(kSalt);
    std::vector<std::vector<Lesson>> made(recipes.size());
    inParallel(recipes.size(), [&](std::size_t i) {
        recipes[i].lateFileMs = 0;
        made[i] = madeLessons(recipes[i]);
    });
    for (auto& some : made)
        std::move(some.begin(), some.end(), std::back_inserter(lessons));
    const std::size_t pairs = argc > 3 ? static_cast<std::size_t>(std::atoi(argv[3])) : 2;
    LoopEar ear;
    // The second net learns from what a first net says of loops that it never heard, as it will have to.
    constexpr std::size_t kParts = 3;
    std::array<LoopEar, kParts> apart;
    for (auto& part : apart)
        part.first.resize(pairs);
    inParallel(kParts * pairs, [&](std::size_t n) {
        apart[n % kParts].first[n / kParts] =
            bench::teach(firstRows(lessons, kParts, n % kParts), static_cast<unsigned>(100 + n),
                         kLookWindows * kTrailBands);
    });
    for (std::size_t n = 0; n < lessons.size(); ++n)
        lessons[n].heard = apart[n % kParts].firstShares(lessons[n].look);
    ear.first.resize(pairs);
    ear.second.resize(pairs);
    const auto first = firstRows(lessons, 1, 1);
    const auto second = secondRows(lessons);
    inParallel(2 * pairs, [&](std::size_t n) {
        auto& net = n % 2 == 0 ? ear.first[n / 2] : ear.second[n / 2];
        net = bench::teach(n % 2 == 0 ? first : second, static_cast<unsigned>(n + 1),
                           kLookWindows * kTrailBands);
    });
    fmt::print("{} lessons, {} arrivals\n", lessons.size(), first.count());
    std::ofstream(argv[2]) << writeLoopEar(ear);
    return 0;
}
