#include "core/measure/file_analysis.h"

#include <nlohmann/json.hpp>

namespace cask::measure {
namespace {

using Json = nlohmann::ordered_json;
constexpr int kVersion = 8; // raise when a measure changes: old caches are then made anew

} // namespace

std::string factsToJson(const FileFacts& f) {
    Json runs = Json::array();
    for (const auto& run : f.levels.clippedRuns)
        runs.push_back({run.startS, run.frames, run.channel, run.levelDb});
    Json silences = Json::array();
    for (const auto& run : f.levels.silentRuns)
        silences.push_back({run.startS, run.lengthS, run.isToEnd, run.beforeDb});
    const Json json{{"version", kVersion},
                    {"frames_read", f.framesRead},
                    {"not_finite_samples", f.notFiniteSamples},
                    {"peak_db", f.levels.peakDb},
                    {"rms_db", f.levels.rmsDb},
                    {"dc_offset", f.levels.dcOffset},
                    {"noise_floor_db", f.levels.noiseFloorDb},
                    {"clipped_run_count", f.levels.clippedRunCount},
                    {"clipped_runs", std::move(runs)},
                    {"silent_run_count", f.levels.silentRunCount},
                    {"silent_runs", std::move(silences)},
                    {"integrated_lufs", f.loudness.integratedLufs},
                    {"loudness_range_lu", f.loudness.rangeLu},
                    {"true_peak_db", f.loudness.truePeakDb},
                    {"sample_peak_db", f.loudness.samplePeakDb},
                    {"spectrum_db", f.spectrum.bandDb},
                    {"strike",
                     {{"hits", f.strike.hits},
                      {"hits_per_s", f.strike.hitsPerS},
                      {"low_share", f.strike.lowShare},
                      {"body_share", f.strike.bodyShare},
                      {"mid_share", f.strike.midShare},
                      {"high_share", f.strike.highShare},
                      {"peak_share", f.strike.peakShare},
                      {"decay_ms", f.strike.decayMs},
                      {"gap_db", f.strike.gapDb}}},
                    {"arrivals", f.arrivals}};
    return json.dump();
}

Result<FileFacts> factsFromJson(const std::string& text) {
    const Json json = Json::parse(text, nullptr, false);
    const Error damaged{ErrorCode::BadFormat, "The cached facts are damaged."};
    if (json.is_discarded() || !json.is_object() || json.value("version", 0) != kVersion)
        return damaged;
    try {
        FileFacts f;
        f.framesRead = json.at("frames_read");
        f.notFiniteSamples = json.at("not_finite_samples");
        f.levels.peakDb = json.at("peak_db");
        f.levels.rmsDb = json.at("rms_db");
        f.levels.dcOffset = json.at("dc_offset");
        f.levels.noiseFloorDb = json.at("noise_floor_db");
        f.levels.clippedRunCount = json.at("clipped_run_count");
        for (const auto& run : json.at("clipped_runs"))
            f.levels.clippedRuns.push_back({run.at(0), run.at(1), run.at(2), run.at(3)});
        f.levels.silentRunCount = json.at("silent_run_count");
        for (const auto& run : json.at("silent_runs"))
            f.levels.silentRuns.push_back({run.at(0), run.at(1), run.at(2), run.at(3)});
        f.loudness.integratedLufs = json.at("integrated_lufs");
        f.loudness.rangeLu = json.at("loudness_range_lu");
        f.loudness.truePeakDb = json.at("true_peak_db");
        f.loudness.samplePeakDb = json.at("sample_peak_db");
        f.spectrum.bandDb = json.at("spectrum_db").get<std::vector<float>>();
        const Json& strike = json.at("strike");
        f.strike = {strike.at("hits"),       strike.at("hits_per_s"), strike.at("low_share"),
                    strike.at("body_share"), strike.at("mid_share"),  strike.at("high_share"),
                    strike.at("peak_share"), strike.at("decay_ms"),   strike.at("gap_db")};
        f.arrivals = json.at("arrivals");
        if (!f.spectrum.bandDb.empty() && f.spectrum.bandDb.size() != kSpectrumPoints)
            return damaged;
        return f;
    } catch (const Json::exception&) {
        return damaged;
    }
}

} // namespace cask::measure
