#include "core/session/edits.h"
#include "core/session/routing.h"

#include <gtest/gtest.h>

#include <algorithm>

namespace cask::session {
namespace {

Id bus(const Session& s, std::string_view name) {
    for (const auto& b : s.buses)
        if (b->name == name)
            return b->id;
    return kNoId;
}

TEST(Routing, FeedersComeFirst) {
    Session s = emptySession();
    const Id late = addBus(s, "Late", bus(s, "Shells"));
    const auto order = busOrder(s);
    ASSERT_TRUE(order);
    const auto at = [&](Id id) { return std::find(order->begin(), order->end(), id) - order->begin(); };
    EXPECT_LT(at(late), at(bus(s, "Shells")));
    EXPECT_LT(at(bus(s, "Shells")), at(bus(s, "Kit")));
    EXPECT_LT(at(bus(s, "Kit")), at(bus(s, "Master")));
    EXPECT_EQ(order->size(), s.buses.size());
}

TEST(Routing, RefusesEveryWayToCloseALoop) {
    const Session s = emptySession();
    const auto direct = withOutputBus(s, bus(s, "Kit"), bus(s, "Kit"));
    ASSERT_FALSE(direct);
    const auto indirect = withOutputBus(s, bus(s, "Kit"), bus(s, "Rooms"));
    ASSERT_FALSE(indirect);
    EXPECT_NE(indirect.error().message.find("Kit \u2192 Rooms \u2192 Kit"), std::string::npos)
        << indirect.error().message;
    EXPECT_FALSE(withSend(s, bus(s, "Master"), {bus(s, "Shells"), 0, false}));
    EXPECT_TRUE(withSend(s, bus(s, "Shells"), {bus(s, "Rooms"), 0, false}));
    EXPECT_FALSE(withOutputBus(s, bus(s, "Kit"), 999));
}

} // namespace
} // namespace cask::session
