// Rides as values of a session: their way, their edits, how they are stored and set.
#include "core/session/edits.h"
#include "core/session/kit_turn.h"
#include "core/session/parameter_path.h"
#include "core/session/rides.h"
#include "core/session/session_json.h"
#include "core/session/spread_edit.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

namespace cask::session {
namespace {

class Rides : public testing::Test {
  protected:
    Rides() : m_kit(test::memoryKit({{std::vector<float>(480, 0.1F)}, {std::vector<float>(480, 0.1F)}})) {
        for (std::size_t i = 0; i < 2; ++i)
            m_kit.session = withName(m_kit.session, m_kit.elements[i], i == 0 ? "Hat" : "Tom");
    }
    [[nodiscard]] RidePlace level() const { return {m_kit.elements[0], kNoId, "level_db"}; }
    test::MemoryKit m_kit;
};

TEST_F(Rides, GoStraightBetweenTheirPointsAndStayBesideThem) {
    const Ride ride{"level_db", {{1, -6}, {3, 2}, {3.5, 2}}, {}};
    EXPECT_EQ(rideAt(ride, 0), -6);
    EXPECT_EQ(rideAt(ride, 1), -6);
    EXPECT_DOUBLE_EQ(rideAt(ride, 1.5), -4);
    EXPECT_DOUBLE_EQ(rideAt(ride, 2.75), 1);
    EXPECT_EQ(rideAt(ride, 3.2), 2);
    EXPECT_EQ(rideAt(ride, 100), 2);
    EXPECT_EQ(rideAt({}, 1), 0);
}

TEST_F(Rides, PointsAreKeptInOrderAndNeverTwoAtOneTime) {
    auto s = withPoint(m_kit.session, level(), {2, -3});
    s = withPoint(std::move(s), level(), {1, 1});
    s = withPoint(std::move(s), level(), {2.0004, -4});
    const auto points = pointsAt(s, level());
    ASSERT_EQ(points.size(), 2U);
    EXPECT_EQ(points[0], (RidePoint{1, 1}));
    EXPECT_EQ(points[1].change, -4);
    EXPECT_TRUE(withPoints(s, level(), {}).output(m_kit.elements[0])->rides.empty());
    EXPECT_EQ(withPoints(s, {9999, kNoId, "level_db"}, {{0, 1}}), s) << "nobody of that id";
}

TEST_F(Rides, AStretchComesAgainElsewhereAndTheRestStays) {
    auto s = withPoints(m_kit.session, level(), {{0, 0}, {1, 6}, {2, 0}, {9, -3}, {12, -3}});
    s = withPointsCopied(std::move(s), level(), 0.5, 2, 4);
    const Ride now{"level_db", pointsAt(s, level()), {}};
    EXPECT_NEAR(rideAt(now, 4), 3, 1e-9);
    EXPECT_NEAR(rideAt(now, 4.5), 6, 1e-9);
    EXPECT_NEAR(rideAt(now, 5), 3, 1e-9);
    EXPECT_NEAR(rideAt(now, 5.5), 0, 1e-9);
    EXPECT_NEAR(rideAt(now, 1), 6, 1e-9);
    EXPECT_NEAR(rideAt(now, 9), -3, 1e-9);
    EXPECT_NEAR(rideAt(now, 3.9), -3 * 1.9 / 7, 0.01) << "as it was on the way before";
}

TEST_F(Rides, AreStoredSetAndListed) {
    auto& s = m_kit.session;
    s = *withValueAt(s, "Hat/ride/level_db", "0:0 2.5:+3 4:-1");
    s = *withValueAt(s, "Hat/transient/attack_percent", "20");
    s = *withValueAt(s, "Hat/transient/ride/attack_percent", "1:0, 2:30");
    s = *withValueAt(s, "Hat/eq/add", "bell");
    s = *withValueAt(s, "Hat/eq/ride/1/gain_db", "1:0 2:4");
    const auto again = fromJson(toJson(s), "x");
    ASSERT_TRUE(again) << again.error().message;
    EXPECT_EQ(*again, s);
    EXPECT_EQ(toJson(*again), toJson(s));
    Session other = withoutModule(*again, again->element(m_kit.elements[0])->chain[0].id);
    int rides = 0;
    for (const auto& value : listValues(s))
        if (value.path.find("/ride/") != std::string::npos) {
            ++rides;
            const auto set = withValueAt(s, value.path, value.value);
            ASSERT_TRUE(set) << value.path << ": " << set.error().message;
            EXPECT_EQ(*set, s) << value.path;
        }
    EXPECT_EQ(rides, 3);
    EXPECT_TRUE(withValueAt(s, "Hat/ride/level_db", "none")->output(m_kit.elements[0])->rides.empty());
    for (const auto& [path, text] :
         std::vector<std::pair<std::string, std::string>>{{"Hat/ride/level_db", "0;3"},
                                                          {"Hat/ride/level_db", "1:x"},
                                                          {"Hat/ride/muted", "0:1"},
                                                          {"Hat/ride/send/Nowhere/level_db", "0:1"},
                                                          {"Hat/ride/level_db", "1e99:0"}})
        EXPECT_FALSE(withValueAt(s, path, text)) << path << " " << text;
}

TEST_F(Rides, BadOnesInAFileAreRefusedOrPutInOrder) {
    auto s = withPoints(m_kit.session, level(), {{1, -6}, {2, 3}});
    std::string text = toJson(s);
    const auto replace = [&](const std::string& from, const std::string& to) {
        std::string changed = text;
        const auto at = changed.find(from);
        EXPECT_NE(at, std::string::npos);
        changed.replace(at, from.size(), to);
        return fromJson(changed, "x");
    };
    EXPECT_FALSE(replace("-6.0", "\"loud\""));
    EXPECT_FALSE(replace("-6.0", "-6.0, 7"));
    EXPECT_FALSE(replace("1.0,\n", "1e300,\n"));
    const auto late = replace("1.0,\n", "5.0,\n");
    ASSERT_TRUE(late) << late.error().message;
    EXPECT_EQ(pointsAt(*late, level()).front().timeS, 2) << "sorted";
    const auto unknown = replace("\"value\": \"level_db\"", "\"value\": \"colour\"");
    ASSERT_TRUE(unknown);
    EXPECT_TRUE(unknown->output(m_kit.elements[0])->rides.empty());
}

TEST_F(Rides, FollowWhatTheyBelongTo) {
    auto& s = m_kit.session;
    const Id echo = addBus(s, "Echo", s.master().id);
    s = *withSend(s, m_kit.elements[0], {echo, -10, false, {}});
    const RidePlace send{m_kit.elements[0], kNoId, std::to_string(echo) + "/level_db"};
    s = withPoints(s, send, {{0, 0}, {1, 5}});
    EXPECT_EQ(s.output(m_kit.elements[0])->rides.size(), 1U);
    EXPECT_TRUE(withoutSend(s, m_kit.elements[0], echo).output(m_kit.elements[0])->rides.empty());
    // Panned rides turn with the kit.
    s = withRole(s, m_kit.elements[0], Role::ClosedHat);
    s = withPoints(s, {m_kit.elements[0], kNoId, "pan"}, {{0, 0.5}, {1, 0}});
    const auto turned = withKitTurned(s);
    EXPECT_EQ(pointsAt(turned, {m_kit.elements[0], kNoId, "pan"})[0].change, -0.5);
    // An edit of one is made on those that go with it.
    const auto next = withPoints(s, level(), {{0, 1}, {2, 3}});
    const auto spread = spreadEdit(s, next, m_kit.elements[0], {m_kit.elements[1]});
    EXPECT_EQ(pointsAt(spread, {m_kit.elements[1], kNoId, "level_db"}), pointsAt(next, level()));
    const auto gone =
        spreadEdit(spread, withPoints(spread, level(), {}), m_kit.elements[0], {m_kit.elements[1]});
    EXPECT_TRUE(pointsAt(gone, {m_kit.elements[1], kNoId, "level_db"}).empty());
}

TEST_F(Rides, EveryValueThatGlidesIsOffered) {
    auto s = *withValueAt(m_kit.session, "Hat/gate/open_db", "-30");
    const auto choices = rideChoices(s, m_kit.elements[0]);
    const auto has = [&](const std::string& words) {
        return std::any_of(choices.begin(), choices.end(),
                           [&](const RideChoice& choice) { return choice.words == words; });
    };
    EXPECT_TRUE(has("level"));
    EXPECT_TRUE(has("pan"));
    EXPECT_TRUE(has("gate floor"));
    for (const auto& choice : choices) {
        const auto ridden = withPoints(s, choice.place, {{0, 0}, {1, 1}});
        EXPECT_NE(ridden, s) << choice.words;
        EXPECT_EQ(pointsAt(ridden, choice.place).size(), 2U) << choice.words;
    }
}

} // namespace
} // namespace cask::session
