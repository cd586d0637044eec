// Any bytes as a cached overview or cached facts: refused, or usable.
#include "core/measure/file_analysis.h"
#include "fuzz/accepted.h"

#include <cstdint>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace cask;
    const std::string bytes(reinterpret_cast<const char*>(data), size);
    const auto overview = media::Overview::parse(bytes);
    if (overview && overview->channels() > 0 && overview->frames() > 0)
        (void)overview->range(0, 0, overview->frames());
    const auto facts = measure::factsFromJson(bytes);
    if (facts && !measure::factsFromJson(measure::factsToJson(*facts)))
        std::abort();
    fuzz::count(overview.ok() || facts.ok());
    return 0;
}
