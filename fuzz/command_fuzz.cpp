// Any words as a path and a value of a session, as `set` takes them: an error, or a session that can be
// stored.
#include "core/session/intake.h"
#include "core/session/parameter_path.h"
#include "core/session/session_json.h"
#include "fuzz/accepted.h"

#include <cstdint>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace cask::session;
    static const Session kit =
        withFiles(emptySession(), {{"/a/Kick.wav", "Kick.wav", 48000, 1, 48000, "WAV", std::nullopt},
                                   {"/a/OH.wav", "OH.wav", 48000, 2, 48000, "WAV", std::nullopt}});
    const std::string text(reinterpret_cast<const char*>(data), size);
    // Lines are commands in a row: "PATH VALUE", the value after the last blank but one.
    Session s = kit;
    bool isAccepted = false;
    for (std::size_t from = 0; from < text.size();) {
        const std::size_t end = std::min(text.find('\n', from), text.size());
        const std::string line = text.substr(from, end - from);
        const std::size_t blank = line.find('=');
        if (blank != std::string::npos)
            if (auto changed = withValueAt(s, line.substr(0, blank), line.substr(blank + 1))) {
                s = *std::move(changed);
                isAccepted = true;
            }
        from = end + 1;
    }
    if (isAccepted && !fromJson(toJson(s), "fuzz"))
        std::abort();
    cask::fuzz::count(isAccepted);
    return 0;
}
