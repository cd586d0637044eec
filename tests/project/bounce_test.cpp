#include "core/graph/offline_render.h"
#include "core/media/offline_source.h"
#include "core/project/bounce.h"
#include "core/session/edits.h"
#include "core/session/hearing.h"
#include "core/session/parallel_path.h"
#include "core/session/parameter_path.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::project {
namespace {

std::vector<float> mixOf(const session::Session& s, const graph::SourceLookup& sources) {
    std::vector<float> mix;
    EXPECT_TRUE(graph::renderOffline(s, sources, {}, [&](int, std::span<const float> block) -> Status {
        mix.insert(mix.end(), block.begin(), block.end());
        return Done{};
    }));
    return mix;
}

/// The kit's sources, and the bounced file as read from the disk.
graph::SourceLookup withFile(const test::MemoryKit& kit, session::Id file,
                             const std::filesystem::path& path) {
    const auto opened = media::OfflineSource::open(path);
    return [lookup = kit.lookup, file, source = *opened](session::Id id) {
        return id == file ? std::shared_ptr<AudioSource>(source) : lookup(id);
    };
}

class Bounce : public testing::Test {
  protected:
    Bounce()
        : kit(test::memoryKit({{test::noise(0.2, 48000, 1)}, {test::noise(0.1, 48000, 2)}})),
          s(session::withOutput(kit.session, kit.elements[0], [](auto& out) {
              out.pan = -0.4;
              out.levelDb = -3;
          })) {
        bus = *session::findOwner(s, "Shells");
        s = session::withOutput(std::move(s), kit.elements[0], [this](auto& out) { out.bus = bus; });
        s = session::withElement(std::move(s), kit.elements[0],
                                 [](session::Element& e) { e.input.isInverted = true; });
    }
    /// Greatest difference of the mix once the file stands for what it was made of, against 1.
    double differenceReplacing(session::Id what) {
        const auto path = freeBounceName(folder.path(), s.nameOf(what));
        const auto made = bounce(s, kit.lookup, {what}, path);
        EXPECT_TRUE(made) << made.error().message;
        const auto replaced = withBounced(s, *made, {what}, "Bounced", true);
        const auto file = replaced.session.element(replaced.element)->channels.front().file;
        const auto before = mixOf(s, kit.lookup);
        const auto after = mixOf(replaced.session, withFile(kit, file, path));
        EXPECT_EQ(before.size(), after.size());
        double most = 0;
        for (std::size_t i = 0; i < before.size(); ++i)
            most = std::max(most, std::fabs(static_cast<double>(before[i]) - static_cast<double>(after[i])));
        return most;
    }
    test::TempFolder folder;
    test::MemoryKit kit;
    session::Session s;
    session::Id bus = session::kNoId;
};

TEST_F(Bounce, AnElementsFileStandsForIt) {
    EXPECT_LT(differenceReplacing(kit.elements[0]), 1e-6); // -120 dB
}

TEST_F(Bounce, ABusesFileStandsForIt) {
    s = session::withOutput(std::move(s), bus, [](auto& out) { out.levelDb = -2; });
    EXPECT_LT(differenceReplacing(bus), 1e-6);
}

TEST_F(Bounce, AParallelPathsFileIsALayer) {
    const auto path = session::addPath(s, "Crush", bus);
    ASSERT_TRUE(path);
    s = session::withElement(std::move(s), kit.elements[0], [&](session::Element& e) {
        e.out.sends = {{*path, -6, false, {}}};
    });
    EXPECT_LT(differenceReplacing(*path), 1e-6);
    s = *session::withEqualGain(std::move(s), *path, 3, 0.5);
    EXPECT_FALSE(canBeReplaced(s, *path));
}

TEST_F(Bounce, AStretchKeepsItsPlaceInTime) {
    const auto path = folder / "Part.wav";
    const auto made = bounce(s, kit.lookup, {kit.elements[0], 4800, 9600}, path);
    ASSERT_TRUE(made);
    EXPECT_EQ(made->frames, 9600);
    const auto bounced = withBounced(s, *made, {kit.elements[0], 4800, 9600}, "Part", false);
    const auto* e = bounced.session.element(bounced.element);
    EXPECT_EQ(e->startFrame, 4800);
    EXPECT_EQ(e->name, "Part");
    EXPECT_EQ(e->out.bus, s.output(kit.elements[0])->bus);
    const auto alone = mixOf(session::withSoloOnly(bounced.session, {bounced.element}),
                             withFile(kit, e->channels.front().file, path));
    const auto whole = mixOf(session::withSoloOnly(s, {kit.elements[0]}), kit.lookup);
    for (std::size_t n = 0; n < whole.size() / 2; ++n)
        ASSERT_NEAR(alone[2 * n], n < 4800 || n >= 14400 ? 0 : whole[2 * n], 1e-6) << n;
}

TEST_F(Bounce, IsHeardThoughMutedOrNotSoloed) {
    const auto expected = bounce(s, kit.lookup, {kit.elements[0]}, folder / "A.wav");
    ASSERT_TRUE(expected);
    const auto muted =
        session::withSoloOnly(session::withMute(s, {kit.elements[0]}, true), {kit.elements[1]});
    const auto made = bounce(muted, kit.lookup, {kit.elements[0]}, folder / "B.wav");
    ASSERT_TRUE(made);
    EXPECT_EQ(test::readAll(folder / "A.wav"), test::readAll(folder / "B.wav"));
    EXPECT_GT(test::peakOf(test::readAll(folder / "B.wav")), 0.01);
}

TEST_F(Bounce, WhatCantBeIsRefused) {
    EXPECT_FALSE(bounce(s, kit.lookup, {s.master().id}, folder / "M.wav"));
    EXPECT_FALSE(bounce(s, kit.lookup, {12345}, folder / "M.wav"));
    test::writeWav(folder / "There.wav", {0.1F});
    EXPECT_EQ(bounce(s, kit.lookup, {kit.elements[0]}, folder / "There.wav").error().code, ErrorCode::Exists);
    CancelToken stopped;
    stopped.cancel();
    EXPECT_FALSE(bounce(s, kit.lookup, {kit.elements[0]}, folder / "M.wav", {}, stopped));
    EXPECT_FALSE(std::filesystem::exists(folder / "M.wav"));
}

} // namespace
} // namespace cask::project
