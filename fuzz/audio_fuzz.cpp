// Any bytes as a sound file: an error, or samples that are numbers, within bounded memory.
#include "core/media/audio_reader.h"
#include "core/media/verify_file.h"
#include "fuzz/accepted.h"

#include <cmath>
#include <cstdint>
#include <cstdlib>
#include <string>
#include <sys/mman.h>
#include <unistd.h>
#include <vector>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    // In memory: a disk would be most of the time.
    static const int file = ::memfd_create("cask-fuzz", 0);
    static const std::string name = "/proc/self/fd/" + std::to_string(file);
    if (file < 0 || ::ftruncate(file, 0) != 0 || ::pwrite(file, data, size, 0) != static_cast<ssize_t>(size))
        std::abort();
    if (auto reader = cask::media::AudioReader::open(name)) {
        std::vector<float> block(static_cast<std::size_t>(1024 * reader->info().channels));
        for (int i = 0; i < 64 && reader->read(block) > 0; ++i)
            for (const float x : block)
                if (!std::isfinite(x))
                    std::abort();
    }
    const auto verified = cask::media::verifyFile(name);
    cask::fuzz::count(verified.ok());
    if (verified && (verified->info.frames <= 0 || verified->contentHash.size() != 32))
        std::abort();
    return 0;
}
