// Any bytes as a cache of trails: an error or trails in which arrivals can be searched.
#include "core/measure/hits/file_trails.h"
#include "fuzz/accepted.h"

#include <cstdint>
#include <cstdlib>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace cask::measure;
    const auto trails = parseTrails({reinterpret_cast<const char*>(data), size});
    cask::fuzz::count(trails.ok());
    if (!trails)
        return 0;
    std::vector<const BandTrail*> channels;
    for (const auto& trail : *trails)
        channels.push_back(&trail);
    if (!channels.empty())
        (void)findArrivals(channels);
    const auto again = parseTrails(serialiseTrails(*trails));
    if (!again || *again != *trails)
        std::abort();
    return 0;
}
