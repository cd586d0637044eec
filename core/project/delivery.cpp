#include "core/project/delivery.h"

#include "core/base/file_system.h"
#include "core/base/parallel.h"
#include "core/base/sha256.h"
#include "core/base/utf8.h"
#include "core/dsp/true_peak.h"
#include "core/graph/offline_render.h"
#include "core/measure/integrated_loudness.h"
#include "core/media/resampler.h"
#include "core/project/outbox.h"
#include "core/session/open_outputs.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <array>
#include <chrono>
#include <memory>
#include <optional>
#include <set>

namespace cask::project {
namespace {

namespace fs = std::filesystem;

/// One track on its way to its file.
struct Track {
    int channels;
    Frames from, to; ///< of the session, what of it is in the file
    media::AudioWriter writer;
    std::optional<media::Resampler> resampler;
    measure::IntegratedLoudness loudness;
    std::array<dsp::TruePeakMeter, 2> truePeaks;
    fs::path path;
    Frames frames = 0;

    [[nodiscard]] double truePeakDb() const {
        return linearToDb(static_cast<double>(std::max(truePeaks[0].peak(), truePeaks[1].peak())));
    }
    /// The next block of the session, stereo; a mono track is its left side.
    Status take(std::span<const float> block) {
        const Frames begin = std::clamp<Frames>(from - heard, 0, static_cast<Frames>(block.size()) / 2);
        const Frames end = std::clamp<Frames>(to - heard, begin, static_cast<Frames>(block.size()) / 2);
        heard += static_cast<Frames>(block.size()) / 2;
        auto piece =
            block.subspan(static_cast<std::size_t>(2 * begin), static_cast<std::size_t>(2 * (end - begin)));
        if (channels == 1) {
            mono.resize(piece.size() / 2);
            for (std::size_t n = 0; n < mono.size(); ++n)
                mono[n] = piece[2 * n];
            piece = mono;
        }
        loudness.add(piece);
        for (std::size_t c = 0; c < static_cast<std::size_t>(channels) && c < piece.size(); ++c)
            truePeaks[c].add(piece.subspan(c), channels);
        return write(piece);
    }
    Status write(std::span<const float> interleaved) {
        const auto piece = resampler ? resampler->process(interleaved) : interleaved;
        frames += static_cast<Frames>(piece.size()) / channels;
        return writer.write(piece);
    }

    Frames heard = 0; ///< of the session
    std::vector<float> mono{};
};

/// What a file of the delivery holds.
struct Content {
    int channels = 2;
    Frames from = 0, to = 0; ///< frames of the session, from where it is rendered on
};

Result<std::unique_ptr<Track>> openTrack(const fs::path& path, double sessionRate,
                                         const DeliveryOptions& options, const Content& content) {
    const double rate = options.sampleRateHz > 0 ? options.sampleRateHz : sessionRate;
    auto writer = media::AudioWriter::create(path, rate, content.channels, options.file);
    if (!writer)
        return writer.error();
    std::optional<media::Resampler> resampler;
    if (rate != sessionRate) {
        auto made = media::Resampler::create(sessionRate, rate, content.channels);
        if (!made)
            return made.error();
        resampler.emplace(std::move(*made));
    }
    return std::unique_ptr<Track>(new Track{content.channels,
                                            content.from,
                                            content.to,
                                            std::move(*writer),
                                            std::move(resampler),
                                            measure::IntegratedLoudness(sessionRate, content.channels),
                                            {},
                                            path});
}

} // namespace

std::vector<std::string> soloSentences(const session::Session& s) {
    std::vector<std::string> names;
    const auto add = [&](const auto& owners) {
        for (const auto& owner : owners)
            if (owner->out.isAlone)
                names.push_back(owner->name);
    };
    add(s.elements);
    add(s.buses);
    if (names.empty())
        return {};
    return {fmt::format("Solo is on for {}: nothing else is heard.", fmt::join(names, ", "))};
}

namespace {

using Json = nlohmann::ordered_json;

/// The files of a delivery while they are made.
class Delivery {
  public:
    Delivery(const session::Session& s, const DeliveryOptions& options, Outbox outbox)
        : m_session(s), m_options(options), m_outbox(std::move(outbox)), m_base(fileNameFor(s.name)) {
        m_stems = stemsOf(s, options.stems);
    }

