// An element or bus by itself.
#include "core/kit_measures/node_sound.h"
#include "core/session/edits.h"
#include "core/session/parameter_path.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

namespace cask::kit {
namespace {

TEST(NodeSound, IsBeforeItsLevelAlsoWhereThatDiffersInASection) {
    const auto x = test::noise(0.5, 96000, 4);
    auto kit = test::memoryKit({{x}, {test::noise(0.5, 96000, 5)}});
    auto& s = kit.session;
    s.sections = {{"chorus", 0.5, 1.5, {}}};
    const std::string name = s.nameOf(kit.elements[0]);
    for (const auto& [path, value] :
         {std::pair("/level_db", "-6"), std::pair("/section/chorus/level_db", "-20"),
          std::pair("/section/chorus/pan", "R 100")}) {
        const auto next = session::withValueAt(s, name + path, value);
        ASSERT_TRUE(next) << next.error().message;
        s = *next;
    }
    const auto sound = nodeSound(s, kit.elements[0], kit.lookup, 0, x.size());
    ASSERT_TRUE(sound) << sound.error().message;
    ASSERT_EQ(sound->size(), 1U);
    EXPECT_EQ(sound->front(), x);
}

} // namespace
} // namespace cask::kit
