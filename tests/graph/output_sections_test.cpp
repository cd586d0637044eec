// Level, pan, width and sends that are other in a section of the song.
#include "core/base/units.h"
#include "core/graph/runner.h"
#include "core/session/edits.h"
#include "core/session/output_changes.h"
#include "core/session/parameter_path.h"
#include "core/session/sections.h"
#include "core/session/session_json.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::graph {
namespace {

using session::Session;

class OutputSections : public testing::Test {
  protected:
    OutputSections()
        : m_kit(test::memoryKit({{std::vector<float>(192000, 0.5F)}, {std::vector<float>(192000, 0.25F)}})) {
        m_kit.session.sections = {{"verse", 0, 1, {}}, {"chorus", 1, 2, {}}, {"end", 2, 4, {}}};
        auto& s = m_kit.session;
        for (const auto id : m_kit.elements)
            s = session::withOutput(std::move(s), id, [](session::Output& out) { out.pan = -1; });
        m_name = s.nameOf(m_kit.elements[0]);
    }
    void set(const std::string& path, const std::string& value) {
        const auto next = session::withValueAt(m_kit.session, m_name + "/" + path, value);
        ASSERT_TRUE(next) << next.error().message;
        m_kit.session = *session::fromJson(session::toJson(*next), "x"); // and it is stored
    }
    /// Left and right at a time, with the first element alone heard.
    [[nodiscard]] std::pair<double, double> at(double seconds, int block = 512) {
        auto s = session::withOutput(m_kit.session, m_kit.elements[1], [](auto& out) { out.isMuted = true; });
        const auto mix = test::render(s, m_kit.lookup, 192000, block);
        const auto n = static_cast<std::size_t>(seconds * 48000);
        return {mix[2 * n] / 0.5, mix[2 * n + 1] / 0.5};
    }
    test::MemoryKit m_kit;
    std::string m_name;
};

TEST_F(OutputSections, LevelAndPanHoldWhileTheSectionLasts) {
    set("section/chorus/level_db", "-6");
    set("section/chorus/pan", "R 100");
    EXPECT_NEAR(at(0.9).first, 1, 1e-5);
    EXPECT_NEAR(at(0.9).second, 0, 1e-5);
    EXPECT_NEAR(at(1.5).first, 0, 1e-5);
    EXPECT_NEAR(at(1.5).second, dbToLinear(-6), 1e-5);
    EXPECT_NEAR(at(2.5).first, 1, 1e-5);
    EXPECT_NEAR(at(1.01).second, dbToLinear(-6) / 2, 1e-3) << "half way of a glide of 20 ms";
}

TEST_F(OutputSections, ASendComesUpInASectionAndStaysInItsPlace) {
    const auto rooms = session::addBus(m_kit.session, "Echo", m_kit.session.master().id);
    m_kit.session = session::withOutput(m_kit.session, rooms, [](auto& out) { out.pan = 1; });
    set("send/Echo/level_db", "-80");
    set("section/chorus/send/Echo/level_db", "-12");
    set("section/chorus/level_db", "-6");
    const double left = dbToLinear(-6);
    EXPECT_NEAR(at(0.5).second, 0, 1e-5);
    // Mono into a bus that balances to the right: the left side of the send is lost there, so pan the middle.
    set("pan", "centre");
    const auto chorus = at(1.5);
    EXPECT_NEAR(chorus.first, left * std::sqrt(0.5), 1e-4);
    EXPECT_NEAR(chorus.second, left * std::sqrt(0.5) * (1 + dbToLinear(-12)), 1e-4) << "after the level";
    // With the bus its values go.
    const auto without = session::withoutBus(m_kit.session, m_kit.session.buses.front()->id);
    EXPECT_EQ(
        session::withoutBus(m_kit.session, rooms).output(m_kit.elements[0])->changes.front().values.size(),
        1U);
    EXPECT_EQ(without.output(m_kit.elements[0])->changes.front().values.size(), 2U) << "another bus";
}

TEST_F(OutputSections, ItComesWhereTheSoundIsHoweverLateItIs) {
    // A gate that looks ahead by 20 ms on the other element makes the whole mix late: the change waits along.
    set("section/chorus/level_db", "-80");
    set("section/chorus/glide_ms", "0");
    auto& s = m_kit.session;
    dsp::GateSettings open;
    open.openDb = -80;
    open.closeDb = -80;
    open.lookAheadMs = 20;
    session::addModule(s, m_kit.elements[1], open);
    const auto early = at(1 - 3.0 / 48000);
    const auto late = at(1 + 3.0 / 48000);
    EXPECT_NEAR(early.first, 1, 1e-4);
    EXPECT_NEAR(late.first, 0, 1e-4);
}

TEST_F(OutputSections, AnySplitGivesTheSameBitsAndTwoOwnersDoNotDisturbEachOther) {
    set("section/chorus/level_db", "-6");
    m_name = m_kit.session.nameOf(m_kit.elements[1]);
    set("section/end/level_db", "-12");
    m_name = m_kit.session.nameOf(m_kit.elements[0]);
    const auto whole = test::render(m_kit.session, m_kit.lookup, 192000);
    for (const int block : {1, 100, 4801})
        EXPECT_EQ(test::render(m_kit.session, m_kit.lookup, 192000, block), whole) << block;
    const auto levelAt = [&](double t) { return whole[2 * static_cast<std::size_t>(t * 48000)]; };
    EXPECT_NEAR(levelAt(0.5), 0.5 + 0.25, 1e-5);
    EXPECT_NEAR(levelAt(1.5), 0.5 * dbToLinear(-6) + 0.25, 1e-5);
    EXPECT_NEAR(levelAt(3), 0.5 + 0.25 * dbToLinear(-12), 1e-5);
}

TEST_F(OutputSections, RetargetedInASectionItGoesOnThere) {
    set("section/chorus/level_db", "-6");
    m_kit.session =
        session::withOutput(m_kit.session, m_kit.elements[1], [](auto& out) { out.isMuted = true; });
    Runner runner(*compile(m_kit.session, m_kit.lookup), 480);
    for (Frames at = 0; at < 72000; at += 480)
        runner.process(at, 480);
    set("section/chorus/level_db", "-12");
    auto plan = *compile(m_kit.session, m_kit.lookup);
    ASSERT_EQ(plan->layout, runner.plan().layout);
    runner.retarget(plan);
    for (Frames at = 72000; at < 84000; at += 480)
        runner.process(at, 480);
    EXPECT_NEAR(runner.mix()[0] / 0.5, dbToLinear(-12), 1e-4) << "not what holds outside of the section";
    runner.process(144000, 480); // a jump behind it
    EXPECT_NEAR(runner.mix()[0] / 0.5, 1, 1e-4);
}

TEST_F(OutputSections, ARenamedSectionKeepsWhatIsOtherInIt) {
    set("section/chorus/level_db", "-6");
    session::addModule(m_kit.session, m_kit.elements[0], dsp::GateSettings{});
    set("gate/section/chorus/floor_db", "-3");
    m_kit.session = session::withSectionNamed(m_kit.session, 1.5, "refrain");
    EXPECT_NEAR(session::withChange(*m_kit.session.output(m_kit.elements[0]),
                                    m_kit.session.output(m_kit.elements[0])->changes.at(0))
                    .levelDb,
                -6, 1e-9);
    EXPECT_EQ(m_kit.session.output(m_kit.elements[0])->changes.at(0).section, "refrain");
    EXPECT_EQ(session::findModule<dsp::GateSettings>(*m_kit.session.chain(m_kit.elements[0]))
                  ->changes.at(0)
                  .section,
              "refrain");
    // Of two of a name only one is renamed: both keep it.
    m_kit.session.sections.back().endS = 3;
    m_kit.session.sections.push_back({"refrain", 3, 4, {}});
    m_kit.session = session::withSectionNamed(m_kit.session, 3.5, "last");
    EXPECT_EQ(m_kit.session.output(m_kit.elements[0])->changes.size(), 2U);
}

TEST_F(OutputSections, WhatIsHeardUntouchedIsUntouchedInSectionsToo) {
    set("section/chorus/level_db", "-12");
    const auto& element = m_kit.elements[0];
    EXPECT_TRUE(session::untouched(m_kit.session, session::Untouched::FilesAsTheyCame)
                    .output(element)
                    ->changes.empty());
    EXPECT_EQ(
        session::untouched(m_kit.session, session::Untouched::NoProcessing).output(element)->changes.size(),
        1U)
        << "levels are no processing";
}

TEST_F(OutputSections, ListedByPathAndTakenBack) {
    set("section/chorus/pan", "L 20");
    bool isListed = false;
    for (const auto& value : session::listValues(m_kit.session))
        isListed = isListed || (value.path == m_name + "/section/chorus/pan" && value.value == "L 20");
    EXPECT_TRUE(isListed);
    EXPECT_FALSE(session::withValueAt(m_kit.session, m_name + "/section/chorus/muted", "on"))
        << "it does not glide";
    EXPECT_FALSE(session::withValueAt(m_kit.session, m_name + "/section/chorus/send/Nobody/level_db", "0"));
    set("section/chorus/remove", "");
    EXPECT_TRUE(m_kit.session.output(m_kit.elements[0])->changes.empty());
}

} // namespace
} // namespace cask::graph
