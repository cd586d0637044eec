// Findings on measures made by hand: what is said, what is proposed, and what stays unsaid.
#include "core/advise/advise.h"
#include "core/advise/house_style_files.h"
#include "core/session/edits.h"

#include <gtest/gtest.h>

#include <algorithm>

namespace cask::advise {
namespace {

using measure::DrumHit;
using session::Id;
using session::Session;

/// Kick in, kick out, snare top and overheads, all sound, with ten kicks and ten snares.
class AdviseTest : public testing::Test {
  protected:
    AdviseTest() {
        int input = 0;
        for (const auto& [name, role] :
             {std::pair("Kick In", Role::KickIn), std::pair("Kick Out", Role::KickOut),
              std::pair("Snare", Role::SnareTop), std::pair("Over", Role::Overhead)}) {
            session::SourceFile file;
            file.id = m_session.nextId++;
            file.path = std::string(name) + ".wav";
            session::Element e;
            e.id = m_session.nextId++;
            e.name = name;
            e.role = role;
            e.roleConfidence = 1;
            e.channels = {{file.id, 0}};
            auto analysis = std::make_shared<measure::FileAnalysis>();
            analysis->facts.levels.peakDb = -6;
            analysis->facts.levels.rmsDb = -30;
            analysis->facts.levels.noiseFloorDb = -70;
            analysis->facts.arrivals = 20;
            analysis->facts.framesRead = 480000;
            m_facts.push_back(&analysis->facts);
            m_measures.files[file.id].analysis = analysis;
            m_files.push_back(file.id);
            m_ids.push_back(e.id);
            m_hits->elements.push_back(e.id);
            m_session.files.emplace_back(std::move(file));
            m_session.elements.emplace_back(std::move(e));
            ++input;
        }
        auto& hits = m_hits->hits;
        hits.inputs = input;
        hits.lagS.assign(static_cast<std::size_t>(input), 0);
        hits.kit.drums = {{"Kick In", Role::KickIn, {0, 1}}, {"Snare", Role::SnareTop, {2}}};
        hits.kit.drumOf = {0, 0, 1, -1};
        for (int n = 0; n < 20; ++n) {
            DrumHit hit;
            hit.drum = n % 2;
            hit.timeS = 0.5 * n;
            hit.confidence = 0.9;
            hit.isAlone = true;
            hits.strokes.push_back(hit);
            hits.heard.push_back({hit.drum == 0 ? 0 : 2, hit.drum, n, true, hit.timeS, -10, 0.9});
        }
        m_hits->spill.rooms.resize(4);
        m_hits->timing.errorMs.assign(20, 0);
        m_hits->timing.drums.resize(2);
        m_hits->tempo.isKnown = true;
        m_hits->tempo.confidence = 0.9;
        m_hits->tempo.bpm = 120;
        for (int beat = 0; beat < 21; ++beat)
            m_hits->tempo.beatsS.push_back(0.5 * beat);
        m_measures.hits = m_hits;
    }

    [[nodiscard]] std::vector<Finding> run(const HouseStyle& style = HouseStyle()) const {
        return advise(m_session, m_measures, style);
    }
    /// The only finding. An empty one, with a failure, when there is none or more.
    [[nodiscard]] Finding only(const HouseStyle& style = HouseStyle()) const {
        auto found = run(style);
        EXPECT_EQ(found.size(), 1U);
        for (const auto& f : found)
            SCOPED_TRACE(f.sentence);
        return found.empty() ? Finding() : found.front();
    }
    [[nodiscard]] static bool says(const Finding& f, const std::string& words) {
        return f.sentence.find(words) != std::string::npos;
    }
    [[nodiscard]] session::InputSettings inputAfter(const Finding& f, Id id) const {
        return f.proposal->apply(m_session).element(id)->input;
    }
    static measure::Alignment pair(double delayMs, bool isInverted, double now, double flipped,
                                   double moved) {
        measure::Alignment a;
        a.hits = 10;
        a.delayMs = delayMs;
        a.isInverted = isInverted;
        a.confidence = 0.9;
        a.lowSumDb = now;
        a.lowSumFlippedDb = flipped;
        a.lowSumMovedDb = moved;
        return a;
    }

    Session m_session = session::emptySession();
    KitMeasures m_measures;
    std::shared_ptr<HitAnalysis> m_hits = std::make_shared<HitAnalysis>();
    std::vector<measure::FileFacts*> m_facts;
    std::vector<Id> m_files;
    std::vector<Id> m_ids; // kick in, kick out, snare, over
};

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
