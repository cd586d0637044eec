// Findings on microphones that belong together: late, inverted, twice the same.
#include "tests/advise/advise_fixture.h"

namespace cask::advise {
namespace {

TEST_F(AdviseTest, OneSideThatIsLateOrInvertedIsPutRightAlone) {
    auto over = *m_session.elements[3];
    over.channels.push_back({m_files[3], 1});
    m_session.elements[3] = over;
    m_hits->hits.sideLags.resize(4);
    m_hits->hits.sideLags[3] = {1, 0.024};
    auto f = only();
    EXPECT_EQ(f.severity, Severity::Fault);
    EXPECT_TRUE(says(f, "The right side of Over is 24.0 ms late")) << f.sentence;
    EXPECT_NEAR(inputAfter(f, m_ids[3]).rightShiftMs, -24, 1e-9);
    EXPECT_DOUBLE_EQ(inputAfter(f, m_ids[3]).shiftMs, 0);
    m_hits->hits.sideLags[3] = {0, -0.017};
    f = only();
    EXPECT_TRUE(says(f, "The left side of Over is 17.0 ms early")) << f.sentence;
    const auto after = inputAfter(f, m_ids[3]);
    EXPECT_NEAR(session::shiftMsOf(after, 0), 17, 1e-9);
    EXPECT_NEAR(session::shiftMsOf(after, 1), 0, 1e-9) << "the right one stays where it is";
    m_hits->hits.sideLags[3] = {};
    m_measures.sides = {{m_ids[3], 3, true, 0.8}};
    f = only();
    EXPECT_TRUE(says(f, "One side of Over has inverted polarity")) << f.sentence;
    EXPECT_FALSE(session::isInverted(inputAfter(f, m_ids[3]), 0));
    EXPECT_TRUE(session::isInverted(inputAfter(f, m_ids[3]), 1));
    m_measures.sides = {{m_ids[3], 3, false, 0.8}};
    EXPECT_TRUE(run().empty());
}

TEST_F(AdviseTest, ADrumThatStandsAgainstTheOverheadsAsNoOtherIsTurned) {
    auto out = *m_session.elements[1];
    out.role = Role::FloorTom; // two drums that are heard from above: the snare and this
    m_session.elements[1] = out;
    m_hits->hits.kit.drums = {
        {"Kick In", Role::KickIn, {0}}, {"Kick Out", Role::FloorTom, {1}}, {"Snare", Role::SnareTop, {2}}};
    m_hits->hits.kit.drumOf = {0, 1, 2, -1};
    m_hits->timing.drums.resize(3);
    for (auto& stroke : m_hits->hits.strokes)
        stroke.drum = stroke.drum == 1 ? 2 : 0;
    m_hits->hits.strokes.push_back({1, 10.2, 0, 0, measure::HitClass::Normal, 0.9});
    m_hits->timing.errorMs.push_back(0);
    m_measures.pairs = {{m_ids[2], m_ids[3], false, pair(3, false, 0, 0, 0)},
                        {m_ids[1], m_ids[3], false, pair(4, true, 1, 0, 1)},
                        {m_ids[0], m_ids[3], false, pair(4, true, 1, 0, 1)}};
    const auto f = only();
    EXPECT_EQ(f.element, m_ids[1]) << "not the kick, which is heard from the other side";
    EXPECT_TRUE(says(f, "inverted polarity against Over, unlike Snare")) << f.sentence;
    EXPECT_TRUE(inputAfter(f, m_ids[1]).isInverted);
    m_measures.pairs[1].alignment.confidence = 0.4;
    EXPECT_TRUE(run().empty()) << "not when it is unsure";
}

TEST_F(AdviseTest, LateFilesAreMovedBackAndTheirPairsWait) {
    m_hits->hits.lagS[1] = 0.0312;
    m_measures.pairs = {{m_ids[0], m_ids[1], true, pair(31.2, false, -6, 2, 3)}};
    auto element = *m_session.elements[1];
    element.input.shiftMs = 5;
    m_session.elements[1] = element;
    const auto f = only();
    EXPECT_TRUE(says(f, "31.2 ms late")) << f.sentence;
    EXPECT_DOUBLE_EQ(inputAfter(f, m_ids[1]).shiftMs, 5 - 31.2);
}

TEST_F(AdviseTest, WhichWayRoundAMicrophoneIsIsToldThoughItsPartnerIsLate) {
    m_hits->hits.lagS[0] = 0.021;
    m_measures.pairs = {{m_ids[0], m_ids[1], true, pair(-20.5, true, -2, -2, 1)}};
    const auto findings = run();
    ASSERT_EQ(findings.size(), 2U);
    const auto f = findings[0].element == m_ids[1] ? findings[0] : findings[1];
    EXPECT_TRUE(says(f, "Kick Out has inverted polarity against Kick In, once they are in time."))
        << f.sentence;
    EXPECT_TRUE(inputAfter(f, m_ids[1]).isInverted);
    EXPECT_EQ(inputAfter(f, m_ids[1]).shiftMs, 0) << "the late file has a finding of its own";
    HouseStyle style;
    style.nearPairs = PairSchool::Leave;
    EXPECT_EQ(run(style).size(), 1U);
    m_measures.pairs[0].alignment.confidence = 0.45;
    EXPECT_EQ(run().size(), 1U) << "not when it is unsure";
}

TEST_F(AdviseTest, PairsFollowTheSchool) {
    m_measures.pairs = {{m_ids[0], m_ids[1], true, pair(1.3, true, -5, 1.0, 2.4)}};
    HouseStyle style;
    style.nearPairs = PairSchool::Flip;
    auto f = only(style);
    EXPECT_EQ(f.element, m_ids[1]);
    EXPECT_TRUE(says(f, "inverted polarity and is 1.30 ms late against Kick In")) << f.sentence;
    EXPECT_TRUE(says(f, "lose 5.0 dB")) << f.sentence;
    EXPECT_TRUE(says(f, "inverted they gain 1.0 dB")) << f.sentence;
    EXPECT_TRUE(inputAfter(f, m_ids[1]).isInverted);
    EXPECT_EQ(inputAfter(f, m_ids[1]).shiftMs, 0);
    EXPECT_EQ(f.school, "flip");

    style.nearPairs = PairSchool::Align;
    f = only(style);
    EXPECT_TRUE(says(f, "moved 1.30 ms earlier they gain 2.4 dB")) << f.sentence;
    EXPECT_TRUE(inputAfter(f, m_ids[1]).isInverted);
    EXPECT_DOUBLE_EQ(inputAfter(f, m_ids[1]).shiftMs, -1.3);

    style.nearPairs = PairSchool::Leave;
    f = only(style);
    EXPECT_EQ(f.severity, Severity::Note);
    EXPECT_FALSE(f.isOpen());
    EXPECT_FALSE(f.proposal);
    EXPECT_TRUE(says(f, "aligned they would gain 2.4 dB")) << f.sentence;
}

TEST_F(AdviseTest, PairsThatAddUpOrAreUnsureStayUnsaid) {
    m_measures.pairs = {{m_ids[0], m_ids[1], true, pair(0.4, false, 2.0, -3, 2.5)}};
    EXPECT_TRUE(run().empty());
    m_measures.pairs = {{m_ids[0], m_ids[1], true, pair(1.3, true, -5, 1.0, 2.4)}};
    m_measures.pairs[0].alignment.confidence = 0.2;
    EXPECT_TRUE(run().empty());
    m_measures.pairs[0].alignment = {};
    EXPECT_TRUE(run().empty());
}

TEST_F(AdviseTest, ADrumMovesToTheOverheadsWithAllItsMicrophones) {
    m_measures.pairs = {{m_ids[0], m_ids[3], false, pair(4.9, false, -1.3, 0, 1.8)}};
    HouseStyle style;
    style.overheadPairs = PairSchool::Align;
    const auto f = only(style);
    EXPECT_EQ(f.element, m_ids[0]);
    EXPECT_TRUE(says(f, "Kick In is 4.90 ms early against Over")) << f.sentence;
    for (const int kick : {0, 1})
        EXPECT_DOUBLE_EQ(inputAfter(f, m_ids[static_cast<std::size_t>(kick)]).shiftMs, 4.9);
    EXPECT_EQ(inputAfter(f, m_ids[2]).shiftMs, 0);
    EXPECT_EQ(inputAfter(f, m_ids[3]).shiftMs, 0);
}

TEST_F(AdviseTest, OverheadsAreFlippedOnceRatherThanEveryDrum) {
    m_measures.pairs = {{m_ids[0], m_ids[3], false, pair(4.9, false, -2, 1, 1.8)},
                        {m_ids[2], m_ids[3], false, pair(3.5, false, -1.5, 1.1, 2)}};
    const auto f = only();
    EXPECT_EQ(f.element, m_ids[3]);
    EXPECT_TRUE(says(f, "Kick In -2.0 to +1.0 dB and Snare -1.5 to +1.1 dB")) << f.sentence;
    EXPECT_TRUE(inputAfter(f, m_ids[3]).isInverted);
    // When one of them would lose, each is spoken of for itself.
    m_measures.pairs[1].alignment = pair(3.5, false, 1.1, -1.5, 2);
    const auto alone = only();
    EXPECT_EQ(alone.element, m_ids[0]);
}

TEST_F(AdviseTest, TheSameSoundTwice) {
    m_measures.sames = {{m_ids[2], m_ids[3], 1.5, -3, true}, {m_ids[3], m_ids[3], 0, 0, false}};
    const auto found = run();
    ASSERT_EQ(found.size(), 2U);
    EXPECT_EQ(found[0].severity, Severity::Fault);
    EXPECT_EQ(found[0].sentence,
              "Over holds the same sound as Snare, 3.0 dB softer, 1.50 ms later, polarity inverted.");
    EXPECT_TRUE(found[0].proposal->apply(m_session).element(m_ids[3])->out.isMuted);
    EXPECT_EQ(found[1].severity, Severity::Note);
}

} // namespace
} // namespace cask::advise
