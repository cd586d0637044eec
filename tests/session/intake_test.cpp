#include "core/session/intake.h"

#include <gtest/gtest.h>

namespace cask::session {
namespace {

IntakeFile file(const std::string& name, int channels = 1, Frames frames = 48000, double rate = 48000) {
    return {"/k/" + name, name, frames, channels, rate, "WAV", std::nullopt};
}

TEST(Intake, GuessesRolesAndBuses) {
    const Session s = withFiles(
        emptySession(), {file("Kick In.wav"), file("OH.wav", 2), file("Room.wav", 2), file("Bass.wav")});
    ASSERT_EQ(s.elements.size(), 4U);
    EXPECT_EQ(s.nameOf(s.elements[0]->out.bus), "Shells");
    EXPECT_EQ(s.nameOf(s.elements[1]->out.bus), "Cymbals");
    EXPECT_EQ(s.nameOf(s.elements[2]->out.bus), "Rooms");
    EXPECT_EQ(s.nameOf(s.elements[3]->out.bus), "Master");
    EXPECT_TRUE(s.elements[1]->isStereo());
}

TEST(Intake, JoinsLeftAndRightOfTheSameLengthOnly) {
    const Session s = withFiles(emptySession(), {file("OH L.wav"), file("OH R.wav"), file("Room L.wav"),
                                                 file("Room R.wav", 1, 47000)});
    ASSERT_EQ(s.elements.size(), 3U);
    EXPECT_EQ(s.elements[0]->name, "OH");
    EXPECT_TRUE(s.elements[0]->isStereo());
    EXPECT_NE(s.elements[0]->channels[0].file, s.elements[0]->channels[1].file);
    EXPECT_FALSE(s.elements[1]->isStereo());
}

TEST(Intake, SplitsManyChannels) {
    const Session s = withFiles(emptySession(), {file("kit.wav", 6)});
    ASSERT_EQ(s.elements.size(), 6U);
    EXPECT_EQ(s.elements[5]->name, "kit ch 6");
    EXPECT_EQ(s.elements[5]->channels[0].channel, 5);
    EXPECT_EQ(s.files.size(), 1U);
}

TEST(Intake, HonoursTimeStampsWhenAllHaveOne) {
    auto a = file("Kick.wav");
    auto b = file("Snare.wav");
    a.timeReference = 48000 * 100;
    b.timeReference = 48000 * 100 + 960;
    Session s = withFiles(emptySession(), {a, b});
    EXPECT_EQ(s.elements[0]->startFrame, 0);
    EXPECT_EQ(s.elements[1]->startFrame, 960);
    b.timeReference.reset();
    s = withFiles(emptySession(), {a, b});
    EXPECT_EQ(s.elements[1]->startFrame, 0);
}

TEST(Intake, NamesStayUnique) {
    Session s = withFiles(emptySession(), {file("Kick.wav")});
    s = withFiles(s, {file("Kick.wav")});
    EXPECT_EQ(s.elements[1]->name, "Kick 2");
}

TEST(Intake, TakesTheRateOfMostFiles) {
    EXPECT_EQ(commonRate({file("a", 1, 1, 44100), file("b", 1, 1, 44100), file("c", 1, 1, 96000)}), 44100);
    EXPECT_EQ(commonRate({file("a", 1, 1, 8000)}), 48000);
    EXPECT_EQ(commonRate({}), 48000);
}

TEST(Intake, LengthCountsEveryRateAndStart) {
    auto a = file("Kick.wav", 1, 44100, 44100);
    const Session s = withFiles(emptySession(48000), {a});
    EXPECT_EQ(s.lengthFrames(), 48000);
}

} // namespace
} // namespace cask::session
