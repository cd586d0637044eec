#include "core/media/verify_file.h"

#include "core/base/hash.h"

#include <fmt/format.h>

#include <vector>

namespace cask::media {

std::string partlyThere(const std::filesystem::path& path, Frames decoded, Frames promised,
                        double sampleRateHz) {
    const double seconds = static_cast<double>(decoded) / sampleRateHz;
    if (promised <= 0)
        return fmt::format(
            "{} has lost its end or part of its header; {:.3f} s of sound can be read, and that "
            "is used.",
            path.string(), seconds);
    return fmt::format(
        "{} is cut short or damaged: {:.1f} % of the sound its header promises can be read, and "
        "that is used ({:.3f} s).",
        path.string(), 100 * static_cast<double>(decoded) / static_cast<double>(promised), seconds);
}

Result<VerifiedFile> verifyFile(const std::filesystem::path& path, const CancelToken& cancel,
                                const ProgressFn& progress) {
    auto reader = AudioReader::open(path);
    if (!reader)
        return reader.error();
    VerifiedFile verified;
    verified.info = reader->info();
    MediaInfo& info = verified.info;
    constexpr Frames kPieceFrames = 32768;
    std::vector<float> piece(static_cast<std::size_t>(kPieceFrames * info.channels));
    Frames decoded = 0;
    const double mostFrames = kLongestFileS * info.sampleRateHz;
    while (const Frames got = reader->read(piece)) {
        if (cancel.isCancelled())
            return Error{ErrorCode::Cancelled, path.string() + " was not read to its end: stopped."};
        decoded += got;
        if (static_cast<double>(decoded) > mostFrames)
            return Error{ErrorCode::Unsupported, path.string() + " is longer than 24 hours."};
        if (progress && info.frames > 0)
            progress(static_cast<double>(decoded) / static_cast<double>(info.frames));
    }
    const auto state = reader->state();
    if (!state && state.error().code == ErrorCode::NotReadable)
        return state.error();
    if (decoded == 0)
        return Error{ErrorCode::BadFormat, path.string() + " holds no sound that can be read."};
    const Frames invalid = reader->notFiniteSamples();
    if (invalid == decoded * info.channels)
        return Error{ErrorCode::BadFormat, path.string() + " holds only invalid samples (NaN or infinite)."};
    if (decoded != info.frames)
        info.warnings.push_back(partlyThere(path, decoded, info.frames, info.sampleRateHz));
    if (invalid > 0)
        info.warnings.push_back(fmt::format("{} contains {} invalid {} (NaN or infinite); {} as silence.",
                                            path.string(), invalid, invalid == 1 ? "sample" : "samples",
                                            invalid == 1 ? "it plays" : "they play"));
    info.frames = decoded;
    info.isLengthKnown = true;
    auto hash = hashFile(path);
    if (!hash)
        return hash.error();
    verified.contentHash = *std::move(hash);
    return verified;
}

} // namespace cask::media
