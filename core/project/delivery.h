// Writes the mix and stems of a session to disk and measures what was written.
#pragma once

#include <core/base/progress.h>
#include <core/graph/plan.h>
#include <core/media/audio_writer.h>
#include <filesystem>
#include <string>
#include <vector>

namespace cask::project {

/// Elements, buses, what enters the master (this sums to the mix before the master's chain), or processed
/// tracks: elements before level and pan, mono or stereo as they are, under the names of their files.
enum class Stems { None, Elements, Buses, MasterInputs, Tracks };

struct DeliveryOptions {
    bool mix = true;
    Stems stems = Stems::None;
    bool withTails = false; ///< of tracks: to the end of the session, not of their files
    /// A stretch of the session alone, frames at its rate; 0 frames: to its end.
    Frames from = 0;
    Frames frames = 0;
    media::WriteOptions file;
    double sampleRateHz = 0; ///< 0: the session's
    /// How files are called, without their ending: {session}, {name} (of the element or bus, or "mix"),
    /// {file} (of its first file), {role}, {bus} (that it goes to), {number} (01, 02, ...). Empty: "{session}
    /// - {name}", of tracks "{file}".
    std::string namePattern;
    int threads = 2;
    WriteRules rules = {IfExists::Refuse, nullptr};
    /// Sentences about sources that are missing or broken, and that somebody allowed to be silent: the
    /// delivery is marked as incomplete.
    std::vector<std::string> missing;
};

struct DeliveredFile {
    std::filesystem::path path;
    std::uintmax_t bytes = 0;
    std::string sha256;
    double integratedLufs = kSilenceDb; ///< at the session's rate, before reduction of bits
    double truePeakDb = kSilenceDb;     ///< dBTP
    Frames frames = 0;                  ///< at the delivered rate
    Frames clippedSamples = 0;
};

struct DeliveryReport {
    std::vector<DeliveredFile> files;
    std::filesystem::path manifest;
    bool isComplete = true; ///< false: sources were missing
    double soundS = 0;
    double wallS = 0;
    std::vector<std::string> notes; ///< clipping, solo, mute; one sentence each
};

/// Files: "NAME - mix.wav", "NAME - snare top.wav", and last "NAME - delivery.json" with the size and SHA-256
/// of each: only it says that a delivery is whole. Stems are taken after level and pan, before their bus; a
/// muted element's stem is silent. Tracks begin where their files begin and are as long, whether they are
/// muted or not. Files appear under their names when all are complete; on a stop or an
/// error nothing is left behind. Where sources were missing, "NAME - incomplete.txt" says which.
[[nodiscard]] Result<DeliveryReport> deliver(const session::Session& session,
                                             const graph::SourceLookup& sources,
                                             const std::filesystem::path& folder,
                                             const DeliveryOptions& options, const CancelToken& cancel = {},
                                             const ProgressFn& progress = {});

/// The names that the files get, with their endings, mix first: none twice. An error names what of the
/// pattern is not known.
[[nodiscard]] Result<std::vector<std::string>> deliveryNames(const session::Session& session,
                                                             const DeliveryOptions& options);

/// Of which elements or buses a delivery has files beside the mix.
[[nodiscard]] std::vector<session::Id> stemsOf(const session::Session& session, Stems stems);

/// What is not heard, or heard alone, although nobody may remember it; one sentence each.
[[nodiscard]] std::vector<std::string> soloSentences(const session::Session& session);

/// A name without what file systems refuse.
[[nodiscard]] std::string fileNameFor(std::string_view name);

} // namespace cask::project
