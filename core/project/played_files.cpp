#include "core/project/played_files.h"

#include "core/base/file_system.h"
#include "core/layers/stack_file.h"
#include "core/layers/stack_source.h"
#include "core/media/audio_writer.h"
#include "core/project/delivery.h"
#include "core/project/hit_files.h"
#include "core/session/session_store.h"

#include <fmt/format.h>

#include <algorithm>

namespace cask::project {
namespace {

namespace fs = std::filesystem;

Status writeSound(AudioSource& source, const fs::path& target, double rateHz, int channels,
                  const CancelToken& cancel, const ProgressFn& progress) {
    if (auto room = checkRoom(target.parent_path(),
                              media::bytesFor(source.frames(), channels, media::SampleFormat::Float32));
        !room)
        return room;
    const media::WriteOptions options{media::Container::Wav, media::SampleFormat::Float32, false, 0};
    auto writer = media::AudioWriter::create(target, rateHz, channels, options);
    if (!writer)
        return writer.error();
    constexpr Frames kPiece = 65536;
    std::vector<float> side(kPiece);
    std::vector<float> both(static_cast<std::size_t>(kPiece * channels));
    for (Frames done = 0; done < source.frames(); done += kPiece) {
        if (cancel.isCancelled())
            return Error{ErrorCode::Cancelled, "Stopped; the stack was not struck."};
        const auto some = static_cast<std::size_t>(std::min(kPiece, source.frames() - done));
        for (int c = 0; c < channels; ++c) {
            (void)source.read(c, done, std::span(side).first(some));
            for (std::size_t n = 0; n < some; ++n)
                both[n * static_cast<std::size_t>(channels) + static_cast<std::size_t>(c)] = side[n];
        }
        if (auto written = writer->write(std::span(both).first(some * static_cast<std::size_t>(channels)));
            !written)
            return written;
        if (progress)
            progress(static_cast<double>(done) / static_cast<double>(source.frames()));
    }
    return writer->commit();
}

} // namespace

Result<media::PreparedSource> playStack(const CheckedSource& stack, double rateHz,
                                        const fs::path& cacheFolder, const CancelToken& cancel,
                                        const ProgressFn& progress) {
    const auto target = cacheFolder / fmt::format("{}-{:.0f}.wav", stack.contentHash, rateHz);
    if (const auto cached = media::AudioReader::open(target);
        cached && cached->info().sampleRateHz == rateHz && cached->info().channels == stack.info.channels &&
        cached->info().warnings.empty())
        return media::PreparedSource{{target, cached->info().frames}, true};
    const auto read = layers::readStack(stack.file.path);
    if (!read)
        return read.error();
    const auto source = layers::StackSource::make(*read, rateHz, cancel);
    if (!source)
        return source.error();
    if (auto made = diskFileSystem().makeFolder(cacheFolder); !made)
        return made.error();
    if (auto written =
            writeSound(**source, target, rateHz, std::max(1, stack.info.channels), cancel, progress);
        !written)
        return written.error();
    return media::PreparedSource{{target, (*source)->frames()}, true};
}

Result<WrittenStack> writeStack(const layers::Stack& stack, double rateHz, const fs::path& sessionFolder,
                                const std::string& name, const CancelToken& cancel) {
    const fs::path folder = fs::absolute(sessionFolder).lexically_normal() / "layers";
    const auto source = layers::StackSource::make(stack, rateHz, cancel);
    if (!source)
        return source.error();
    if (auto made = diskFileSystem().makeFolder(folder); !made)
        return made.error();
    const std::string plain = fileNameFor(name);
    fs::path file = folder / (plain + std::string(layers::kStackEnding));
    for (int n = 2; diskFileSystem().exists(file); ++n)
        file = folder / fmt::format("{} {}{}", plain, n, layers::kStackEnding);
    if (auto written = diskFileSystem().writeAtomically(file, layers::toJson(stack, folder)); !written)
        return written.error();
    const auto hash = contentHashOf(file);
    if (!hash)
        return hash.error();
    return WrittenStack{{session::storedPath(file, sessionFolder),
                         name + ".wav",
                         (*source)->frames(),
                         (*source)->channels(),
                         rateHz,
                         "stack",
                         {},
                         *hash},
                        (*source)->notes()};
}

ProtectedFiles protectedFiles(const session::Session& s, const fs::path& sessionFolder) {
    auto files = session::sourcesOf(s, sessionFolder);
    for (const auto& file : s.files)
        if (const auto path = session::resolvePath(*file, sessionFolder); layers::isStackFile(path))
            if (const auto stack = layers::readStack(path))
                for (const auto& sound : layers::filesOf(*stack))
                    files.add(sound);
    return files;
}

std::vector<layers::Strike> strikesOf(const session::Session& s, const kit::HitAnalysis& analysis,
                                      session::Id element) {
    std::vector<layers::Strike> strikes;
    double topDb = -200;
    const std::string name = s.nameOf(element);
    const auto rows = hitRows(s, analysis, true);
    for (const auto& row : rows)
        if (row.element == name)
            topDb = std::max(topDb, row.levelDb);
    for (const auto& row : rows)
        if (row.element == name && row.timeS >= 0)
            strikes.push_back({row.timeS, layers::velocityOf(row.levelDb - topDb), row.hitClass, -1});
    return strikes;
}

session::Session withStackFile(session::Session s, session::Id id, const session::IntakeFile& stack) {
    for (auto& file : s.files)
        if (file->id == id)
            file.edit([&](session::SourceFile& f) {
                f.path = stack.path;
                f.frames = stack.frames;
                f.channels = stack.channels;
                f.sampleRateHz = stack.sampleRateHz;
                f.contentHash = stack.contentHash;
            });
    for (auto& element : s.elements)
        if (element->channels.front().file == id)
            element.edit([&](session::Element& e) {
                e.channels.resize(static_cast<std::size_t>(stack.channels), {id, 0, {}});
                for (int c = 0; c < stack.channels; ++c)
                    e.channels[static_cast<std::size_t>(c)].channel = c;
            });
    return s;
}

} // namespace cask::project
