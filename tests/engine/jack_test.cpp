// Plays through RtAudio against a real JACK server with its dummy driver.
#include "engine/device/rtaudio_device.h"
#include "engine/engine.h"
#include "tests/support/signals.h"
#include "tests/support/wait_for.h"

#include <gtest/gtest.h>

#include <chrono>
#include <csignal>
#include <cstdlib>
#include <fcntl.h>
#include <filesystem>
#include <functional>
#include <sys/file.h>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

namespace cask::engine {
namespace {

/// A server of this test's own, gone with it. JACK keeps eight names on a machine for ever when their servers
/// crash, and takes one back only for a server of the same name: so there are few names, tried in turn.
/// Servers that start at the same moment tidy each other's shared memory away: so there is one on a machine
/// at a time.
class JackServer {
  public:
    JackServer()
        : m_lock(::open((std::filesystem::temp_directory_path() / "cask-test-jack.lock").c_str(),
                        O_RDWR | O_CREAT | O_CLOEXEC, 0666)) {
        ::flock(m_lock, LOCK_EX);
        ::setenv("JACK_NO_AUDIO_RESERVATION", "1", 1);
        for (int i = 0; i < 4 && !runs(); ++i)
            start("cask-test-" + std::to_string(i));
    }
    JackServer(const JackServer&) = delete;
    JackServer& operator=(const JackServer&) = delete;
    ~JackServer() {
        stop();
        ::close(m_lock);
    }
    void stop() {
        if (m_pid > 0) {
            ::kill(m_pid, SIGTERM);
            ::kill(m_pid, SIGCONT);
            ::waitpid(m_pid, nullptr, 0);
        }
        m_pid = 0;
        ::unsetenv("JACK_DEFAULT_SERVER");
    }
    void hang() const { ::kill(m_pid, SIGSTOP); }
    [[nodiscard]] bool runs() const { return m_pid > 0 && ::waitpid(m_pid, nullptr, WNOHANG) == 0; }

  private:
    void start(const std::string& name) {
        ::setenv("JACK_DEFAULT_SERVER", name.c_str(), 1);
        m_pid = ::fork();
        if (m_pid == 0) {
            const int null = ::open("/dev/null", O_RDWR);
            ::dup2(null, 1);
            ::dup2(null, 2);
            ::execlp("jackd", "jackd", "-r", "-n", name.c_str(), "-d", "dummy", "-r", "48000", "-p", "256",
                     nullptr);
            ::_exit(127);
        }
        for (int i = 0; i < 20 && runs(); ++i) // one that can't start is gone within this half second
            std::this_thread::sleep_for(std::chrono::milliseconds(25));
    }
    int m_lock;
    pid_t m_pid = 0;
};

/// The server's device; empty when it never answers.
std::string deviceOf(const JackServer& server) {
    std::string id;
    for (int i = 0; i < 200 && id.empty() && server.runs(); ++i) {
        for (const auto& info : listRealDevices())
            if (info.id.starts_with("jack:"))
                id = info.id;
        std::this_thread::sleep_for(std::chrono::milliseconds(25));
    }
    return id;
}

TEST(Jack, GoesOnSilentlyWhenTheServerGoesAway) {
    if (std::system("command -v jackd > /dev/null") != 0) // NOLINT
        GTEST_SKIP() << "jackd is not installed";
    JackServer server;
    if (!server.runs())
        GTEST_SKIP() << "jackd does not start on this machine";
    const std::string id = deviceOf(server);
    ASSERT_FALSE(id.empty()) << "the server never answered";
    auto kit = test::memoryKit({{test::sine(440, 0.5, 60)}});
    Engine engine(48000, {id, 48000, 256});
    ASSERT_TRUE(engine.setSession(kit.session));
    engine.play();
    ASSERT_TRUE(test::waitFor([&] { return engine.position() > 4800; }));
    server.stop();
    ASSERT_TRUE(test::waitFor([&] {
        engine.poll();
        return engine.device().info().isSimulated;
    })) << "the stand-in takes over";
    EXPECT_NE(engine.deviceNote().find("has gone"), std::string::npos) << engine.deviceNote();
    const auto at = engine.position();
    EXPECT_TRUE(test::waitFor([&] {
        engine.poll();
        return engine.position() > at + 4800;
    })) << "playing goes on";
}

TEST(Jack, GoesOnSilentlyWhenTheServerNoLongerAnswers) {
    if (std::system("command -v jackd > /dev/null") != 0) // NOLINT
        GTEST_SKIP() << "jackd is not installed";
    JackServer server;
    if (!server.runs())
        GTEST_SKIP() << "jackd does not start on this machine";
    const std::string id = deviceOf(server);
    ASSERT_FALSE(id.empty()) << "the server never answered";
    auto kit = test::memoryKit({{test::sine(440, 0.5, 60)}});
    {
        Engine engine(48000, {id, 48000, 256});
        ASSERT_TRUE(engine.setSession(kit.session));
        engine.play();
        ASSERT_TRUE(test::waitFor([&] { return engine.position() > 4800; }));
        server.hang();
        EXPECT_TRUE(test::waitFor([&] {
            engine.poll();
            return engine.device().info().isSimulated;
        })) << "the stand-in takes over";
        const auto at = engine.position();
        EXPECT_TRUE(test::waitFor([&] {
            engine.poll();
            return engine.position() > at + 3 * 48000; // it was asked for once more meanwhile
        })) << "playing goes on";
    }
}

TEST(Jack, PlaysThroughARealServer) {
    if (std::system("command -v jackd > /dev/null") != 0) // NOLINT
        GTEST_SKIP() << "jackd is not installed";
    JackServer server;
    if (!server.runs())
        GTEST_SKIP() << "jackd does not start on this machine";
    const std::string id = deviceOf(server);
    ASSERT_FALSE(id.empty()) << "the server never answered";
    auto kit = test::memoryKit({{test::sine(440, 0.5, 10)}});
    Engine engine(48000, {id, 48000, 256});
    EXPECT_EQ(engine.device().info().id, id);
    EXPECT_FALSE(engine.device().info().isSimulated);
    EXPECT_EQ(engine.deviceNote(), "");
    EXPECT_EQ(engine.device().sampleRateHz(), 48000);
    ASSERT_TRUE(engine.setSession(kit.session));
    engine.play();
    EXPECT_TRUE(test::waitFor([&] { return engine.position() >= 24000; })) << "half a second was played";
}

} // namespace
} // namespace cask::engine
