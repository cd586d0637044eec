// Any bytes as session.json: an error or a session that survives its own round trip.
#include "core/session/session_json.h"
#include "fuzz/accepted.h"
#include "fuzz/json_mutator.h"

#include <cstdint>
#include <cstdlib>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace cask::session;
    const auto session = fromJson({reinterpret_cast<const char*>(data), size}, "fuzz");
    cask::fuzz::count(session.ok());
    if (session) {
        const auto again = fromJson(toJson(*session), "fuzz");
        if (!again)
            std::abort();
    }
    return 0;
}
