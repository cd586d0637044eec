// Findings on measures made by hand: what is said, what is proposed, and what stays unsaid.
#include "tests/advise/advise_fixture.h"

namespace cask::advise {
namespace {

TEST_F(AdviseTest, SaysNothingOfASoundKit) {
    EXPECT_TRUE(run().empty());
}

TEST_F(AdviseTest, SaysNothingOfWhatIsNotMeasuredYet) {
    m_measures = {};
    EXPECT_TRUE(run().empty());
    m_measures.files[m_files[0]] = {};
    EXPECT_TRUE(run().empty());
}

TEST_F(AdviseTest, UnreadableFilesSayWhy) {
    m_measures.files[m_files[2]] = {"Snare.wav is not there.", {}, nullptr};
    const auto f = only();
    EXPECT_EQ(f.element, m_ids[2]);
    EXPECT_EQ(f.severity, Severity::Fault);
    EXPECT_EQ(f.sentence, "Snare.wav is not there.");
}

TEST_F(AdviseTest, ClippingIsCountedAndPlaced) {
    auto element = *m_session.elements[1];
    element.startFrame = 48000;
    element.input.shiftMs = 500;
    m_session.elements[1] = element;
    m_facts[1]->levels.clippedRuns = {{2, 4, 0, -4.5}, {3, 9, 0, -4.5}, {3.5, 3, 0, -4.5}};
    m_facts[1]->levels.clippedRunCount = 3;
    const auto f = only();
    EXPECT_EQ(f.severity, Severity::Fault);
    EXPECT_TRUE(says(f, "3 places")) << f.sentence;
    EXPECT_TRUE(says(f, "0:03.5")) << f.sentence;
    EXPECT_TRUE(says(f, "9 samples")) << f.sentence;
    EXPECT_TRUE(says(f, "flat at -4.5 dBFS")) << f.sentence;
    ASSERT_EQ(f.hits.size(), 3U);
    EXPECT_DOUBLE_EQ(f.hits[1].timeS, 4.5);
    HouseStyle lenient;
    lenient.clippedPlaces = 4;
    EXPECT_TRUE(run(lenient).empty());
}

TEST_F(AdviseTest, ConstantOffsetIsTakenOutOnce) {
    m_facts[0]->levels.dcOffset = -0.004;
    const auto f = only();
    EXPECT_TRUE(says(f, "-0.40 %")) << f.sentence;
    EXPECT_TRUE(inputAfter(f, m_ids[0]).removesDc);
    const auto changes = changesBetween(m_session, f.proposal->apply(m_session));
    ASSERT_EQ(changes.size(), 1U);
    EXPECT_EQ(changes[0].path, "Kick In/removes_dc");
    EXPECT_EQ(changes[0].after, "on");
    m_session = f.proposal->apply(m_session);
    EXPECT_TRUE(run().empty());
}

TEST_F(AdviseTest, SilentNoisyAndDamagedFiles) {
    m_facts[0]->levels.peakDb = kSilenceDb;
    m_facts[1]->levels = {};
    m_facts[1]->levels.peakDb = -50;
    m_facts[1]->levels.rmsDb = -62;
    m_facts[1]->levels.noiseFloorDb = -63;
    m_facts[1]->arrivals = 0;
    m_facts[2]->notFiniteSamples = 7;
    const auto found = run();
    ASSERT_EQ(found.size(), 3U);
    EXPECT_TRUE(says(found[0], "silent from start to end"));
    EXPECT_TRUE(says(found[1], "nothing but noise at -62 dBFS"));
    EXPECT_TRUE(says(found[2], "7 invalid samples"));
    for (const auto& f : found)
        EXPECT_EQ(f.severity, Severity::Fault);
}

TEST_F(AdviseTest, GapsInARecordingAreFaultsGapsOfAProgrammedDrumAreNot) {
    auto& levels = m_facts[2]->levels;
    m_hits->hits.heard.push_back({2, 0, 0, false, 0.002, -30, 0.9}); // it hears the kick
    levels.silentRuns = {{2, 2, false, -72}};
    levels.silentRunCount = 1;
    const auto f = only();
    EXPECT_TRUE(says(f, "from 0:02.0 to 0:04.0")) << f.sentence;
    levels.silentRuns = {{2, 8, true, -72}}; // to the end of its ten seconds
    EXPECT_TRUE(says(only(), "from 0:02.0 to its end"));
    m_hits->hits.heard.back().isOwn = true;
    EXPECT_TRUE(run().empty()) << "nothing but its own drum is in it: a stem";
    m_hits->hits.heard.back().isOwn = false;
    levels.silentRuns = {{2, 2, false, -130}}; // it died away
    EXPECT_TRUE(run().empty());
    levels.silentRuns.assign(40, {2, 1, false, -72}); // cut between all its hits
    levels.silentRunCount = 40;
    EXPECT_TRUE(run().empty());
}

TEST_F(AdviseTest, GuessedRolesAreAskedAbout) {
    auto element = *m_session.elements[2];
    element.roleConfidence = 0.4;
    m_session.elements[2] = element;
    const auto f = only();
    EXPECT_TRUE(says(f, "confidence 40 %")) << f.sentence;
    const auto after = f.proposal->apply(m_session);
    EXPECT_EQ(after.element(m_ids[2])->role, Role::SnareTop);
    EXPECT_EQ(after.element(m_ids[2])->roleConfidence, 1);
}

TEST_F(AdviseTest, GrossTimingIsNamedFeelIsNot) {
    auto& timing = m_hits->timing;
    timing.drums[0] = {2, 4, {4, 6}};
    timing.errorMs[4] = 50; // third kick, at 2 s: bar 2 beat 1
    timing.errorMs[6] = 20; // within what the style leaves as feel
    const auto f = only();
    EXPECT_EQ(f.stage, Stage::Hits);
    EXPECT_TRUE(
        says(f, "1 hit of Kick In is far outside its own spread of 4 ms, from the grid: bar 2 beat 1 +50 ms"))
        << f.sentence;
    ASSERT_EQ(f.hits.size(), 1U);
    EXPECT_DOUBLE_EQ(f.hits[0].timeS, 2);
}

TEST_F(AdviseTest, DrumsThatAreNotHeardUnsureOrDrowned) {
    auto& hits = m_hits->hits;
    hits.kit.drums.push_back({"hat", Role::ClosedHat, {}});
    m_hits->timing.drums.resize(3);
    for (auto& stroke : hits.strokes)
        if (stroke.drum == 1)
            stroke.drum = 2; // the snares were hats
    hits.strokes[0].confidence = 0.3;
    m_hits->spill.rooms[0].softestDb = -20;
    m_hits->spill.rooms[0].spillDb = -22.5;
    m_hits->spill.rooms[0].spillDrum = 2;
    const auto found = run();
    ASSERT_EQ(found.size(), 4U);
    EXPECT_TRUE(says(found[0], "only 2.5 dB above the spill from the hat")) << found[0].sentence;
    EXPECT_TRUE(says(found[1], "No hit of its own was found in Snare")) << found[1].sentence;
    EXPECT_TRUE(says(found[2], "No microphone stands at the hat: 10 hits")) << found[2].sentence;
    EXPECT_EQ(found[2].severity, Severity::Note);
    EXPECT_TRUE(says(found[3], "1 of 10 hits of Kick In have a confidence under 50 %")) << found[3].sentence;
    EXPECT_TRUE(found[3].isFolded) << "one hit in ten is little";
    EXPECT_FALSE(found[3].isOpen());
}

TEST_F(AdviseTest, TempoThatIsMissingOrDrifts) {
    m_hits->tempo.driftPercent = 3;
    EXPECT_TRUE(says(only(), "3.0 % faster"));
    m_hits->tempo = {};
    EXPECT_TRUE(run().empty()) << "twenty hits need no tempo";
    while (m_hits->hits.strokes.size() < 40)
        m_hits->hits.strokes.push_back(m_hits->hits.strokes.front());
    m_hits->timing.errorMs.assign(40, 0);
    EXPECT_EQ(only().id, "no-tempo");
}

TEST_F(AdviseTest, DismissalsSurviveNewMeasuresAndCanBeTakenBack) {
    m_facts[0]->levels.dcOffset = 0.004;
    const std::string id = only().id;
    m_session = withDismissal(m_session, id, "it is meant so");
    m_facts[0]->levels.dcOffset = 0.005;
    auto f = only();
    EXPECT_EQ(f.id, id);
    EXPECT_FALSE(f.isOpen());
    EXPECT_EQ(f.dismissal, "it is meant so");
    m_session = withDismissal(m_session, id, "another reason");
    EXPECT_EQ(m_session.dismissals.size(), 1U);
    m_session = withDismissal(m_session, id, {});
    EXPECT_TRUE(only().isOpen());
}

TEST_F(AdviseTest, NobodyIsBlamedByAGridThatIsNotSure) {
    m_hits->timing.drums[0] = {0, 4, {4}};
    m_hits->timing.errorMs[4] = 50;
    EXPECT_EQ(only().stage, Stage::Hits);
    m_hits->tempo.confidence = 0.4;
    EXPECT_TRUE(run().empty());
    m_session.tempo.bpm = 120; // said by a person
    EXPECT_EQ(only().stage, Stage::Hits);
}

TEST_F(AdviseTest, OrderIsStageThenWorstThenElement) {
    m_hits->timing.drums[0] = {0, 4, {4}};
    m_hits->timing.errorMs[4] = 50;
    m_facts[2]->levels.dcOffset = 0.004;
    m_facts[1]->levels.dcOffset = 0.004;
    m_facts[3]->notFiniteSamples = 1;
    const auto found = run();
    ASSERT_EQ(found.size(), 4U);
    EXPECT_EQ(found[0].element, m_ids[3]);
    EXPECT_EQ(found[1].element, m_ids[1]);
    EXPECT_EQ(found[2].element, m_ids[2]);
    EXPECT_EQ(found[3].stage, Stage::Hits);
    std::vector<std::string> ids;
    for (const auto& f : found)
        ids.push_back(f.id);
    std::sort(ids.begin(), ids.end());
    EXPECT_EQ(std::unique(ids.begin(), ids.end()), ids.end());
}

} // namespace
} // namespace cask::advise
