#include "core/advise/advise.h"
#include "core/session/intake.h"

#include <gtest/gtest.h>

namespace cask::advise {
namespace {

using session::Id;

/// A recorded snare and a clap that is struck with it.
class CrowdFindingsTest : public testing::Test {
  protected:
    CrowdFindingsTest() {
        auto hits = std::make_shared<HitAnalysis>();
        for (const char* name : {"Snare Top", "Clap"}) {
            session::SourceFile file;
            file.id = m_session.nextId++;
            file.format = name == std::string("Clap") ? session::kStackFormat : "WAV";
            session::Element e;
            e.id = m_session.nextId++;
            e.name = name;
            e.channels = {{file.id, 0, {}}};
            e.out.bus = m_session.master().id;
            m_session.files.emplace_back(std::move(file));
            const auto drum = static_cast<int>(hits->elements.size());
            hits->elements.push_back(e.id);
            hits->hits.kit.drums.push_back({name, Role::SnareTop, {drum}});
            hits->hits.kit.drumOf.push_back(drum);
            m_crowd.push_back({e.id, {6, 200, 1 - drum, 0.95, false}});
            m_session.elements.emplace_back(std::move(e));
            for (int i = 0; i < 20; ++i)
                hits->hits.strokes.push_back(
                    {drum, 0.5 * i - 0.01 * drum, -3, 1, measure::HitClass::Normal, 1, true});
        }
        m_hits = hits;
    }
    [[nodiscard]] std::vector<Finding> run() const {
        KitMeasures measures;
        measures.hits = m_hits;
        measures.crowd = m_crowd;
        return crowdFindings(m_session, measures, {});
    }
    session::Session m_session = session::emptySession();
    std::shared_ptr<HitAnalysis> m_hits;
    std::vector<CrowdMeasure> m_crowd;
};

TEST_F(CrowdFindingsTest, WhatWouldNotBeMissedCanBeMuted) {
    m_crowd[1].part.mostLostDb = 0.4;
    auto found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_EQ(found[0].id, "crowd-nothing-" + std::to_string(m_crowd[1].element));
    EXPECT_TRUE(found[0].isOpen());
    EXPECT_NE(found[0].sentence.find("Clap changes nothing"), std::string::npos);
    ASSERT_TRUE(found[0].proposal);
    const auto after = found[0].proposal->apply(m_session);
    EXPECT_TRUE(after.element(m_crowd[1].element)->out.isMuted);
    EXPECT_FALSE(after.element(m_crowd[0].element)->out.isMuted);
    m_crowd[1].part.isSilent = true;
    m_crowd[1].part.likest = -1;
    EXPECT_TRUE(run().empty()) << "silence is no crowd";
    m_crowd[0].part.mostLostDb = 0.4;
    found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_FALSE(found[0].isOpen()) << "of a microphone it is a note";
}

TEST_F(CrowdFindingsTest, OneDrumOrTwoIsToldOfWhatIsPlayed) {
    auto found = run();
    ASSERT_EQ(found.size(), 1U) << "of two recorded microphones nobody asks";
    EXPECT_NE(found[0].sentence.find("Clap and Snare Top are heard as one drum"), std::string::npos);
    EXPECT_FALSE(found[0].isOpen()) << "a note";
    m_crowd[1].part.likeness = 0.6;
    found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_NE(found[0].sentence.find("Clap is struck with Snare Top"), std::string::npos)
        << found[0].sentence;
    // Another pattern of its own: two drums, as was meant.
    for (auto& stroke : m_hits->hits.strokes)
        if (stroke.drum == 1)
            stroke.timeS += 0.2;
    EXPECT_TRUE(run().empty());
}

} // namespace
} // namespace cask::advise
