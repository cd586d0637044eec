// The shelf: what is indexed, found, and proposed.
#include "core/base/hash.h"
#include "core/layers/complement.h"
#include "core/layers/one_shot.h"
#include "core/layers/shelf.h"
#include "core/layers/shelf_map.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <random>
#include <sqlite3.h>

namespace cask::layers {
namespace {

namespace fs = std::filesystem;

std::vector<float> struck(double hz, double t60S, float height = 0.5F, double noise = 0,
                          std::uint64_t seed = 1) {
    const auto hiss = test::noise(noise, 48000, seed);
    std::vector<float> x(static_cast<std::size_t>(48000 * std::min(1.0, 1.2 * t60S)) + 480, 0.0F);
    for (std::size_t n = 240; n < x.size(); ++n) {
        const double t = static_cast<double>(n - 240) / 48000;
        x[n] =
            height * static_cast<float>((std::sin(2 * kPi * hz * t) + static_cast<double>(hiss[n % 48000])) *
                                        std::pow(10, -3 * t / t60S));
    }
    return x;
}

class ShelfTest : public testing::Test {
  protected:
    ShelfTest() : sounds(folder / "Sounds") {
        fs::create_directories(sounds / "Snares");
        test::writeWav(sounds / "Kick Deep.wav", struck(50, 0.6));
        test::writeWav(sounds / "Kick Tight.wav", struck(70, 0.2));
        test::writeWav(sounds / "Snares" / "Fat.wav", struck(180, 0.3, 0.5F, 0.7));
        test::writeWav(sounds / "Snares" / "Fat soft.wav", struck(180, 0.3, 0.05F, 0.7, 2));
        test::writeWav(sounds / "Tick.wav", struck(6000, 0.08));
        auto opened = Shelf::open(folder / "shelf.db");
        EXPECT_TRUE(opened) << opened.error().message;
        shelf = std::make_unique<Shelf>(std::move(*opened));
    }
    ShelfIndexed index() {
        const auto indexed = shelf->index(sounds);
        EXPECT_TRUE(indexed) << indexed.error().message;
        return indexed ? *indexed : ShelfIndexed{};
    }
    std::vector<std::string> names(const ShelfQuery& query) {
        std::vector<std::string> found;
        const auto sounds_ = shelf->search(query);
        EXPECT_TRUE(sounds_);
        for (const auto& sound : *sounds_)
            found.push_back(sound.file.stem().string());
        return found;
    }
    test::TempFolder folder;
    fs::path sounds;
    std::unique_ptr<Shelf> shelf;
};

TEST_F(ShelfTest, FoldersSayWhatNamesDoNot) {
    fs::create_directories(sounds / "Snares" / "Wood" / "Hard");
    test::writeWav(sounds / "Snares" / "Wood" / "Hard" / "01.wav",
                   struck(55, 0.4, 0.5F, 3)); // as a kick sounds
    (void)index();
    const auto found = shelf->search({"wood"});
    ASSERT_TRUE(found);
    ASSERT_EQ(found->size(), 1U);
    EXPECT_EQ(found->front().role, Role::SnareTop);
}

TEST_F(ShelfTest, KnowsWhatIsNewChangedMovedAndGone) {
    std::ofstream(sounds / "Broken.wav") << "no sound";
    test::writeWav(sounds / "Silent.wav", std::vector<float>(4800, 0.0F));
    auto first = index();
    EXPECT_EQ(first.measured, 5);
    ASSERT_EQ(first.problems.size(), 2U);
    EXPECT_NE((first.problems[0] + first.problems[1]).find("Broken.wav"), std::string::npos);
    EXPECT_NE((first.problems[0] + first.problems[1]).find("Silent.wav"), std::string::npos);
    fs::remove(sounds / "Broken.wav");
    fs::remove(sounds / "Silent.wav");
    auto again = index();
    EXPECT_EQ(again.measured, 0);
    EXPECT_EQ(again.known, 5);
    const auto idOf = [&](const char* word) { return shelf->search({word}).value().front().id; };
    const auto before = idOf("deep");
    fs::rename(sounds / "Kick Deep.wav", sounds / "Snares" / "Deep one.wav");
    fs::remove(sounds / "Tick.wav");
    test::writeWav(sounds / "Kick Tight.wav", struck(90, 0.25));
    again = index();
    EXPECT_EQ(again.moved, 1);
    EXPECT_EQ(again.gone, 1);
    EXPECT_EQ(again.measured, 1);
    EXPECT_EQ(again.known, 2);
    EXPECT_EQ(idOf("deep one"), before) << "found again by its content";
    EXPECT_EQ(shelf->search({"deep one"}).value().front().role, Role::SnareTop) << "where it lies now";
    EXPECT_NEAR(shelf->search({"tight"}).value().front().look.fundamentalHz, 90, 2);
    EXPECT_EQ(shelf->count(), 4);
    EXPECT_EQ(shelf->all()->size(), 4U);
    // Another folder's sounds are not gone because this one was looked through.
    fs::create_directories(folder / "Other");
    test::writeWav(folder / "Other" / "Clap.wav", struck(900, 0.1, 0.5F, 2));
    ASSERT_TRUE(shelf->index(folder / "Other"));
    EXPECT_EQ(index().gone, 0);
    EXPECT_EQ(shelf->count(), 5);
    EXPECT_FALSE(shelf->index(folder / "None"));
}

TEST_F(ShelfTest, WhatASessionMadeForItselfIsLeftOut) {
    fs::create_directories(sounds / "A.cask" / "cache");
    std::ofstream(sounds / "A.cask" / "session.json") << "{}";
    test::writeWav(sounds / "A.cask" / "cache" / "0f3a.wav", struck(50, 0.6));
    EXPECT_EQ(index().measured, 5);
}

TEST_F(ShelfTest, StoppedItGoesOnLater) {
    CancelToken stopped;
    stopped.cancel();
    const auto none = shelf->index(sounds, stopped);
    ASSERT_FALSE(none);
    EXPECT_EQ(none.error().code, ErrorCode::Cancelled);
    EXPECT_EQ(index().measured, 5);
}

TEST_F(ShelfTest, SearchesByWordsRoleAndNumbers) {
    index();
    using Names = std::vector<std::string>;
    EXPECT_EQ(names({"KICK tight"}), Names{"Kick Tight"});
    EXPECT_EQ(names({"snares"}), (Names{"Fat soft", "Fat"}));
    EXPECT_EQ(names({"no such word"}), Names{});
    ShelfQuery query;
    query.role = Role::KickIn;
    query.sortBy = "length_ms";
    EXPECT_EQ(names(query), (Names{"Kick Tight", "Kick Deep"}));
    query = {};
    query.ranges = {{"fundamental_hz", 40, 80}, {"length_ms", 200, 1000}};
    EXPECT_EQ(names(query), Names{"Kick Deep"});
    query.ranges = {{"colour", 0, 1}};
    EXPECT_FALSE(shelf->search(query));
    query = {};
    query.most = 2;
    EXPECT_EQ(names(query).size(), 2U);
}

TEST_F(ShelfTest, FindsWhatIsLikeASoundAndWhatIsTheSame) {
    fs::copy(sounds / "Kick Deep.wav", sounds / "A copy.wav");
    index();
    const auto shot = readOneShot(sounds / "Snares" / "Fat.wav");
    const auto look = measure::lookOf(shot->sound, shot->rateHz);
    const auto answers = shelf->like(*look, 3, *hashFile(sounds / "Snares" / "Fat.wav"));
    ASSERT_TRUE(answers);
    ASSERT_EQ(answers->size(), 3U);
    EXPECT_EQ(answers->front().sound.file.stem(), "Fat soft");
    EXPECT_LE(answers->at(0).unlikeness, answers->at(1).unlikeness);
    const auto same = shelf->duplicates();
    ASSERT_EQ(same->size(), 1U);
    EXPECT_EQ(same->front(), (std::vector<fs::path>{sounds / "A copy.wav", sounds / "Kick Deep.wav"}));
}

TEST_F(ShelfTest, ProposesWhatFillsAndDoesNotClash) {
    index();
    const auto partners = partnersOf(*shelf, sounds / "Kick Deep.wav", 100);
    ASSERT_TRUE(partners);
    ASSERT_EQ(partners->size(), 4U) << "never itself";
    EXPECT_EQ(partners->back().sound.file.stem(), "Kick Tight") << "a second low end";
    EXPECT_GT(partners->back().score.lowClash, 0.1);
    EXPECT_LT(partners->front().score.lowClash, 0.05);
    for (std::size_t i = 1; i < partners->size(); ++i)
        EXPECT_GE(partners->at(i - 1).score.score, partners->at(i).score.score);
    // A copy that was turned around is worth nothing.
    auto x = struck(50, 0.6);
    for (float& v : x)
        v *= -0.3F;
    const auto copy = scorePair({struck(50, 0.6)}, {x}, 48000);
    EXPECT_TRUE(copy.isCopy);
    EXPECT_LT(copy.score, -50);
}

TEST_F(ShelfTest, TheProposedPartnerIsAmongTheBestOfAll) {
    for (int i = 0; i < 60; ++i)
        test::writeWav(sounds / ("Any " + std::to_string(i) + ".wav"),
                       struck(60 * std::pow(1.09, i), 0.1 + 0.01 * (i * 7 % 40), 0.5F, 0.1 * (i * 3 % 10),
                              static_cast<std::uint64_t>(i)));
    index();
    const auto exhaustive = partnersOf(*shelf, sounds / "Kick Deep.wav", 1000);
    const auto quick = partnersOf(*shelf, sounds / "Kick Deep.wav", 15);
    ASSERT_EQ(exhaustive->size(), 64U);
    ASSERT_EQ(quick->size(), 15U);
    const auto place = std::find_if(exhaustive->begin(), exhaustive->end(), [&](const Partner& p) {
        return p.sound.file == quick->front().sound.file;
    });
    EXPECT_LT(place - exhaustive->begin(), 4) << "the best 5 %";
}

TEST_F(ShelfTest, FoldersAreKnownAndForgotten) {
    index();
    fs::create_directories(folder / "Sounds 2");
    test::writeWav(folder / "Sounds 2" / "Clap.wav", struck(900, 0.1, 0.5F, 2));
    ASSERT_TRUE(shelf->index((folder / "Sounds 2").string() + "/"));
    EXPECT_EQ(*shelf->folders(), (std::vector<fs::path>{sounds, folder / "Sounds 2"}));
    ASSERT_TRUE(shelf->forget(sounds));
    EXPECT_EQ(*shelf->folders(), (std::vector<fs::path>{folder / "Sounds 2"}));
    EXPECT_EQ(shelf->count(), 1) << "a folder whose name only begins the same stays";
    EXPECT_EQ(shelf->all()->size(), 1U);
    EXPECT_TRUE(fs::exists(sounds / "Tick.wav"));
    EXPECT_EQ(index().measured, 5) << "taken in again, all of it is measured anew";
}

TEST_F(ShelfTest, AShelfOfBeforeIsReadOn) {
    index();
    shelf.reset();
    sqlite3* db = nullptr;
    ASSERT_EQ(sqlite3_open((folder / "shelf.db").c_str(), &db), SQLITE_OK);
    ASSERT_EQ(sqlite3_exec(db, "DROP TABLE folders; PRAGMA user_version = 1", nullptr, nullptr, nullptr),
              SQLITE_OK);
    sqlite3_close(db);
    auto opened = Shelf::open(folder / "shelf.db");
    ASSERT_TRUE(opened) << opened.error().message;
    EXPECT_EQ(opened->count(), 5);
    EXPECT_TRUE(opened->folders()->empty());
    EXPECT_EQ(opened->index(sounds)->measured, 5) << "roles are found otherwise by now";
    EXPECT_EQ(opened->count(), 5);
    EXPECT_EQ(opened->index(sounds)->known, 5);
    EXPECT_EQ(opened->folders()->size(), 1U);
}

TEST(ShelfMap, NamesItsAxesByWhatGoesAlongWithThem) {
    using measure::LookShape;
    std::mt19937 random(7);
    std::uniform_real_distribution<double> side(-1, 1);
    std::vector<ShelfSound> sounds(400);
    std::vector<std::array<double, 2>> truth;
    for (auto& sound : sounds) {
        // Two ways to differ, square to each other: a tilt over the bands, more of the late times.
        const double tilt = side(random);
        const double late = side(random);
        truth.push_back({tilt, late});
        for (std::size_t t = 0; t < LookShape::kTimes; ++t)
            for (std::size_t b = 0; b < LookShape::kBands; ++b)
                sound.look.shape.values[t * LookShape::kBands + b] = static_cast<std::uint8_t>(
                    std::lround(128 + 50 * tilt * (static_cast<double>(b) - 12.5) / 12.5 -
                                30 * late * (static_cast<double>(t) - 2) / 2));
        sound.look.brightnessHz = 1000 * std::exp2(-2 * tilt);
        sound.look.lengthMs = 300 * std::exp2(2 * late);
        sound.look.noisiness = 0.5 + 0.3 * side(random);
    }
    const auto map = mapOf(sounds);
    EXPECT_GT(map.keptShare, 0.99) << "there are no other differences";
    ASSERT_EQ(map.axes[0].along.size(), 1U) << "noisiness goes along with nothing";
    EXPECT_EQ(map.axes[0].along[0].number, "brightness_hz");
    EXPECT_GT(map.axes[0].along[0].correlation, 0.99);
    ASSERT_EQ(map.axes[1].along.size(), 1U);
    EXPECT_EQ(map.axes[1].along[0].number, "length_ms");
    EXPECT_GT(map.axes[1].along[0].correlation, 0.99);
    for (std::size_t i = 1; i < sounds.size(); ++i) {
        if (std::abs(truth[i][0] - truth[0][0]) > 0.1) { // to the right is brighter, which is less tilt
            EXPECT_EQ(map.places[i][0] > map.places[0][0], truth[i][0] < truth[0][0]);
        }
        if (std::abs(truth[i][1] - truth[0][1]) > 0.1) {
            EXPECT_EQ(map.places[i][1] > map.places[0][1], truth[i][1] > truth[0][1]);
        }
        EXPECT_LE(std::abs(map.places[i][0]), 1);
    }
    EXPECT_TRUE(mapOf({}).places.empty());
    // Many of one shape have no plane; they lie in the middle.
    const auto same = mapOf(std::vector<ShelfSound>(5));
    ASSERT_EQ(same.places.size(), 5U);
    EXPECT_EQ(same.places[3][0], 0);
}

TEST(Shelf, OtherFilesAreRefused) {
    const test::TempFolder folder;
    std::ofstream(folder / "text.db") << std::string(5000, 'x');
    EXPECT_FALSE(Shelf::open(folder / "text.db"));
    EXPECT_FALSE(Shelf::open("/proc/none/shelf.db"));
}

} // namespace
} // namespace cask::layers
