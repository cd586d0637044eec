// Rides as they sound: levels, pans, sends and modules along a drawn way.
#include "core/base/units.h"
#include "core/graph/runner.h"
#include "core/session/edits.h"
#include "core/session/parameter_path.h"
#include "core/session/rides.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::graph {
namespace {

using session::RidePlace;

class RidesHeard : public testing::Test {
  protected:
    RidesHeard() : m_kit(test::memoryKit({{std::vector<float>(240000, 0.5F)}})) {
        auto& s = m_kit.session;
        s = session::withOutput(s, m_kit.elements[0], [](auto& out) { out.pan = -1; });
        s = session::withName(s, m_kit.elements[0], "Hat");
    }
    void set(const std::string& path, const std::string& value) {
        auto next = session::withValueAt(m_kit.session, "Hat/" + path, value);
        ASSERT_TRUE(next) << next.error().message;
        m_kit.session = *next;
    }
    [[nodiscard]] std::vector<float> mix(int block = 512) const {
        return test::render(m_kit.session, m_kit.lookup, 240000, block);
    }
    static double dbAt(const std::vector<float>& mix, double seconds, int side = 0) {
        return linearToDb(std::abs(
            mix[2 * static_cast<std::size_t>(seconds * 48000) + static_cast<std::size_t>(side)] / 0.5));
    }
    test::MemoryKit m_kit;
};

TEST_F(RidesHeard, TheLevelGoesStraightInDecibelsAndTheSetLevelMovesItAsAWhole) {
    set("ride/level_db", "1:0 3:-24 3.5:6");
    for (const double set : {0.0, -10.0}) {
        m_kit.session =
            session::withOutput(m_kit.session, m_kit.elements[0], [&](auto& out) { out.levelDb = set; });
        const auto sound = mix();
        EXPECT_NEAR(dbAt(sound, 0.5), set, 1e-3);
        for (double t = 1; t < 3; t += 0.0437)
            EXPECT_NEAR(dbAt(sound, t), set - 12 * (t - 1), 0.05) << t;
        for (double t = 3.02; t < 3.5; t += 0.0437)
            EXPECT_NEAR(dbAt(sound, t), set - 24 + 60 * (t - 3), 0.15) << t;
        EXPECT_NEAR(dbAt(sound, 4.5), set + 6, 1e-3);
    }
}

TEST_F(RidesHeard, AnySplitGivesTheSameBits) {
    set("ride/level_db", "1:0 3:-24 3.5:6");
    set("ride/pan", "0:0 4:1");
    const auto whole = mix();
    for (const int block : {1, 97, 4801})
        EXPECT_EQ(mix(block), whole) << block;
}

TEST_F(RidesHeard, SectionsAndRidesAddUp) {
    m_kit.session.sections = {{"verse", 0, 2, {}}, {"chorus", 2, 4, {}}, {"end", 4, 5, {}}};
    set("section/chorus/level_db", "-6");
    set("section/chorus/glide_ms", "1000");
    set("ride/level_db", "0:0 4:-8");
    const auto sound = mix();
    EXPECT_NEAR(dbAt(sound, 1), -2, 0.05);
    EXPECT_NEAR(dbAt(sound, 2.5), -5 - 3, 0.1) << "half way of the glide";
    EXPECT_NEAR(dbAt(sound, 3.5), -7 - 6, 0.05);
    EXPECT_NEAR(dbAt(sound, 4.98), -8, 0.1) << "back again";
}

TEST_F(RidesHeard, ClampsAtTheRangeOfTheValue) {
    set("level_db", "20");
    set("ride/level_db", "0:0 2:+20");
    EXPECT_NEAR(dbAt(mix(), 4), 24, 1e-3);
}

TEST_F(RidesHeard, ModulesFollow) {
    set("eq/add", "bell");
    set("eq/1/frequency_hz", "100");
    set("eq/1/gain_db", "0");
    set("eq/ride/1/gain_db", "1:0 2:12");
    m_kit = [this] {
        auto kit = test::memoryKit({{test::sine(100, 0.1, 5)}});
        kit.session = [&] {
            auto s = m_kit.session;
            s.files = kit.session.files;
            s = session::withElement(std::move(s), m_kit.elements[0], [&](session::Element& e) {
                e.channels = kit.session.element(kit.elements[0])->channels;
            });
            return s;
        }();
        kit.elements = m_kit.elements;
        return kit;
    }();
    const auto sound = mix();
    const auto levelAt = [&](double seconds) {
        const auto from = static_cast<std::size_t>(seconds * 48000);
        return linearToDb(test::amplitudeAt(std::span(sound).subspan(2 * from, 9600), 100, 48000, 2) / 0.1);
    };
    EXPECT_NEAR(levelAt(0.5), 0, 0.05);
    EXPECT_NEAR(levelAt(1.45), 6, 0.4);
    EXPECT_NEAR(levelAt(3), 12, 0.05);
}

TEST_F(RidesHeard, PlayedFromTheMiddleItIsWhereItIs) {
    set("ride/level_db", "0:0 4:-24");
    const auto whole = mix();
    const auto plan = compile(m_kit.session, m_kit.lookup);
    ASSERT_TRUE(plan);
    Runner runner(*plan, 512);
    ASSERT_TRUE(runner.process(96000, 256));
    EXPECT_NEAR(linearToDb(std::abs(runner.mix()[0]) / 0.5), dbAt(whole, 2), 0.2);
}

} // namespace
} // namespace cask::graph
