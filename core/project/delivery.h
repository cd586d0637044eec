// Writes the mix and stems of a session to disk and measures what was written.
#pragma once

#include <core/base/progress.h>
#include <core/graph/plan.h>
#include <core/measure/loudness.h>
#include <core/media/audio_writer.h>
#include <filesystem>
#include <string>
#include <vector>

namespace cask::project {

enum class Stems { None, Elements, Buses };

struct DeliveryOptions {
    bool mix = true;
    Stems stems = Stems::None;
    media::WriteOptions file;
    double sampleRateHz = 0; ///< 0: the session's
    int threads = 2;
};

struct DeliveredFile {
    std::filesystem::path path;
    measure::Loudness loudness; ///< at the session's rate, before reduction of bits
    Frames frames = 0;          ///< at the delivered rate
    Frames clippedSamples = 0;
};

struct DeliveryReport {
    std::vector<DeliveredFile> files;
    double soundS = 0;
    double wallS = 0;
    std::vector<std::string> notes; ///< clipping, one sentence each
};

/// Files: "NAME - mix.wav", "NAME - snare top.wav". Stems are taken after level and position, before their
/// bus; a muted element's stem is silent. Existing files of those names are replaced only when the new ones
/// are complete; on a stop or an error nothing is left behind.
[[nodiscard]] Result<DeliveryReport> deliver(const session::Session& session,
                                             const graph::SourceLookup& sources,
                                             const std::filesystem::path& folder,
                                             const DeliveryOptions& options, const CancelToken& cancel = {},
                                             const ProgressFn& progress = {});

/// A name without what file systems refuse.
[[nodiscard]] std::string fileNameFor(std::string_view name);

} // namespace cask::project
