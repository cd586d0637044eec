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
#include <optional>
#include <string>
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

/// A server that answers, and a minute of sound.
class Jack : public testing::Test {
  protected:
    void SetUp() override {
        if (std::system("command -v jackd > /dev/null") != 0) // NOLINT
            GTEST_SKIP() << "jackd is not installed";
        m_server.emplace();
        if (!m_server->runs())
            GTEST_SKIP() << "jackd does not start on this machine";
        m_id = deviceOf(*m_server);
        ASSERT_FALSE(m_id.empty()) << "the server never answered";
        m_engine.emplace(48000, DeviceSettings{m_id, 48000, 256});
        ASSERT_TRUE(m_engine->setSession(m_kit.session));
        m_engine->play();
    }
    /// Until something is so, while the engine looks after its device.
    [[nodiscard]] bool comes(const std::function<bool()>& condition) {
        return test::waitFor([&] {
            m_engine->poll();
            return condition();
        });
    }
    [[nodiscard]] bool standInTakesOver() {
        return comes([&] { return m_engine->device().info().isSimulated; });
    }
    [[nodiscard]] bool playsOn(Frames frames) {
        const auto at = m_engine->position();
        return comes([&] { return m_engine->position() > at + frames; });
    }

    std::optional<JackServer> m_server;
    std::string m_id;
    test::MemoryKit m_kit = test::memoryKit({{test::sine(440, 0.5, 60)}});
    std::optional<Engine> m_engine; // gone before its server
};

TEST_F(Jack, GoesOnSilentlyWhenTheServerGoesAway) {
    ASSERT_TRUE(playsOn(4800));
    m_server->stop();
    ASSERT_TRUE(standInTakesOver());
    EXPECT_NE(m_engine->deviceNote().find("has gone"), std::string::npos) << m_engine->deviceNote();
    EXPECT_TRUE(playsOn(4800));
}

TEST_F(Jack, GoesOnSilentlyWhenTheServerNoLongerAnswers) {
    ASSERT_TRUE(playsOn(4800));
    m_server->hang();
    EXPECT_TRUE(standInTakesOver());
    EXPECT_TRUE(playsOn(3 * 48000)) << "it was asked for once more meanwhile";
}

TEST_F(Jack, PlaysThroughARealServer) {
    EXPECT_EQ(m_engine->device().info().id, m_id);
    EXPECT_FALSE(m_engine->device().info().isSimulated);
    EXPECT_EQ(m_engine->deviceNote(), "");
    EXPECT_EQ(m_engine->device().sampleRateHz(), 48000);
    EXPECT_TRUE(playsOn(24000));
}

} // namespace
} // namespace cask::engine
