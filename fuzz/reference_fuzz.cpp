// Any bytes as drums kept as references: an error, or drums that survive their own round trip.
#include "core/advise/tone_reference.h"
#include "fuzz/accepted.h"
#include "fuzz/json_mutator.h"

#include <cstdint>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace cask::advise;
    const auto drums = referenceDrumsFromJson({reinterpret_cast<const char*>(data), size}, "fuzz");
    if (drums && !referenceDrumsFromJson(referenceDrumsToJson(*drums), "fuzz"))
        std::abort();
    cask::fuzz::count(drums.ok());
    return 0;
}
