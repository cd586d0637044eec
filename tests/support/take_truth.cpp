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

measure::HitMaterial closeMaterial(const std::filesystem::path& take, const Json& truth,
                                   const std::string& drum) {
    measure::HitMaterial m;
    const std::string mic = truth["elements"][drum]["close_mic"];
    m.sound.push_back(firstChannel(take / truth["stems"][mic]["file"].get<std::string>(), m.rateHz));
    for (const auto& hit : truth["elements"][drum]["hits"])
        m.hits.push_back(
            {hit["time_s"], true,
             measure::hitClassFromName(hit["class"].get<std::string>()).value_or(measure::HitClass::Normal),
             0, 0});
    for (const double timeS : othersIn(truth, drum))
        m.hits.push_back({timeS, false, measure::HitClass::Normal, 1, 0});
    for (auto& hit : m.hits) {
        float peak = 1e-6F;
        const auto from = static_cast<std::size_t>(std::max(0.0, hit.timeS * m.rateHz));
        for (std::size_t n = from;
             n < std::min(m.sound[0].size(), from + static_cast<std::size_t>(0.02 * m.rateHz)); ++n)
            peak = std::max(peak, std::abs(m.sound[0][n]));
        hit.levelDb = linearToDb(static_cast<double>(peak));
    }
    std::sort(m.hits.begin(), m.hits.end(), [](const auto& a, const auto& b) { return a.timeS < b.timeS; });
    return m;
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
