#include "core/demo/demo_session.h"

#include "core/base/file_system.h"
#include "core/base/hash.h"
#include "core/media/audio_writer.h"
#include "core/media/resampler.h"
#include "core/session/edits.h"
#include "core/session/intake.h"
#include "core/session/session_store.h"

#include <fmt/format.h>

#include <map>
#include <vector>

namespace cask::demo {
namespace {

namespace fs = std::filesystem;

std::vector<float> interleave(const DemoTrack& track) {
    const std::size_t channels = track.channels.size();
    std::vector<float> out(track.channels[0].size() * channels);
    for (std::size_t c = 0; c < channels; ++c)
        for (std::size_t i = 0; i < track.channels[c].size(); ++i)
            out[i * channels + c] = track.channels[c][i];
    return out;
}

Result<session::IntakeFile> writeTrack(const DemoTrack& track, double rate, const fs::path& audio) {
    // One file at another rate and in another format, as kits come.
    const bool isBass = track.name == "Bass";
    const double fileRate = isBass ? 44100 : rate;
    media::WriteOptions options;
    options.container = isBass ? media::Container::Flac : media::Container::Wav;
    const auto path = audio / (track.name + (isBass ? ".flac" : ".wav"));
    const int channels = static_cast<int>(track.channels.size());
    std::vector<float> sound = interleave(track);
    if (fileRate != rate) {
        auto resampler = media::Resampler::create(rate, fileRate, channels);
        if (!resampler)
            return resampler.error();
        const auto body = resampler->process(sound);
        std::vector<float> converted(body.begin(), body.end());
        const auto tail = resampler->process({});
        converted.insert(converted.end(), tail.begin(), tail.end());
        sound = std::move(converted);
    }
    auto writer = media::AudioWriter::create(path, fileRate, channels, options);
    if (!writer)
        return writer.error();
    if (auto status = writer->write(sound); !status)
        return status.error();
    if (auto status = writer->commit(); !status)
        return status.error();
    auto hash = hashFile(path);
    if (!hash)
        return hash.error();
    return session::IntakeFile{"audio/" + path.filename().string(),
                               path.filename().string(),
                               static_cast<Frames>(sound.size()) / channels,
                               channels,
                               fileRate,
                               isBass ? "FLAC" : "WAV, 24 bit",
                               std::nullopt,
                               *std::move(hash)};
}

/// Levels and positions a player would start from; no processing.
session::Session roughBalance(session::Session s) {
    const std::map<std::string, std::pair<double, double>> starts = {
        {"Kick In", {-4, 0}}, {"Kick Out", {-7, 0}},   {"Snare Top", {-3.5, 0}},  {"Snare Bottom", {-12, 0}},
        {"Hat", {-13, 0.35}}, {"Rack Tom", {-5, 0.2}}, {"Floor Tom", {-7, -0.4}}, {"Overheads", {-4, 0}},
        {"Room", {-10, 0}},   {"Bass", {-4, 0}}};
    for (const auto& e : std::vector(s.elements)) {
        const auto it = starts.find(e->name);
        if (it == starts.end())
            continue;
        s = session::withOutput(std::move(s), e->id, [&](session::Output& out) {
            out.levelDb = it->second.first;
            out.pan = it->second.second;
        });
    }
    return s;
}

std::string truthCsv(const Performance& p) {
    std::string csv = "drum,time_s,velocity,kind\n";
    for (const auto& s : p.strokes)
        csv += fmt::format("{},{:.6f},{:.4f},{}\n", drumName(s.drum), s.timeS, s.velocity, s.kind);
    return csv;
}

std::string faultsCsv(const DemoTake& take) {
    std::string csv = "track,fault,value\n";
    for (const auto& f : take.faults)
        csv += fmt::format("{},\"{}\",{}\n", f.track, f.what, f.value);
    return csv;
}

} // namespace

Result<fs::path> writeDemoSession(const fs::path& folder, const CancelToken& cancel,
                                  const ProgressFn& progress) {
    auto& files = diskFileSystem();
    session::SessionStore store(files, folder);
    const auto lock = store.lock();
    if (!lock)
        return lock.error();
    if (files.exists(store.sessionFile()))
        return Error{ErrorCode::NotWritable,
                     folder.string() + " holds a session already; it was left as it is."};
    if (auto made = files.makeFolder(store.audioFolder()); !made)
        return made.error();
    const DemoTake take = makeDemoTake();
    std::vector<session::IntakeFile> intake;
    for (std::size_t i = 0; i < take.tracks.size(); ++i) {
        if (cancel.isCancelled())
            return Error{ErrorCode::Cancelled, "The demo session was not finished: stopped."};
        auto file = writeTrack(take.tracks[i], take.sampleRateHz, store.audioFolder());
        if (!file)
            return file.error();
        intake.push_back(std::move(*file));
        if (progress)
            progress(static_cast<double>(i + 1) / static_cast<double>(take.tracks.size()));
    }
    session::Session s = roughBalance(session::withFiles(session::emptySession(take.sampleRateHz), intake));
    s.name = "Demo kit - verse and chorus";
    const Performance& p = take.performance;
    s.sections = {{"verse", p.verseStartS, p.chorusStartS}, {"chorus", p.chorusStartS, p.endS}};
    if (auto status = files.writeAtomically(folder / "truth.csv", truthCsv(p)); !status)
        return status.error();
    if (auto status = files.writeAtomically(folder / "faults.csv", faultsCsv(take)); !status)
        return status.error();
    if (auto status = store.save(s); !status)
        return status.error();
    return folder;
}

} // namespace cask::demo