    /// All names are asked for before anything is rendered.
    Status plan() {
        const Content whole{2, 0, stretch()};
        const auto names = deliveryNames(m_session, m_options);
        if (!names)
            return names.error();
        auto name = names->begin();
        if (m_options.mix)
            if (auto status = addTrack(*name++, whole); !status)
                return status;
        for (const session::Id id : m_stems) {
            const bool isTrack = m_options.stems == Stems::Tracks;
            if (auto status = addTrack(*name++, isTrack ? contentOf(*m_session.element(id)) : whole); !status)
                return status;
        }
        if (!m_options.missing.empty()) {
            auto place = m_outbox.place(m_base + " - incomplete.txt");
            if (!place)
                return place.error();
            m_incomplete = *place;
        }
        auto place = m_outbox.place(manifestName());
        if (!place)
            return place.error();
        m_manifest = *place;
        const double rate = outputRate();
        const auto frames = media::Resampler::convertedLength(stretch(), m_session.sampleRateHz, rate);
        return checkRoom(m_outbox.folder(),
                         m_tracks.size() * media::bytesFor(frames, 2, m_options.file.sampleFormat));
    }

    Status render(const graph::SourceLookup& sources, const CancelToken& cancel, const ProgressFn& progress) {
        // Tracks are of another rendering than the mix: before levels, pans and sends.
        const bool hasTracks = m_options.stems == Stems::Tracks;
        const double share = !hasTracks ? 1 : m_options.mix ? 0.5 : 0;
        if (m_options.mix || !hasTracks)
            if (auto status = renderFrom(m_session, hasTracks ? std::vector<session::Id>{} : m_stems, 0,
                                         sources, cancel, partOf(progress, 0, share));
                !status)
                return status;
        return !hasTracks ? Status(Done{})
                          : renderFrom(session::withOpenOutputs(m_session), m_stems, m_options.mix ? 1 : 0,
                                       sources, cancel, partOf(progress, share, 1));
    }

    Result<DeliveryReport> finish(const CancelToken& cancel) {
        DeliveryReport report;
        report.isComplete = m_options.missing.empty();
        for (const auto& sentence : soloSentences(m_session))
            report.notes.push_back(sentence);
        if (auto closed = closeTracks(report, cancel); !closed)
            return closed.error();
        if (auto written = writeTexts(report); !written)
            return written.error();
        // A manifest of an earlier delivery must not vouch for a half of this one.
        const auto old = m_outbox.folder() / manifestName();
        if (m_options.rules.ifExists == IfExists::Replace)
            if (auto removed = diskFileSystem().remove(old); !removed)
                return removed.error();
        if (cancel.isCancelled())
            return Error{ErrorCode::Cancelled, "Rendering was stopped."};
        if (auto delivered = m_outbox.deliver(); !delivered)
            return delivered.error();
        for (auto& file : report.files)
            file.path = m_outbox.folder() / file.path.filename();
        report.manifest = old;
        return report;
    }

  private:
    /// `place`: of the mix among the files where it is wanted, or of the first stem.
    Status renderFrom(const session::Session& s, const std::vector<session::Id>& stems, std::size_t place,
                      const graph::SourceLookup& sources, const CancelToken& cancel,
                      const ProgressFn& progress) {
        graph::RenderOptions render;
        render.threads = m_options.threads;
        render.stems = stems;
        render.from = m_options.from;
        render.frames = stretch();
        const bool isMix = m_options.mix && place == 0; // the mix comes as track 0, wanted or not
        const int first = isMix ? 0 : 1;
        const auto sink = [&](int t, std::span<const float> block) -> Status {
            return t < first ? Status(Done{})
                             : m_tracks[place + static_cast<std::size_t>(t - first)]->take(block);
        };
        return graph::renderOffline(s, sources, render, sink, cancel, progress);
    }
    /// Frames of the session that are rendered.
    [[nodiscard]] Frames stretch() const {
        const Frames left = std::max<Frames>(0, m_session.lengthFrames() - m_options.from);
        return m_options.frames > 0 ? std::min(m_options.frames, left) : left;
    }
    [[nodiscard]] Content contentOf(const session::Element& e) const {
        Content content{e.isStereo() ? 2 : 1, 0, stretch()};
        const auto* file = m_session.file(e.channels.front().file);
        if (file == nullptr)
            return content;
        content.from = std::clamp<Frames>(e.startFrame - m_options.from, 0, stretch());
        const Frames end =
            e.startFrame - m_options.from +
            media::Resampler::convertedLength(file->frames, file->sampleRateHz, m_session.sampleRateHz);
        if (!m_options.withTails)
            content.to = std::clamp<Frames>(end, content.from, stretch());
        return content;
    }
    [[nodiscard]] double outputRate() const {
        return m_options.sampleRateHz > 0 ? m_options.sampleRateHz : m_session.sampleRateHz;
    }
    [[nodiscard]] std::string manifestName() const { return m_base + " - delivery.json"; }

