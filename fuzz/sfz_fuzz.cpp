// Any bytes as an SFZ file that may include itself: an error or regions within their ranges.
#include "core/layers/sfz.h"
#include "fuzz/accepted.h"

#include <cstdint>
#include <cstdlib>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace cask;
    const std::string text(reinterpret_cast<const char*>(data), size);
    // A few times only: what a file that includes itself without end is worth is a test of its own.
    int left = 3;
    const auto kit = layers::sfzKit(text, "fuzz", [&](const std::filesystem::path&) {
        return left-- > 0 ? Result<std::string>(text) : Result<std::string>(std::string());
    });
    fuzz::count(kit.ok());
    if (kit)
        for (const auto& region : kit->regions)
            if (region.lowNote < -1 || region.highNote > 127 || region.turn < 1 || !(region.sustain <= 1) ||
                region.sample.is_absolute() || *region.sample.begin() == "..")
                std::abort();
    return 0;
}
