// Any bytes as a house style: an error or a style that survives its own round trip.
#include "core/advise/house_style.h"
#include "fuzz/accepted.h"
#include "fuzz/json_mutator.h"

#include <cstdint>
#include <cstdlib>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace cask::advise;
    const auto style = houseStyleFromJson({reinterpret_cast<const char*>(data), size}, "fuzz");
    cask::fuzz::count(style.ok());
    if (style) {
        const auto again = houseStyleFromJson(houseStyleToJson(*style), "fuzz");
        if (!again)
            std::abort();
    }
    return 0;
}
