#include "core/project/source_check.h"

#include "core/base/hash.h"
#include "core/layers/stack_file.h"
#include "core/media/verify_file.h"
#include "core/session/session_store.h"

#include <fmt/format.h>

#include <map>
#include <mutex>
#include <sys/stat.h>
#include <tuple>

namespace cask::project {
namespace {

namespace fs = std::filesystem;

/// A file's place and when it was last written: as long as they stay, its content does.
using Stamp = std::tuple<std::string, dev_t, ino_t, off_t, long, long>;

std::optional<Stamp> stampOf(const fs::path& path) {
    struct stat info {};
    if (::stat(path.c_str(), &info) != 0)
        return std::nullopt;
    return Stamp{path.string(), info.st_dev,         info.st_ino,
                 info.st_size,  info.st_mtim.tv_sec, info.st_mtim.tv_nsec};
}

std::string lengthText(Frames frames, double rateHz) {
    return fmt::format("{:.3f} s", rateHz > 0 ? static_cast<double>(frames) / rateHz : 0.0);
}

Error changed(const fs::path& path, const std::string& what) {
    return {ErrorCode::ChangedOnDisk, path.string() + " has changed since it was imported: " + what + "."};
}

} // namespace

Result<std::string> contentHashOf(const fs::path& path) {
    static std::mutex mutex; // guards known
    static std::map<Stamp, std::string> known;
    const auto stamp = stampOf(path);
    if (stamp) {
        const std::lock_guard lock(mutex);
        if (const auto it = known.find(*stamp); it != known.end())
            return it->second;
    }
    auto hash = hashFile(path);
    // Written while it was read: the next one who asks reads again.
    if (hash && stamp && stampOf(path) == stamp) {
        const std::lock_guard lock(mutex);
        known[*stamp] = *hash;
    }
    return hash;
}

std::string measureName(const std::string& contentHash, double rateHz) {
    return fmt::format("{}-{:.0f}", contentHash, rateHz);
}

namespace {

/// A stack plays what its text and its sounds say: all of it is its content.
Result<CheckedSource> checkStack(const session::SourceFile& file, const fs::path& path) {
    const auto stack = layers::readStack(path);
    if (!stack)
        return stack.error();
    auto own = contentHashOf(path);
    if (!own)
        return own.error();
    if (!file.contentHash.empty() && *own != file.contentHash)
        return changed(path, "its content is another one");
    std::string all = *own;
    for (const auto& sound : layers::filesOf(*stack)) {
        const auto hash = contentHashOf(sound);
        if (!hash)
            return hash.error();
        all += *hash;
    }
    CheckedSource checked;
    checked.file = media::SoundFile(path, file.frames);
    checked.info.frames = file.frames;
    checked.info.channels = file.channels;
    checked.info.sampleRateHz = file.sampleRateHz;
    checked.info.format = file.format;
    checked.contentHash = hashBytes(std::as_bytes(std::span(all)));
    return checked;
}

} // namespace

Result<CheckedSource> checkSource(const session::SourceFile& file, const fs::path& sessionFolder) {
    const auto path = session::resolvePath(file, sessionFolder);
    const bool knowsFrames = file.frames > 0;
    CheckedSource checked;
    if (layers::isStackFile(path))
        return checkStack(file, path);
    checked.file = knowsFrames ? media::SoundFile(path, file.frames) : media::SoundFile(path);
    auto whole = media::AudioReader::open(path);
    if (!whole)
        return whole.error();
    checked.info = whole->info();
    auto hash = contentHashOf(path);
    if (!hash)
        return hash.error();
    checked.contentHash = *std::move(hash);
    const media::MediaInfo& now = checked.info;
    if (file.channels > 0 && now.channels != file.channels)
        return changed(path, fmt::format("it has {} {} now, {} then", now.channels,
                                         now.channels == 1 ? "channel" : "channels", file.channels));
    if (file.sampleRateHz > 0 && now.sampleRateHz != file.sampleRateHz)
        return changed(path, fmt::format("its sample rate is {} Hz now, {} Hz then", now.sampleRateHz,
                                         file.sampleRateHz));
    const bool isOther = !file.contentHash.empty() && checked.contentHash != file.contentHash;
    // Older sessions know no content; the length that a header claims is then all there is to go by.
    const bool isLengthOther = knowsFrames && now.isLengthKnown && now.frames != file.frames;
    if (isLengthOther && (isOther || file.contentHash.empty()))
        return changed(path,
                       fmt::format("it is {} long now, {} then", lengthText(now.frames, now.sampleRateHz),
                                   lengthText(file.frames, now.sampleRateHz)));
    if (isOther)
        return changed(path, "its content is another one");
    if (isLengthOther)
        checked.info.warnings.push_back(media::partlyThere(path, file.frames, now.frames, now.sampleRateHz));
    if (!now.isLengthKnown && knowsFrames)
        checked.info.warnings.push_back(media::partlyThere(path, file.frames, 0, now.sampleRateHz));
    return checked;
}

Result<session::SourceFile> sourceAsItIs(const session::Session& session, session::Id id,
                                         const fs::path& path, const CancelToken& cancel) {
    const auto* before = session.file(id);
    if (before == nullptr)
        return Error{ErrorCode::NotFound, "The session has no such file."};
    const auto verified = media::verifyFile(path, cancel);
    if (!verified)
        return verified.error();
    for (const auto& e : session.elements)
        for (const auto& ref : e->channels)
            if (ref.file == id && ref.channel >= verified->info.channels)
                return Error{ErrorCode::BadValue,
                             fmt::format("{} has {} {}, and {} plays channel {} of it; it was not taken.",
                                         path.string(), verified->info.channels,
                                         verified->info.channels == 1 ? "channel" : "channels", e->name,
                                         ref.channel + 1)};
    session::SourceFile now = *before;
    now.path = path.string();
    now.frames = verified->info.frames;
    now.channels = verified->info.channels;
    now.sampleRateHz = verified->info.sampleRateHz;
    now.format = verified->info.format;
    now.timeReference = verified->info.timeReference;
    now.contentHash = verified->contentHash;
    return now;
}

RelinkedFiles relinkedFiles(const session::Session& session, const fs::path& sessionFolder, session::Id id,
                            const fs::path& path, const CancelToken& cancel, const ProgressFn& progress) {
    RelinkedFiles found;
    double done = 0;
    for (const auto& file : session.files) {
        if (progress)
            progress(done++ / static_cast<double>(session.files.size()));
        const fs::path old = session::resolvePath(*file, sessionFolder);
        const fs::path beside = path.parent_path() / old.filename();
        std::error_code error;
        const bool isMeant = file->id == id;
        if (!isMeant && (fs::exists(old, error) || !fs::exists(beside, error)))
            continue;
        auto now = sourceAsItIs(session, file->id, isMeant ? path : beside, cancel);
        // A person chose the one; another of the same name must be the same sound.
        const bool isOther =
            now && !isMeant &&
            (file->contentHash.empty() ? now->frames != file->frames : now->contentHash != file->contentHash);
        if (isOther)
            found.problems.push_back(beside.string() +
                                     " has the name of a missing file and another content; it "
                                     "was not taken.");
        else if (now)
            found.files.push_back(*std::move(now));
        else
            found.problems.push_back(now.error().message);
    }
    return found;
}

} // namespace cask::project