    Status addTrack(const std::string& name, const Content& content) {
        const auto place = m_outbox.place(name);
        if (!place)
            return place.error();
        auto track = openTrack(*place, m_session.sampleRateHz, m_options, content);
        if (!track)
            return track.error();
        m_tracks.push_back(std::move(*track));
        return Done{};
    }

    /// Syncs and hashes the files: while the disk works for one, another is hashed.
    Status closeTracks(DeliveryReport& report, const CancelToken& cancel) {
        std::vector<Status> done(m_tracks.size(), Status(Done{}));
        report.files.resize(m_tracks.size());
        inParallel(m_tracks.size(), [&](std::size_t i) {
            if (!cancel.isCancelled())
                done[i] = closeTrack(*m_tracks[i], report.files[i]);
        });
        for (const auto& status : done)
            if (!status)
                return status;
        for (const auto& file : report.files)
            if (file.clippedSamples > 0)
                report.notes.push_back(fmt::format("{}: {} samples were over full scale and are clipped.",
                                                   file.path.filename().string(), file.clippedSamples));
        return Done{};
    }

    static Status closeTrack(Track& track, DeliveredFile& file) {
        if (track.resampler)
            if (auto status = track.write({}); !status)
                return status;
        if (auto status = track.writer.commit(); !status)
            return status;
        auto hash = sha256OfFile(track.path);
        if (!hash)
            return hash.error();
        std::error_code error;
        file = {track.path,
                fs::file_size(track.path, error),
                *std::move(hash),
                track.loudness.lufs(),
                track.truePeakDb(),
                track.frames,
                track.writer.clippedSamples()};
        return Done{};
    }

    Status writeTexts(const DeliveryReport& report) {
        if (!m_options.missing.empty()) {
            const std::string text =
                fmt::format("This export of {} is incomplete. These sources are silent in it:\n{}\n",
                            m_session.name, fmt::join(m_options.missing, "\n"));
            if (auto written = diskFileSystem().writeAtomically(m_incomplete, text); !written)
                return written;
        }
        Json files = Json::array();
        for (const auto& file : report.files)
            files.push_back({{"file", toUtf8(file.path.filename().string())},
                             {"bytes", file.bytes},
                             {"sha256", file.sha256},
                             {"frames", file.frames},
                             {"integrated_lufs", file.integratedLufs},
                             {"true_peak_db", file.truePeakDb}});
        const Json json{{"format", "ember-cask-delivery"}, {"session", m_session.name},
                        {"complete", report.isComplete},   {"sample_rate_hz", outputRate()},
                        {"files", std::move(files)},       {"notes", report.notes},
                        {"missing", m_options.missing}};
        return diskFileSystem().writeAtomically(
            m_manifest, json.dump(2, ' ', false, Json::error_handler_t::replace) + "\n");
    }

    const session::Session& m_session;
    const DeliveryOptions& m_options;
    Outbox m_outbox;
    std::string m_base;
    std::vector<session::Id> m_stems;
    std::vector<std::unique_ptr<Track>> m_tracks; // the mix first, if it is wanted
    fs::path m_incomplete;
    fs::path m_manifest;
};

} // namespace

Result<DeliveryReport> deliver(const session::Session& s, const graph::SourceLookup& sources,
                               const fs::path& folder, const DeliveryOptions& options,
                               const CancelToken& cancel, const ProgressFn& progress) {
    const auto begun = std::chrono::steady_clock::now();
    if (s.lengthFrames() <= options.from)
        return Error{ErrorCode::Empty, s.name + " holds no sound yet, so there is nothing to export."};
    auto outbox = Outbox::open(folder, options.rules);
    if (!outbox)
        return outbox.error();
    Delivery delivery(s, options, std::move(*outbox));
    if (auto planned = delivery.plan(); !planned)
        return planned.error();
    if (auto rendered = delivery.render(sources, cancel, progress); !rendered)
        return rendered.error();
    auto report = delivery.finish(cancel);
    if (!report)
        return report;
    const Frames left = s.lengthFrames() - options.from;
    report->soundS =
        framesToSeconds(options.frames > 0 ? std::min(options.frames, left) : left, s.sampleRateHz);
    report->wallS = std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
    return report;
}

} // namespace cask::project
