// A child process saves in a loop and is killed at random moments: what it said was saved must be there.
#include "core/session/session_store.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <chrono>
#include <csignal>
#include <random>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

namespace cask::session {
namespace {

/// Saves versions counted up in the session's name; writes each number to the pipe once it is safe.
[[noreturn]] void saveForever(const std::filesystem::path& folder, int pipe, int from) {
    SessionStore store(diskFileSystem(), folder);
    Session s = emptySession();
    for (int i = from;; ++i) {
        s.name = std::to_string(i);
        const bool saved = i % 3 == 0 ? store.save(s).ok() : store.autosave(s).ok();
        if (!saved || ::write(pipe, &i, sizeof i) != sizeof i)
            ::_exit(1);
    }
}

TEST(Crash, KilledAtRandomMomentsNothingThatWasSavedIsLost) {
    const test::TempFolder temp;
    const auto folder = temp / "Crash.cask";
    std::mt19937 random(11);
    int next = 1;
    for (int round = 0; round < 40; ++round) {
        int ends[2];
        ASSERT_EQ(::pipe(ends), 0);
        const pid_t child = ::fork();
        ASSERT_GE(child, 0);
        if (child == 0) {
            ::close(ends[0]);
            saveForever(folder, ends[1], next);
        }
        ::close(ends[1]);
        // However slow the machine is, each child gets to save once before its time is up.
        int last = next - 1;
        ASSERT_EQ(::read(ends[0], &last, sizeof last), static_cast<ssize_t>(sizeof last));
        std::this_thread::sleep_for(std::chrono::microseconds(random() % 25000));
        ::kill(child, SIGKILL);
        for (int value = 0; ::read(ends[0], &value, sizeof value) == sizeof value;)
            last = value;
        ::close(ends[0]);
        ::waitpid(child, nullptr, 0);
        const auto opened = SessionStore(diskFileSystem(), folder).open();
        ASSERT_TRUE(opened) << opened.error().message;
        EXPECT_TRUE(opened->notes.empty());
        // Before the first save there is unsaved work alone.
        const int saved = std::atoi(opened->session.name.c_str());
        const int found =
            std::max(saved, opened->unsaved.empty() ? 0 : std::stoi(opened->unsaved.front().session.name));
        EXPECT_GE(found, last) << "round " << round;
        next = found + 1;
    }
    EXPECT_GT(next, 40);
}

} // namespace
} // namespace cask::session
