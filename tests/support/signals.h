// Signals made by formula, and measures of them that are independent of the program's own.
#pragma once

#include <array>
#include <core/base/audio_source.h>
#include <core/graph/plan.h>
#include <core/session/session.h>
#include <filesystem>
#include <memory>
#include <span>
#include <vector>

namespace cask {

/// Of test sounds that are made at one rate only.
inline constexpr double kRate = 48000;
inline constexpr std::array kRates = {44100.0, 48000.0, 88200.0, 96000.0, 176400.0, 192000.0};

} // namespace cask

namespace cask::test {

[[nodiscard]] std::vector<float> sine(double hz, double amplitude, double seconds, double rateHz = 48000,
                                      double phase = 0);
/// Uniform white noise, -amplitude to amplitude; the same seed gives the same noise.
[[nodiscard]] std::vector<float> noise(double amplitude, std::size_t frames, unsigned seed);
/// Decaying bursts of a sine every `everyS`, the first at `firstS`.
[[nodiscard]] std::vector<float> bursts(double hz, double everyS, double firstS, double decayS,
                                        double seconds, double rateHz = 48000);
/// Amplitude of a sine in a signal by correlation (the discrete Fourier transform at one frequency).
[[nodiscard]] double amplitudeAt(std::span<const float> x, double hz, double rateHz, int stride = 1);
[[nodiscard]] double peakOf(std::span<const float> x);
[[nodiscard]] double rmsOf(std::span<const float> x);
/// Greatest second difference: a click stands out, a low tone does not.
[[nodiscard]] double roughness(std::span<const float> x);

/// Writes a 32-bit float WAV.
void writeWav(const std::filesystem::path& path, const std::vector<float>& interleaved, int channels = 1,
              double rateHz = 48000);
/// Reads any file whole, interleaved.
[[nodiscard]] std::vector<float> readAll(const std::filesystem::path& path);

/// A session with one element per planar source, sources in memory.
struct MemoryKit {
    session::Session session;
    graph::SourceLookup lookup;
    std::vector<session::Id> elements;
};
[[nodiscard]] MemoryKit memoryKit(const std::vector<std::vector<std::vector<float>>>& planarSources,
                                  double rateHz = 48000);
/// Renders a session, interleaved stereo.
[[nodiscard]] std::vector<float> render(const session::Session& session, const graph::SourceLookup& lookup,
                                        Frames frames, int blockFrames = 512, int threads = 1);

} // namespace cask::test
