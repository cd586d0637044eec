// Hits of a whole session: from its files, with hand edits, and out again.
#include "core/advise/advise.h"
#include "core/demo/demo_session.h"
#include "core/kit_measures/hit_analysis.h"
#include "core/kit_measures/partners.h"
#include "core/project/hit_files.h"
#include "core/project/measured_files.h"
#include "core/project/offline_sources.h"
#include "core/session/edits.h"
#include "core/session/session_json.h"
#include "core/session/session_store.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>
#include <sndfile.h>

#include <fstream>
#include <smf.h>
#include <sstream>

namespace cask::kit {
namespace {

using session::HitEdit;
using session::Id;

/// The demo session, written once.
class HitAnalysisTest : public testing::Test {
  protected:
    static void SetUpTestSuite() {
        s_folder = new test::TempFolder;
        const auto written = demo::writeDemoSession(*s_folder / "Demo.cask");
        ASSERT_TRUE(written);
        session::SessionStore store(diskFileSystem(), *s_folder / "Demo.cask");
        s_session = new session::Session(store.open()->session);
        s_trails = new project::SessionTrails(*project::measureTrails(*s_session, *s_folder / "Demo.cask"));
    }
    static void TearDownTestSuite() {
        delete s_trails;
        delete s_session;
        delete s_folder;
    }
    static Id element(const std::string& name) {
        for (const auto& e : s_session->elements)
            if (e->name == name)
                return e->id;
        return session::kNoId;
    }
    static std::shared_ptr<const HitAnalysis> analyse(const session::Session& s) {
        return *analyseHits(s, s_trails->lookup());
    }
    static int count(const HitAnalysis& a, const std::string& name) {
        const int drum = a.hits.kit.drumOf[static_cast<std::size_t>(a.inputOf(element(name)))];
        return static_cast<int>(std::count_if(a.hits.strokes.begin(), a.hits.strokes.end(),
                                              [&](const auto& h) { return h.drum == drum; }));
    }
    static const measure::DrumHit& nth(const HitAnalysis& a, const std::string& name, int n) {
        const int drum = a.hits.kit.drumOf[static_cast<std::size_t>(a.inputOf(element(name)))];
        for (const auto& h : a.hits.strokes)
            if (h.drum == drum && n-- == 0)
                return h;
        std::abort();
    }
    static inline test::TempFolder* s_folder = nullptr;
    static inline session::Session* s_session = nullptr;
    static inline project::SessionTrails* s_trails = nullptr;
};

TEST_F(HitAnalysisTest, ContextIsLeftOutAndTheTempoIsTheDemos) {
    EXPECT_TRUE(s_trails->problems.empty());
    const auto a = analyse(*s_session);
    EXPECT_NEAR(a->tempo.bpm, 104, 0.104);
    EXPECT_NEAR(a->tempo.firstBarS, 0.5, 0.02);
    for (const auto& h : a->hits.heard)
        EXPECT_NE(a->elements[static_cast<std::size_t>(h.input)], element("Bass"));
}

TEST_F(HitAnalysisTest, HandEditsStandOverANewAnalysis) {
    const auto before = analyse(*s_session);
    const int snares = count(*before, "Snare Top");
    auto s = *s_session;
    const Id snare = element("Snare Top");
    const double removed = nth(*before, "Snare Top", 3).timeS;
    const double moved = nth(*before, "Snare Top", 5).timeS;
    const double named = nth(*before, "Snare Top", 7).timeS;
    s.hitEdits = {
        {HitEdit::Kind::Remove, snare, removed, 0, {}, session::kNoId, {}},
        {HitEdit::Kind::Move, snare, moved, moved + 0.004, {}, session::kNoId, {}},
        {HitEdit::Kind::Class, snare, named, 0, "roll", session::kNoId, {}},
        {HitEdit::Kind::Add, snare, 0.1234, 0, {}, session::kNoId, {}},
        {HitEdit::Kind::Remove, snare, 999, 0, {}, session::kNoId, {}}}; // nothing there: nothing happens
    // Through the file and another shift of everything, as a later analysis would see it.
    auto back = session::fromJson(session::toJson(s), "session.json");
    ASSERT_TRUE(back) << back.error().message;
    EXPECT_EQ(back->hitEdits, s.hitEdits);
    const auto after = analyse(*back);
    EXPECT_EQ(count(*after, "Snare Top"), snares);
    EXPECT_NEAR(nth(*after, "Snare Top", 0).timeS, 0.1234, 1e-9);
    const int drum = after->hits.kit.drumOf[static_cast<std::size_t>(after->inputOf(snare))];
    bool isMoved = false;
    bool isNamed = false;
    for (const auto& h : after->hits.strokes) {
        if (h.drum != drum)
            continue;
        EXPECT_GT(std::abs(h.timeS - removed), 0.001);
        isMoved |= std::abs(h.timeS - moved - 0.004) < 1e-9;
        isNamed |=
            std::abs(h.timeS - named) < 1e-9 && h.hitClass == measure::HitClass::Roll && h.confidence == 1;
    }
    EXPECT_TRUE(isMoved);
    EXPECT_TRUE(isNamed);
}

TEST_F(HitAnalysisTest, AnOwnerGivenByHandTakesTheHitAlong) {
    const auto before = analyse(*s_session);
    auto s = *s_session;
    const double at = nth(*before, "Rack Tom", 0).timeS;
    s.hitEdits = {{HitEdit::Kind::Owner, element("Rack Tom"), at, 0, {}, element("Floor Tom"), {}}};
    const auto after = analyse(s);
    EXPECT_EQ(count(*after, "Rack Tom"), count(*before, "Rack Tom") - 1);
    EXPECT_EQ(count(*after, "Floor Tom"), count(*before, "Floor Tom") + 1);
}

TEST_F(HitAnalysisTest, TheTableHasTheColumnsThatScriptsDependOn) {
    const auto a = analyse(*s_session);
    const auto rows = project::hitRows(*s_session, *a, false);
    std::istringstream csv(project::hitsToCsv(rows));
    std::string line;
    std::getline(csv, line);
    EXPECT_EQ(line, "element,role,time_s,level_db,velocity,class,owner,confidence");
    std::size_t lines = 0;
    int own = 0;
    while (std::getline(csv, line)) {
        ++lines;
        own += line.find("\"Snare Top\",snare_top,") == 0 && line.find(",\"Snare Top\",") != std::string::npos
                   ? 1
                   : 0;
    }
    EXPECT_EQ(lines, rows.size());
    EXPECT_EQ(own, count(*a, "Snare Top"));
    for (std::size_t i = 1; i < rows.size(); ++i)
        EXPECT_LE(rows[i - 1].timeS, rows[i].timeS);
    EXPECT_LT(project::hitRows(*s_session, *a, true).size(), rows.size());
    const auto json = nlohmann::json::parse(project::hitsToJson(*s_session, *a, rows));
    EXPECT_EQ(json["hits"].size(), rows.size());
    EXPECT_NEAR(json["tempo"]["bpm"].get<double>(), 104, 0.1);
}

TEST_F(HitAnalysisTest, AnElementThatWentSinceHasNoRows) {
    const auto a = analyse(*s_session);
    const auto all = project::hitRows(*s_session, *a, true);
    const auto left = project::hitRows(session::withoutElement(*s_session, element("Snare Top")), *a, true);
    const auto snares =
        std::count_if(all.begin(), all.end(), [](const auto& row) { return row.element == "Snare Top"; });
    EXPECT_GT(snares, 0);
    EXPECT_EQ(left.size() + static_cast<std::size_t>(snares), all.size());
}

TEST_F(HitAnalysisTest, MidiLabelsAndCuesSayTheSame) {
    const auto a = analyse(*s_session);
    const test::TempFolder out;
    const auto written = project::writeHitFiles(*s_session, *a, *s_folder / "Demo.cask", out.path(), true);
    ASSERT_TRUE(written) << written.error().message;
    for (const auto& path : *written)
        EXPECT_TRUE(std::filesystem::exists(path)) << path;
    // MIDI: as many kicks as strokes, at their times.
    smf_t* smf = smf_load((out / "hits.mid").c_str());
    ASSERT_NE(smf, nullptr);
    std::vector<double> kicks;
    while (auto* event = smf_get_next_event(smf))
        if ((event->midi_buffer[0] & 0xF0) == 0x90 && event->midi_buffer[1] == 36)
            kicks.push_back(event->time_seconds);
    smf_delete(smf);
    ASSERT_EQ(static_cast<int>(kicks.size()), count(*a, "Kick In"));
    for (std::size_t i = 0; i < kicks.size(); ++i)
        EXPECT_NEAR(kicks[i], nth(*a, "Kick In", static_cast<int>(i)).timeS, 0.002); // a tick is 1.2 ms
    // Labels: start, end, name.
    std::ifstream labels(out / "Kick In - hits.txt");
    double start = 0;
    double end = 0;
    std::string name;
    int count1 = 0;
    while (labels >> start >> end >> name) {
        EXPECT_GT(end, start);
        EXPECT_TRUE(measure::hitClassFromName(name)) << name;
        ++count1;
    }
    EXPECT_EQ(count1, count(*a, "Kick In"));
    // Cue marks.
    SF_INFO info{};
    SNDFILE* file = sf_open((out / "Kick In - hits.wav").c_str(), SFM_READ, &info);
    ASSERT_NE(file, nullptr);
    SF_CUES cues{};
    EXPECT_EQ(sf_command(file, SFC_GET_CUE, &cues, sizeof cues), SF_TRUE);
    EXPECT_EQ(static_cast<int>(cues.cue_count), std::min(100, count(*a, "Kick In")));
    EXPECT_NEAR(cues.cue_points[0].sample_offset / 48000.0, nth(*a, "Kick In", 0).timeS, 0.0001);
    sf_close(file);
}

TEST_F(HitAnalysisTest, MoreThanAHundredCuesAreAllThere) {
    auto s = *s_session;
    for (int i = 0; i < 120; ++i)
        s.hitEdits.push_back(
            {HitEdit::Kind::Add, element("Kick In"), 0.053 + 0.3 * i, 0, {}, session::kNoId, {}});
    const auto a = analyse(s);
    ASSERT_GT(count(*a, "Kick In"), 120);
    const test::TempFolder out;
    ASSERT_TRUE(project::writeCues(s, *a, element("Kick In"), *s_folder / "Demo.cask", out / "k.wav"));
    SF_INFO info{};
    SNDFILE* file = sf_open((out / "k.wav").c_str(), SFM_READ, &info);
    ASSERT_NE(file, nullptr);
    std::uint32_t cues = 0;
    EXPECT_EQ(sf_command(file, SFC_GET_CUE_COUNT, &cues, sizeof cues), SF_TRUE);
    sf_close(file);
    const int input = a->inputOf(element("Kick In"));
    EXPECT_EQ(static_cast<std::ptrdiff_t>(cues),
              std::count_if(a->hits.heard.begin(), a->hits.heard.end(),
                            [&](const auto& h) { return h.input == input && h.isOwn; }));
}

TEST_F(HitAnalysisTest, AFolderThatCantBeWrittenIsNamed) {
    const auto a = analyse(*s_session);
    const auto written =
        project::writeHitFiles(*s_session, *a, *s_folder / "Demo.cask", "/proc/nowhere", false);
    ASSERT_FALSE(written);
    EXPECT_NE(written.error().message.find("/proc/nowhere"), std::string::npos);
}

TEST_F(HitAnalysisTest, ThePlantedFaultsOfTheDemoAreFindingsAndTheirMovesMendThem) {
    auto s = *s_session;
    const auto folder = *s_folder / "Demo.cask";
    const auto findings = [&] {
        const auto measures = project::measureSession(s, folder);
        EXPECT_TRUE(measures);
        return advise::advise(s, *measures, advise::HouseStyle());
    };
    const auto find = [&](const std::vector<advise::Finding>& all, const std::string& start, Id of) {
        const auto it = std::find_if(all.begin(), all.end(), [&](const auto& f) {
            return f.id.starts_with(start) && f.element == of;
        });
        return it == all.end() ? nullptr : &*it;
    };
    const auto before = findings();
    const auto* clipped = find(before, "clipped-", element("Floor Tom"));
    const auto* late = find(before, "late-", element("Kick Out"));
    const auto* inverted = find(before, "pair-", element("Snare Bottom"));
    ASSERT_NE(clipped, nullptr);
    ASSERT_NE(late, nullptr);
    ASSERT_NE(inverted, nullptr);
    EXPECT_EQ(clipped->severity, advise::Severity::Fault);
    EXPECT_FALSE(clipped->proposal);
    EXPECT_NEAR(late->numbers.front().value, 4.4, 1); // 3.5 ms planted and 0.4 m of air
    EXPECT_NE(inverted->sentence.find("inverted polarity"), std::string::npos);
    // The only faults among the files: nothing else is called clipped, late or inverted.
    for (const auto& f : before)
        if (f.severity == advise::Severity::Fault) {
            EXPECT_TRUE(&f == clipped || &f == late) << f.sentence;
        }
    s = inverted->proposal->apply(late->proposal->apply(s));
    const auto after = findings();
    EXPECT_EQ(find(after, "late-", element("Kick Out")), nullptr);
    EXPECT_EQ(find(after, "pair-", element("Snare Bottom")), nullptr);
    EXPECT_NE(find(after, "clipped-", element("Floor Tom")), nullptr) << "no move takes that away";
}

TEST_F(HitAnalysisTest, FilesThatAreNotThereAreFindingsAndTheRestIsMeasured) {
    auto s = *s_session;
    s.files[0].edit([](session::SourceFile& f) { f.path = "nowhere/Kick In.wav"; });
    const auto measures = project::measureSession(s, *s_folder / "Demo.cask");
    ASSERT_TRUE(measures);
    const auto all = advise::advise(s, *measures, advise::HouseStyle());
    const auto missing =
        std::find_if(all.begin(), all.end(), [](const auto& f) { return f.id.starts_with("unreadable-"); });
    ASSERT_NE(missing, all.end());
    EXPECT_NE(missing->sentence.find("Kick In.wav"), std::string::npos);
    EXPECT_TRUE(
        std::any_of(all.begin(), all.end(), [&](const auto& f) { return f.id.starts_with("clipped-"); }));
    CancelToken cancelled;
    cancelled.cancel();
    EXPECT_FALSE(project::measureSession(s, *s_folder / "Demo.cask", {}, KitDepth::All, cancelled));
}

TEST_F(HitAnalysisTest, ThePlantedFaultsOfTheDemoAreFoundByAligning) {
    const auto a = analyse(*s_session);
    const auto sources = project::openOfflineSources(*s_session, *s_folder / "Demo.cask");
    ASSERT_TRUE(sources);
    auto s = *s_session;
    const auto pair = [&](const std::string& first, const std::string& second) {
        return alignPartner(s, *a, sources->lookup(), element(first), element(second));
    };
    const auto snare = pair("Snare Top", "Snare Bottom");
    EXPECT_TRUE(snare.isInverted);
    EXPECT_GT(snare.lowSumMovedDb, snare.lowSumDb);
    const auto kick = pair("Kick In", "Kick Out");
    EXPECT_NEAR(kick.delayMs, 4.4, 1.2) << "3.5 ms planted and the way through the air";
    EXPECT_GT(kick.lowSumMovedDb, kick.lowSumDb);
    // Done as proposed, little is left to gain.
    s = session::withElement(s, element("Kick Out"), [&](auto& e) { e.input.shiftMs = -kick.delayMs; });
    const auto moved = pair("Kick In", "Kick Out");
    EXPECT_LT(moved.lowSumMovedDb - moved.lowSumDb, 2.0) << "of 8 dB; only their lows are alike";
}

} // namespace
} // namespace cask::kit
