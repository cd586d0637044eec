#include "core/project/sound_writer.h"

#include "core/base/file_system.h"
#include "core/media/audio_writer.h"

#include <algorithm>

namespace cask::project {

Status writeSound(AudioSource& source, const SoundPart& part, const CancelToken& cancel,
                  const ProgressFn& progress) {
    const std::size_t channels = part.channels.size();
    const Frames frames = part.to - part.from;
    if (auto room = checkRoom(part.file.parent_path(), media::bytesFor(frames, static_cast<int>(channels),
                                                                       media::SampleFormat::Float32));
        !room)
        return room;
    const media::WriteOptions options{media::Container::Wav, media::SampleFormat::Float32, false, 0};
    auto writer = media::AudioWriter::create(part.file, part.rateHz, static_cast<int>(channels), options);
    if (!writer)
        return writer.error();
    constexpr Frames kPiece = 65536;
    std::vector<float> side(kPiece);
    std::vector<float> all(kPiece * channels);
    for (Frames done = 0; done < frames; done += kPiece) {
        if (cancel.isCancelled())
            return Error{ErrorCode::Cancelled, "Stopped; the sound was not written."};
        const auto some = static_cast<std::size_t>(std::min(kPiece, frames - done));
        for (std::size_t c = 0; c < channels; ++c) {
            (void)source.read(part.channels[c], part.from + done, std::span(side).first(some));
            for (std::size_t n = 0; n < some; ++n)
                all[n * channels + c] = side[n];
        }
        if (const auto failed = source.failure(); !failed.empty())
            return Error{ErrorCode::NotReadable, failed};
        if (auto written = writer->write(std::span(all).first(some * channels)); !written)
            return written;
        if (progress)
            progress(static_cast<double>(done) / static_cast<double>(frames));
    }
    return writer->commit();
}

} // namespace cask::project
