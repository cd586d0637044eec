// Sessions that an earlier program wrote sound as they did there. The files beside them were rendered by that
// program (24 bits, no dither), before kinds of modules were described in one place.
#include "core/base/units.h"
#include "core/media/offline_source.h"
#include "core/session/session_json.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>
#include <sndfile.h>

#include <cmath>
#include <fstream>
#include <sstream>

namespace cask {
namespace {

const std::string kFolder = std::string(CASK_SOURCE_DIR) + "/tests/data/older_sessions/";
constexpr double kStep = 1.0 / (1 << 23); // of 24 bits

std::vector<float> readSound(const std::string& name) {
    SF_INFO info{};
    SNDFILE* file = sf_open((kFolder + name).c_str(), SFM_READ, &info);
    if (file == nullptr)
        return {};
    std::vector<float> sound(static_cast<std::size_t>(info.frames * info.channels));
    sf_readf_float(file, sound.data(), info.frames);
    sf_close(file);
    return sound;
}

/// What one of them sounds like now, and what it sounded like.
struct Sounds {
    std::vector<float> now;
    std::vector<float> then;
};

Sounds soundsOf(const std::string& name) {
    std::ifstream file(kFolder + name + ".json");
    std::stringstream text;
    text << file.rdbuf();
    const auto session = session::fromJson(text.str(), name);
    if (!session) {
        ADD_FAILURE() << session.error().message;
        return {};
    }
    const auto lookup = [&](session::Id id) -> std::shared_ptr<AudioSource> {
        for (const auto& f : session->files)
            if (f->id == id)
                return std::make_shared<media::MemorySource>(
                    std::vector<std::vector<float>>{readSound(f->path)});
        return nullptr;
    };
    Sounds sounds;
    sounds.then = readSound(name + ".flac");
    sounds.now = test::render(*session, lookup, static_cast<Frames>(sounds.then.size() / 2));
    return sounds;
}

/// Greatest difference, and how far the greatest sample of 5 ms is off where there is sound.
struct Difference {
    double most = 0;
    double levelDb = 0;
};

Difference differenceOf(const Sounds& sounds) {
    EXPECT_GT(sounds.then.size(), 100000U);
    EXPECT_EQ(sounds.now.size(), sounds.then.size());
    Difference d;
    constexpr std::size_t kPiece = 480;
    for (std::size_t at = 0; at + kPiece <= std::min(sounds.now.size(), sounds.then.size()); at += kPiece) {
        double now = 0;
        double then = 0;
        for (std::size_t n = at; n < at + kPiece; ++n) {
            d.most = std::max<double>(d.most, std::abs(sounds.now[n] - sounds.then[n]));
            now = std::max<double>(now, std::abs(sounds.now[n]));
            then = std::max<double>(then, std::abs(sounds.then[n]));
        }
        if (then > 1e-3) // 24 bits say no more under it
            d.levelDb = std::max(d.levelDb, std::abs(linearToDb(now / then)));
    }
    std::printf("differs by %.1f dBFS at most, levels by %.4f dB\n", linearToDb(d.most), d.levelDb);
    return d;
}

TEST(OlderSessions, FiltersRoutesAndDelaysNull) {
    EXPECT_LT(differenceOf(soundsOf("linear")).most, dbToLinear(-120) + kStep);
}

TEST(OlderSessions, GatesOpenWhereTheyDidAndLeaveAsMuch) {
    EXPECT_LT(differenceOf(soundsOf("gates")).levelDb, 0.01);
}

TEST(OlderSessions, DynamicBandsMoveAsFar) {
    EXPECT_LT(differenceOf(soundsOf("dynamic")).levelDb, 0.01);
}

TEST(OlderSessions, TheLimiterHoldsAsMuch) {
    const auto d = differenceOf(soundsOf("limiter"));
    EXPECT_LT(d.most, dbToLinear(-120) + kStep);
}

} // namespace
} // namespace cask
