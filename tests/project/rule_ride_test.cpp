// Values that follow a rule over hits, heard where it counts.
#include "core/project/rule_ride.h"
#include "core/session/edits.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::project {
namespace {

TEST(PointsAround, GoThereStayAndComeBack) {
    const HitShape shape{6, 2, 8, 100, 50};
    const auto points = pointsAround({1, 2}, shape);
    ASSERT_EQ(points.size(), 8U);
    const std::vector<double> times{0.99, 0.998, 1.1, 1.15, 1.99, 1.998, 2.1, 2.15};
    for (std::size_t i = 0; i < points.size(); ++i) {
        EXPECT_NEAR(points[i].timeS, times[i], 1e-12);
        EXPECT_EQ(points[i].change, i % 4 == 1 || i % 4 == 2 ? 6 : 0) << i;
    }
}

TEST(PointsAround, StayWhereTheNextHitIsNear) {
    const HitShape shape{-3, 0, 10, 100, 50};
    const auto points = pointsAround({1, 1.12, 1.5}, shape);
    ASSERT_EQ(points.size(), 8U);
    EXPECT_NEAR(points[2].timeS, 1.22, 1e-12);
    const session::Ride ride{"level_db", points};
    EXPECT_EQ(session::rideAt(ride, 1.11), -3) << "no dip between both";
    EXPECT_EQ(session::rideAt(ride, 1.3), 0);
    // At the very start there is no room before the hit.
    EXPECT_EQ(session::rideAt({"level_db", pointsAround({0}, shape)}, 0), -3);
    EXPECT_TRUE(pointsAround({}, shape).empty());
}

TEST(RuledRide, EverySecondHitIsSentToARoomAndNoOther) {
    auto kit = test::memoryKit({{test::bursts(200, 0.5, 0.25, 0.02, 4)}});
    auto s = kit.session;
    const auto snare = kit.elements.front();
    const auto room = session::addBus(s, "Echo", s.master().id);
    s = session::withOutput(s, snare, [&](auto& out) {
        out.sends.push_back({room, -60, false});
        out.isMuted = false;
    });
    std::vector<layers::Strike> strikes;
    for (int i = 0; i < 8; ++i)
        strikes.push_back({0.25 + 0.5 * i, i % 4 == 0 ? 127.0 : 60.0, i % 4 == 0 ? "accent" : "normal"});
    session::RidePlace place;
    for (const auto& choice : session::rideChoices(s, snare))
        if (choice.words == "send to Echo")
            place = choice.place;
    ASSERT_EQ(place.owner, snare);
    layers::LayerRule rule;
    rule.every = 2;
    rule.first = 2;
    std::size_t chosen = 0;
    const auto ridden = withRuledRide(s, place, strikes, rule, {54, 2, 8, 150, 50}, &chosen);
    EXPECT_EQ(chosen, 4U);
    // What the room hears is the mix less that without the send.
    const auto dry = test::render(session::withOutput(s, snare, [](auto& out) { out.sends.clear(); }),
                                  kit.lookup, 4 * 48000);
    const auto wet = test::render(ridden, kit.lookup, 4 * 48000);
    for (int i = 0; i < 8; ++i) {
        double most = 0;
        double own = 0;
        for (std::size_t n = 0; n < 4800; ++n) {
            const std::size_t at = 2 * (static_cast<std::size_t>((0.25 + 0.5 * i) * 48000) + n);
            most = std::max(most, static_cast<double>(std::abs(wet[at] - dry[at])));
            own = std::max(own, static_cast<double>(std::abs(dry[at])));
        }
        EXPECT_NEAR(linearToDb(most / own), i % 2 == 1 ? -6 : -60, 0.5) << i;
    }
    rule = {};
    rule.kind = layers::StrikeKind::Accents;
    (void)withRuledRide(s, place, strikes, rule, {}, &chosen);
    EXPECT_EQ(chosen, 2U);
}

} // namespace
} // namespace cask::project
