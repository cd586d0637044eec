#include "core/project/delivery.h"

#include "core/graph/offline_render.h"
#include "core/media/resampler.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <memory>
#include <optional>
#include <set>

namespace cask::project {
namespace {

namespace fs = std::filesystem;

/// One track on its way to its file.
struct Track {
    media::AudioWriter writer;
    std::optional<media::Resampler> resampler;
    measure::LoudnessMeter meter;
    fs::path path;
    Frames frames = 0;

    Status write(std::span<const float> interleaved) {
        const auto piece = resampler ? resampler->process(interleaved) : interleaved;
        frames += static_cast<Frames>(piece.size()) / 2;
        return writer.write(piece);
    }
};

std::vector<session::Id> stemIds(const session::Session& s, Stems stems) {
    std::vector<session::Id> ids;
    if (stems == Stems::Elements)
        for (const auto& e : s.elements)
            ids.push_back(e->id);
    if (stems == Stems::Buses)
        for (const auto& b : s.buses)
            if (!b->isMaster)
                ids.push_back(b->id);
    return ids;
}

Result<std::unique_ptr<Track>> openTrack(const fs::path& path, double sessionRate,
                                         const DeliveryOptions& options) {
    const double rate = options.sampleRateHz > 0 ? options.sampleRateHz : sessionRate;
    auto writer = media::AudioWriter::create(path, rate, 2, options.file);
    if (!writer)
        return writer.error();
    std::optional<media::Resampler> resampler;
    if (rate != sessionRate) {
        auto made = media::Resampler::create(sessionRate, rate, 2);
        if (!made)
            return made.error();
        resampler.emplace(std::move(*made));
    }
    return std::unique_ptr<Track>(
        new Track{std::move(*writer), std::move(resampler), measure::LoudnessMeter(sessionRate, 2), path});
}

} // namespace

std::string fileNameFor(std::string_view name) {
    std::string clean;
    for (const char c : name)
        clean.push_back(c == '/' || c == '\\' || c == ':' || c == '*' || c == '?' || c == '"' || c == '<' ||
                                c == '>' || c == '|' || static_cast<unsigned char>(c) < 32
                            ? '_'
                            : c);
    while (!clean.empty() && (clean.back() == '.' || clean.back() == ' '))
        clean.pop_back();
    while (!clean.empty() && clean.front() == '.')
        clean.erase(clean.begin());
    // File systems take 255 bytes; leave room for the ending and do not cut a character in two.
    constexpr std::size_t kMost = 200;
    if (clean.size() > kMost) {
        std::size_t cut = kMost;
        while (cut > 0 && (static_cast<unsigned char>(clean[cut]) & 0xC0U) == 0x80U)
            --cut;
        clean.resize(cut);
    }
    return clean.empty() ? "untitled" : clean;
}

Result<DeliveryReport> deliver(const session::Session& s, const graph::SourceLookup& sources,
                               const fs::path& folder, const DeliveryOptions& options,
                               const CancelToken& cancel, const ProgressFn& progress) {
    const auto begun = std::chrono::steady_clock::now();
    if (s.lengthFrames() <= 0)
        return Error{ErrorCode::Empty, s.name + " holds no sound yet, so there is nothing to deliver."};
    std::error_code error;
    fs::create_directories(folder, error);
    if (error)
        return Error{ErrorCode::NotWritable,
                     folder.string() + " can't be made as a folder: " + error.message() + "."};

    graph::RenderOptions render;
    render.threads = options.threads;
    render.stems = stemIds(s, options.stems);
    std::vector<std::unique_ptr<Track>> tracks; // the mix first; null when it is not wanted
    std::set<std::string> names;
    const auto add = [&](const std::string& what) -> Status {
        const std::string ending = options.file.container == media::Container::Flac ? ".flac" : ".wav";
        const std::string base = fileNameFor(s.name) + " - " + fileNameFor(what);
        std::string name = base;
        for (int n = 2; !names.insert(name).second; ++n)
            name = base + " " + std::to_string(n);
        auto track = openTrack(folder / (name + ending), s.sampleRateHz, options);
        if (!track)
            return track.error();
        tracks.push_back(std::move(*track));
        return Done{};
    };
    if (options.mix) {
        if (auto status = add("mix"); !status)
            return status.error();
    } else {
        tracks.push_back(nullptr);
    }
    for (const session::Id id : render.stems)
        if (auto status = add(s.nameOf(id)); !status)
            return status.error();

    const auto sink = [&](int t, std::span<const float> block) -> Status {
        const auto& track = tracks[static_cast<std::size_t>(t)];
        if (!track)
            return Done{};
        track->meter.add(block);
        return track->write(block);
    };
    if (auto status = graph::renderOffline(s, sources, render, sink, cancel, progress); !status)
        return status.error();

    DeliveryReport report;
    for (auto& track : tracks) {
        if (!track)
            continue;
        if (track->resampler)
            if (auto status = track->write({}); !status)
                return status.error();
        if (auto status = track->writer.commit(); !status)
            return status.error();
        const Frames clipped = track->writer.clippedSamples();
        if (clipped > 0)
            report.notes.push_back(fmt::format("{}: {} samples were over full scale and are clipped.",
                                               track->path.filename().string(), clipped));
        report.files.push_back({track->path, track->meter.result(), track->frames, clipped});
    }
    report.soundS = framesToSeconds(s.lengthFrames(), s.sampleRateHz);
    report.wallS = std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
    return report;
}

} // namespace cask::project
