#include "tests/support/take_truth.h"

#include "core/media/audio_reader.h"
#include "tests/support/cli_call.h"

#include <algorithm>
#include <fstream>
#include <stdexcept>

namespace cask::test {

namespace fs = std::filesystem;

std::vector<fs::path> takesIn(const fs::path& root) {
    const fs::path folder = fs::exists(root / "sessions") ? root / "sessions" : root;
    std::vector<fs::path> takes;
    for (const auto& entry : fs::directory_iterator(folder))
        if (fs::exists(entry.path() / "truth.json"))
            takes.push_back(entry.path());
    std::sort(takes.begin(), takes.end());
    if (takes.empty())
        throw std::runtime_error(folder.string() + " holds no folder with a truth.json.");
    return takes;
}

Json truthOf(const fs::path& take) {
    std::ifstream file(take / "truth.json");
    return Json::parse(file);
}

std::string must(std::vector<std::string> arguments) {
    const auto name = arguments.front();
    const auto ran = call(std::move(arguments));
    if (ran.code != 0 && ran.code != 1)
        throw std::runtime_error(name + " fails: " + (ran.err.empty() ? ran.out : ran.err));
    return ran.out;
}

std::string stemOf(const Json& truth, const std::string& microphone) {
    return fs::path(truth["stems"][microphone]["file"].get<std::string>()).stem().string();
}

std::vector<double> othersIn(const Json& truth, const std::string& drum) {
    const std::string mic = truth["elements"][drum]["heard_in"];
    std::vector<double> times;
    for (const auto& [name, element] : truth["elements"].items()) {
        if (name == drum)
            continue;
        const std::string there = element["heard_in"];
        const auto delay = [&](const std::string& m) {
            return truth["bleed"][m].contains(name) ? truth["bleed"][m][name]["delay_ms"].get<double>() : 0.0;
        };
        for (const auto& hit : element["hits"])
            times.push_back(hit["time_s"].get<double>() + 0.001 * (delay(mic) - delay(there)));
    }
    std::sort(times.begin(), times.end());
    return times;
}

std::vector<float> firstChannel(const fs::path& file, double& rateHz) {
    auto reader = media::AudioReader::open({file});
    if (!reader)
        throw std::runtime_error(reader.error().message);
    rateHz = reader->info().sampleRateHz;
    const auto channels = static_cast<std::size_t>(reader->info().channels);
    std::vector<float> all;
    std::vector<float> block(65536 * channels);
    while (const Frames got = reader->read(block))
        for (std::size_t n = 0; n < static_cast<std::size_t>(got); ++n)
            all.push_back(block[n * channels]);
    return all;
}

} // namespace cask::test
