// Any bytes as a sound file: an error, or samples that are numbers, within bounded memory.
#include "core/media/audio_reader.h"

#include <cmath>
#include <cstdint>
#include <cstdlib>
#include <unistd.h>
#include <vector>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    char name[] = "/tmp/cask-fuzz-XXXXXX";
    const int file = ::mkstemp(name);
    if (file < 0 || ::write(file, data, size) != static_cast<ssize_t>(size))
        std::abort();
    ::close(file);
    if (auto reader = cask::media::AudioReader::open(name)) {
        std::vector<float> block(static_cast<std::size_t>(1024 * reader->info().channels));
        for (int i = 0; i < 64 && reader->read(block) > 0; ++i)
            for (const float x : block)
                if (!std::isfinite(x))
                    std::abort();
    }
    ::unlink(name);
    return 0;
}
