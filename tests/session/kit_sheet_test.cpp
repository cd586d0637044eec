// The kit sheet: what is found in files before elements are made, and every correction.
#include "core/session/kit_sheet.h"

#include <gtest/gtest.h>

#include <algorithm>

namespace cask::session {
namespace {

IntakeFile fileAt(const std::string& path, int channels = 1, Frames frames = 48000) {
    IntakeFile f;
    f.path = path;
    f.name = path.substr(path.find_last_of('/') + 1);
    f.channels = channels;
    f.frames = frames;
    f.sampleRateHz = 48000;
    f.contentHash = path;
    return f;
}

KitSheet sheetOf(const std::vector<std::string>& paths) {
    std::vector<IntakeFile> files;
    for (const auto& path : paths)
        files.push_back(fileAt(path));
    return makeKitSheet(files);
}

std::vector<std::string> elementNames(const Session& s) {
    std::vector<std::string> names;
    for (const auto& e : s.elements)
        names.push_back(e->name);
    return names;
}

TEST(KitSheet, TakesByTheirNumberAreToldApart) {
    const auto sheet =
        sheetOf({"/a/Kick_T1.wav", "/a/Snare_T1.wav", "/a/OH L_T1.wav", "/a/OH R_T1.wav", "/a/Kick_T2.wav",
                 "/a/Snare_T2.wav", "/a/OH L_T2.wav", "/a/OH R_T2.wav", "/a/Click.wav"});
    EXPECT_EQ(sheet.takes, (std::vector<std::string>{"take 1", "take 2"}));
    const auto first = withKitSheet(emptySession(), sheet, 0);
    EXPECT_EQ(first.elements.size(), 4U) << "kick, snare, a pair, and the click that belongs to no take";
    EXPECT_EQ(withKitSheet(emptySession(), sheet, 1).elements.size(), 3U);
    EXPECT_EQ(withKitSheet(emptySession(), sheet).elements.size(), 7U);
}

TEST(KitSheet, NumbersAloneAreTakesWhereTheWholeKitComesAgain) {
    const auto sheet = sheetOf({"/a/Kick_01.wav", "/a/Snare_01.wav", "/a/Hat_01.wav", "/a/Kick_02.wav",
                                "/a/Snare_02.wav", "/a/Hat_02.wav", "/a/Click.wav"});
    EXPECT_EQ(sheet.takes, (std::vector<std::string>{"take 1", "take 2"}));
}

TEST(KitSheet, TakesByTheirFolderAreToldApart) {
    const auto sheet = sheetOf(
        {"/s/one/Kick.wav", "/s/one/Snare.wav", "/s/two/Kick.wav", "/s/two/Snare.wav", "/s/two/Hat.wav"});
    EXPECT_EQ(sheet.takes, (std::vector<std::string>{"one", "two"}));
    EXPECT_EQ(elementNames(withKitSheet(emptySession(), sheet, 1)),
              (std::vector<std::string>{"Kick", "Snare", "Hat"}));
}

TEST(KitSheet, NumberedDrumsAreNoTakes) {
    for (const auto& paths : std::vector<std::vector<std::string>>{
             {"/a/Tom 1.wav", "/a/Tom 2.wav", "/a/Tom 3.wav", "/a/Kick.wav"},
             {"/a/Tom 1.wav", "/a/Tom 2.wav", "/a/Room 1.wav", "/a/Kick.wav"},
             {"/a/Tom 1.wav", "/a/Tom 2.wav", "/a/Room 1.wav", "/a/Room 2.wav", "/a/OH 1.wav", "/a/OH 2.wav",
              "/a/Kick.wav", "/a/Snare.wav"},
             {"/a/Tom 1.wav", "/a/Tom 2.wav", "/a/OH 1.wav", "/a/OH 2.wav", "/a/Room 1.wav", "/a/Room 2.wav"},
             {"/a/01 Kick.wav", "/a/02 Snare.wav", "/a/03 Hat.wav"},
             {"/a/Kick_01.wav", "/a/Snare_02.wav", "/a/Hat_03.wav"},
             {"/a/drums/Kick.wav", "/a/cymbals/Hat.wav", "/a/cymbals/Ride.wav"}})
        EXPECT_EQ(sheetOf(paths).takes.size(), 1U) << paths.front();
}

TEST(KitSheet, ACopyOfAFileIsNotWantedUnlessSomebodySaysSo) {
    std::vector<IntakeFile> files = {fileAt("/a/Kick.wav"), fileAt("/a/Kick copy.wav"), fileAt("/a/Hat.wav")};
    files[1].contentHash = files[0].contentHash;
    auto sheet = makeKitSheet(files);
    EXPECT_EQ(sheet.rows[1].sameAs, 0);
    EXPECT_EQ(withKitSheet(emptySession(), sheet).elements.size(), 2U);
    sheet.rows[1].isWanted = true;
    EXPECT_EQ(withKitSheet(emptySession(), sheet).elements.size(), 3U);
    EXPECT_EQ(withFiles(emptySession(), files).elements.size(), 3U)
        << "where nobody is asked nothing is left out";
}

TEST(KitSheet, PairsAreJoinedAndParted) {
    auto sheet = sheetOf({"/a/OH L.wav", "/a/OH R.wav", "/a/Room A.wav", "/a/Room B.wav"});
    EXPECT_EQ(withKitSheet(emptySession(), sheet).elements.size(), 3U);
    ASSERT_TRUE(joinRows(sheet, 2, 3));
    EXPECT_EQ(withKitSheet(emptySession(), sheet).elements.size(), 2U);
    partRow(sheet, 1);
    EXPECT_EQ(sheet.rows[0].partner, -1);
    EXPECT_EQ(withKitSheet(emptySession(), sheet).elements.size(), 3U);
    ASSERT_TRUE(joinRows(sheet, 3, 0)) << "out of the pair that it was in";
    EXPECT_EQ(sheet.rows[2].partner, -1);
    sheet.files[1].frames = 100;
    EXPECT_FALSE(joinRows(sheet, 0, 1)) << "not of one length";
    EXPECT_EQ(sheet.rows[0].partner, 3);
    EXPECT_FALSE(joinRows(sheet, 2, 2));
}

TEST(KitSheet, RolesAreSaidForBothSidesAndTheUnknownGoToTheMaster) {
    auto sheet = sheetOf({"/a/x L.wav", "/a/x R.wav", "/a/7.wav", "/a/Kick.wav"});
    EXPECT_EQ(rowsWithoutRole(sheet), 2) << "a pair is one";
    const auto unknown = withKitSheet(emptySession(), sheet);
    for (const auto& e : unknown.elements)
        EXPECT_EQ(e->out.bus == unknown.master().id, e->role == Role::Unknown) << e->name;
    setRowRole(sheet, 1, Role::Room);
    EXPECT_EQ(sheet.rows[0].role, Role::Room);
    EXPECT_EQ(rowsWithoutRole(sheet), 1);
    sheet.rows[2].isWanted = false;
    EXPECT_EQ(rowsWithoutRole(sheet), 0);
    const auto made = withKitSheet(emptySession(), sheet);
    EXPECT_EQ(elementNames(made), (std::vector<std::string>{"Kick", "x"}));
    EXPECT_EQ(made.elements[1]->roleConfidence, 1);
}

TEST(KitSheet, NamesLoseWhatTheyShare) {
    auto sheet = sheetOf({"/a/Ghosts_v3_Kick In.wav", "/a/Ghosts_v3_Kick Out.wav", "/a/Ghosts_v3_Hat.wav"});
    EXPECT_EQ(cleanNames(sheet), 3);
    EXPECT_EQ(sheet.rows[0].name, "Kick In");
    EXPECT_EQ(sheet.rows[2].name, "Hat");
    EXPECT_EQ(cleanNames(sheet), 0);
    sheet = sheetOf({"/a/Kick-take.wav", "/a/Snare-take.wav", "/a/Hat-take.wav"});
    cleanNames(sheet);
    EXPECT_EQ(sheet.rows[1].name, "Snare");
    sheet = sheetOf({"/a/Tom 1.wav", "/a/Tom 2.wav", "/a/Tom 3.wav"});
    EXPECT_EQ(cleanNames(sheet), 0) << "a number alone is no name";
    sheet = sheetOf({"/a/song.wav", "/a/song_Kick.wav", "/a/song_Hat.wav"});
    EXPECT_EQ(cleanNames(sheet), 0) << "one would be left without a name";
    sheet = sheetOf({"/a/Kick.wav", "/a/Kick 2.wav"});
    EXPECT_EQ(cleanNames(sheet), 0) << "two are no pattern";
    // What comes from elsewhere keeps its name and does not keep the others from theirs.
    sheet =
        sheetOf({"/a/Ghosts_v3_Kick.wav", "/a/Ghosts_v3_Snare.wav", "/a/Ghosts_v3_Hat.wav", "/a/Click.wav"});
    EXPECT_EQ(cleanNames(sheet), 3);
    EXPECT_EQ(sheet.rows[1].name, "Snare");
    EXPECT_EQ(sheet.rows[3].name, "Click");
    sheet = sheetOf({"/a/Tom high.wav", "/a/Tom mid.wav", "/a/Tom low.wav", "/a/Kick.wav"});
    EXPECT_EQ(cleanNames(sheet), 0) << "a drum's word is no common part";
}

} // namespace
} // namespace cask::session
