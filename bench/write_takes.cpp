// Writes generated takes as sound files with their truth, in the folders that the judging programs of
// tests/takes read. Arguments: folder, number of takes (default 10), salt of their recipes.
#include "tests/support/random_take.h"
#include "tests/support/signals.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <cstdlib>
#include <filesystem>
#include <fstream>

namespace {

using namespace cask;

std::vector<float> interleaved(const std::vector<std::vector<float>>& channels) {
    std::vector<float> all(channels.size() * channels.front().size());
    for (std::size_t c = 0; c < channels.size(); ++c)
        for (std::size_t n = 0; n < channels[c].size(); ++n)
            all[n * channels.size() + c] = channels[c][n];
    return all;
}

void writeTake(const test::RandomTake& take, const std::filesystem::path& folder) {
    std::filesystem::create_directories(folder);
    for (const auto& mic : take.microphones)
        test::writeWav(folder / (mic.name + ".wav"), interleaved(mic.channels),
                       static_cast<int>(mic.channels.size()), take.recipe.sampleRateHz);
    nlohmann::json truth = {{"session", folder.filename().string()}, {"tempo_bpm", take.tempoBpm}};
    for (std::size_t drum = 0; drum < take.drums.size(); ++drum)
        truth["elements"][take.drums[drum]]["hits"] = nlohmann::json::array();
    for (const auto& hit : take.hits)
        truth["elements"][take.drums[static_cast<std::size_t>(hit.drum)]]["hits"].push_back(
            {{"time_s", hit.onsetS}, {"class", hit.kind}});
    std::ofstream(folder / "truth.json") << truth.dump(1) << '\n';
}

} // namespace

int main(int argc, char** argv) {
    if (argc < 2) {
        fmt::print(stderr, "usage: write_takes FOLDER [COUNT] [SALT]\n");
        return 2;
    }
    const std::filesystem::path folder = argv[1];
    const auto count = static_cast<std::size_t>(argc > 2 ? std::atoi(argv[2]) : 10);
    const auto recipes =
        argc > 3 ? test::takeRecipes(std::strtoull(argv[3], nullptr, 10)) : test::takeRecipes();
    for (std::size_t i = 0; i < std::min(count, recipes.size()); ++i)
        writeTake(test::makeRandomTake(recipes[i]), folder / "sessions" / fmt::format("generated{:02}", i));
}
