// Reads takes with a known truth (docs/formats/takes.md), and runs the program on them.
#pragma once

#include <nlohmann/json.hpp>

#include <core/measure/hits/hit_material.h>
#include <filesystem>
#include <string>
#include <vector>

namespace cask::test {

using Json = nlohmann::json;

/// Every folder in `root` (or `root`/sessions) that has a truth.json. Throws where there is none.
[[nodiscard]] std::vector<std::filesystem::path> takesIn(const std::filesystem::path& root);
[[nodiscard]] Json truthOf(const std::filesystem::path& take);
/// Name of a microphone's file, without what stands behind the dot.
[[nodiscard]] std::string stemOf(const Json& truth, const std::string& microphone);
/// Strokes of other drums as this drum's microphone hears them, s, by time.
[[nodiscard]] std::vector<double> othersIn(const Json& truth, const std::string& drum);
[[nodiscard]] std::vector<float> firstChannel(const std::filesystem::path& file, double& rateHz);
/// A drum's close microphone with its true strokes and those of the others; levels: peaks of the first 20 ms.
[[nodiscard]] measure::HitMaterial closeMaterial(const std::filesystem::path& take, const Json& truth,
                                                 const std::string& drum);
/// Output of a command of the command line; throws where it fails.
std::string must(std::vector<std::string> arguments);

} // namespace cask::test
