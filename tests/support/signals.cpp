#include "tests/support/signals.h"

#include "core/graph/offline_render.h"
#include "core/media/audio_reader.h"
#include "core/media/audio_writer.h"
#include "core/media/offline_source.h"
#include "core/session/intake.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <map>
#include <random>

namespace cask::test {

std::vector<float> sine(double hz, double amplitude, double seconds, double rateHz, double phase) {
    std::vector<float> x(static_cast<std::size_t>(seconds * rateHz));
    for (std::size_t i = 0; i < x.size(); ++i)
        x[i] =
            static_cast<float>(amplitude * std::sin(2 * kPi * hz * static_cast<double>(i) / rateHz + phase));
    return x;
}

std::vector<float> noise(double amplitude, std::size_t frames, unsigned seed) {
    std::mt19937 generator(seed);
    std::vector<float> x(frames);
    for (float& v : x)
        v = static_cast<float>(amplitude * (static_cast<double>(generator()) / 2147483648.0 - 1));
    return x;
}

std::vector<float> bursts(double hz, double everyS, double firstS, double decayS, double seconds,
                          double rateHz) {
    constexpr double kHeardDecays = 25; // behind them it is 217 dB down
    std::vector<float> x(static_cast<std::size_t>(seconds * rateHz), 0);
    for (double at = firstS; at < seconds; at += everyS) {
        const auto start = static_cast<std::size_t>(std::llround(at * rateHz));
        const auto end = std::min(x.size(), start + static_cast<std::size_t>(kHeardDecays * decayS * rateHz));
        for (std::size_t i = start; i < end; ++i) {
            const double t = static_cast<double>(i - start) / rateHz;
            x[i] += static_cast<float>(0.8 * std::exp(-t / decayS) * std::cos(2 * kPi * hz * t));
        }
    }
    return x;
}

double amplitudeAt(std::span<const float> x, double hz, double rateHz, int stride) {
    std::complex<double> sum = 0;
    std::size_t n = 0;
    for (std::size_t i = 0; i < x.size(); i += static_cast<std::size_t>(stride), ++n)
        sum += static_cast<double>(x[i]) * std::polar(1.0, -2 * kPi * hz * static_cast<double>(n) / rateHz);
    return 2 * std::abs(sum) / static_cast<double>(n);
}

double peakOf(std::span<const float> x) {
    double peak = 0;
    for (const float v : x)
        peak = std::max(peak, std::abs(static_cast<double>(v)));
    return peak;
}

double rmsOf(std::span<const float> x) {
    double sum = 0;
    for (const float v : x)
        sum += static_cast<double>(v) * v;
    return x.empty() ? 0 : std::sqrt(sum / static_cast<double>(x.size()));
}

double roughness(std::span<const float> x) {
    double worst = 0;
    for (std::size_t n = 2; n < x.size(); ++n)
        worst = std::max(worst, std::abs(static_cast<double>(x[n]) - 2.0 * x[n - 1] + x[n - 2]));
    return worst;
}

void writeWav(const std::filesystem::path& path, const std::vector<float>& interleaved, int channels,
              double rateHz) {
    auto writer = media::AudioWriter::create(path, rateHz, channels,
                                             {media::Container::Wav, media::SampleFormat::Float32, false, 0});
    ASSERT_TRUE(writer);
    ASSERT_TRUE(writer->write(interleaved));
    ASSERT_TRUE(writer->commit());
}

std::vector<float> readAll(const std::filesystem::path& path) {
    auto reader = media::AudioReader::open(path);
    if (!reader)
        return {};
    std::vector<float> x(static_cast<std::size_t>(reader->info().frames * reader->info().channels));
    const Frames got = reader->read(x);
    x.resize(static_cast<std::size_t>(got * reader->info().channels));
    return x;
}

MemoryKit memoryKit(const std::vector<std::vector<std::vector<float>>>& planarSources, double rateHz) {
    MemoryKit kit;
    std::vector<session::IntakeFile> files;
    for (std::size_t i = 0; i < planarSources.size(); ++i) {
        session::IntakeFile file;
        file.path = "/memory/" + std::to_string(i);
        file.name = "source " + std::to_string(i + 1) + ".wav";
        file.frames = static_cast<Frames>(planarSources[i][0].size());
        file.channels = static_cast<int>(planarSources[i].size());
        file.sampleRateHz = rateHz;
        files.push_back(file);
    }
    kit.session = session::withFiles(session::emptySession(rateHz), files);
    std::map<session::Id, std::shared_ptr<AudioSource>> map;
    for (std::size_t i = 0; i < planarSources.size(); ++i) {
        map[kit.session.files[i]->id] = std::make_shared<media::MemorySource>(planarSources[i]);
        kit.elements.push_back(kit.session.elements[i]->id);
    }
    kit.lookup = [map](session::Id id) { return map.at(id); };
    return kit;
}

std::vector<float> render(const session::Session& session, const graph::SourceLookup& lookup, Frames frames,
                          int blockFrames, int threads) {
    std::vector<float> out;
    graph::RenderOptions options;
    options.frames = frames;
    options.blockFrames = blockFrames;
    options.threads = threads;
    const auto status =
        graph::renderOffline(session, lookup, options, [&](int, std::span<const float> mix) -> Status {
            out.insert(out.end(), mix.begin(), mix.end());
            return Done{};
        });
    EXPECT_TRUE(status);
    return out;
}

} // namespace cask::test
