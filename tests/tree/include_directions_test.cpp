// The arrows of the architecture point only downwards. Link targets hold them; this is the second net.
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <map>
#include <regex>
#include <set>
#include <string>

namespace {

namespace fs = std::filesystem;

/// What each room may include, besides itself.
const std::map<std::string, std::set<std::string>> kAllowed = {
    {"core/base", {}},
    {"core/media", {"core/base"}},
    {"core/dsp", {"core/base"}},
    {"core/measure", {"core/base", "core/dsp", "core/media"}},
    {"core/session", {"core/base", "core/dsp"}},
    {"core/graph", {"core/base", "core/dsp", "core/session"}},
    {"core/advise", {"core/base", "core/dsp", "core/measure", "core/session"}},
    {"core/layers", {"core/base", "core/dsp", "core/measure", "core/media"}},
    {"core/demo", {"core/base", "core/layers", "core/media", "core/session"}},
    {"core/kit_measures",
     {"core/advise", "core/base", "core/dsp", "core/measure", "core/session", "core/graph"}},
    {"core/project",
     {"core/advise", "core/base", "core/dsp", "core/graph", "core/kit_measures", "core/layers", "core/media",
      "core/measure", "core/session"}},
};

std::string roomOf(const std::string& include) {
    const auto first = include.find('/');
    const auto second = include.find('/', first + 1);
    return second == std::string::npos ? "" : include.substr(0, second);
}

TEST(IncludeDirections, PointOnlyDownwards) {
    const fs::path root = CASK_SOURCE_DIR;
    const std::regex include(R"(^\s*#\s*include\s*[<"]([^>"]+)[>"])");
    int read = 0;
    for (const auto& entry : fs::recursive_directory_iterator(root / "core")) {
        const auto extension = entry.path().extension();
        if (extension != ".h" && extension != ".cpp")
            continue;
        ++read;
        const std::string room = roomOf(fs::relative(entry.path(), root).string());
        ASSERT_TRUE(kAllowed.contains(room)) << "a room without a rule: " << room;
        std::ifstream in(entry.path());
        std::string line;
        while (std::getline(in, line)) {
            std::smatch match;
            if (!std::regex_search(line, match, include))
                continue;
            const std::string name = match[1];
            EXPECT_FALSE(name.starts_with("Q") || name.starts_with("app/") || name.starts_with("engine/") ||
                         name.starts_with("cli/") || name.starts_with("RtAudio"))
                << entry.path() << " includes " << name;
            if (name.starts_with("core/") && roomOf(name) != room) {
                EXPECT_TRUE(kAllowed.at(room).contains(roomOf(name))) << entry.path() << " includes " << name;
            }
        }
    }
    EXPECT_GT(read, 50);
}

} // namespace
