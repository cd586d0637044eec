// What is frozen sounds as before, and as long as nothing changes.
#include "core/media/offline_source.h"
#include "core/project/freeze.h"
#include "core/session/edits.h"
#include "core/session/hearing.h"
#include "core/session/parallel_path.h"
#include "core/session/parameter_path.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <array>
#include <cmath>
#include <fstream>

namespace cask::project {
namespace {

namespace fs = std::filesystem;
using session::Id;
using session::Session;

class Freeze : public testing::Test {
  protected:
    Freeze()
        : kit(test::memoryKit({{test::bursts(60, 0.5, 0.1, 0.1, 3)},
                               {test::bursts(190, 0.5, 0.35, 0.06, 3)},
                               {test::noise(0.1, 3 * 48000, 3), test::noise(0.1, 3 * 48000, 4)}})),
          s(kit.session) {
        kick = kit.elements[0];
        snare = kit.elements[1];
        room = kit.elements[2];
        for (const auto& bus : s.buses)
            (bus->name == "Shells" ? shells : bus->isMaster ? master : other) = bus->id;
        const std::array roles{Role::KickIn, Role::SnareTop, Role::Room};
        for (std::size_t i = 0; i < roles.size(); ++i)
            s = session::withElement(s, kit.elements[i], [&](auto& e) { e.role = roles[i]; });
        for (const Id e : {kick, snare})
            s = session::withOutput(s, e, [&](auto& out) { out.bus = shells; });
        s = session::withOutput(s, snare, [](auto& out) {
            out.levelDb = -2.5;
            out.pan = 0.3;
        });
        s = session::withOutput(s, room, [](auto& out) {
            out.levelDb = -9;
            out.pan = -0.2;
            out.widthPercent = 140;
        });
        dsp::CompressorSettings squash;
        squash.thresholdDb = -24;
        squash.ratio = 4;
        for (const Id owner : {snare, shells, room})
            (void)session::addModule(s, owner, squash);
        (void)session::addModule(s, snare, dsp::GateSettings{});
        // The room listens to the kick as it came, and the snare's own sound goes beside the shells too.
        const Id keyed = session::findModule<dsp::CompressorSettings>(s.element(room)->chain)->id;
        s = *session::withKey(s, room, keyed, kick);
        path = *session::addPath(s, "Crushed", shells);
        (void)session::addModule(s, path, squash);
    }
    [[nodiscard]] std::vector<float> heard(const Session& session, const graph::SourceLookup& lookup) const {
        return test::render(session, lookup, 3 * 48000);
    }
    FrozenSounds frozen(const std::vector<Id>& which) {
        FrozenSounds sounds;
        for (const Id what : which) {
            const auto file = freeze(s, what, kit.lookup, folder / "cache");
            EXPECT_TRUE(file) << file.error().message;
            const auto source = *media::OfflineSource::open(*file);
            sources[frozenFileId(what)] = source;
            sounds[what] = {freezeKey(s, what), source->channels(), source->frames()};
        }
        return sounds;
    }
    [[nodiscard]] graph::SourceLookup lookup() const {
        return [known = sources, rest = kit.lookup](Id file) {
            const auto found = known.find(file);
            return found == known.end() ? rest(file) : found->second;
        };
    }
    static double differenceDb(const std::vector<float>& a, const std::vector<float>& b) {
        double most = 0;
        for (std::size_t n = 0; n < std::min(a.size(), b.size()); ++n)
            most = std::max(most, static_cast<double>(std::abs(a[n] - b[n])));
        return linearToDb(most);
    }
    test::TempFolder folder;
    test::MemoryKit kit;
    Session s;
    Id kick, snare, room, shells = 0, master = 0, other = 0, path = 0;
    std::map<Id, std::shared_ptr<AudioSource>> sources;
};

TEST_F(Freeze, ElementsBusesAndPathsSoundAsBefore) {
    const auto before = heard(s, kit.lookup);
    EXPECT_GT(test::peakOf(before), 0.1);
    for (const auto& which : std::vector<std::vector<Id>>{
             {snare}, {kick}, {room}, {shells}, {path}, {kick, snare, room, path}, {snare, shells, path}}) {
        sources.clear();
        const auto sounds = frozen(which);
        EXPECT_EQ(playedFrozen(s, sounds).size(), which.size());
        const auto played = withFrozen(s, sounds);
        EXPECT_LT(differenceDb(heard(played, lookup()), before), -120)
            << which.front() << " " << which.size();
        // Its own level, pan and sends still move.
        auto louder = session::withOutput(s, which.front(), [](auto& out) { out.levelDb += 3; });
        EXPECT_LT(differenceDb(heard(withFrozen(louder, sounds), lookup()), heard(louder, kit.lookup)), -120);
    }
}

TEST_F(Freeze, WhoListensToAFileStillHearsTheFile) {
    // Behind its chain the kick is far under the threshold of the gate that its file opens.
    dsp::CompressorSettings flat;
    flat.thresholdDb = -50;
    flat.ratio = 20;
    (void)session::addModule(s, kick, flat);
    dsp::GateSettings gate;
    gate.openDb = -20;
    gate.closeDb = -26;
    gate.floorDb = -60;
    const Id gateId = session::addModule(s, room, gate);
    s = session::withModule(s, gateId, [&](session::Module& module) {
        module.key = kick;
        module.keyTap = session::KeyTap::Source;
    });
    const auto before = heard(s, kit.lookup);
    const auto sounds = frozen({kick});
    const auto played = withFrozen(s, sounds);
    EXPECT_LT(differenceDb(heard(played, lookup()), before), -120);
    // As if it were listened to behind its chain, it would not be so.
    auto behind = session::withModule(
        s, gateId, [](session::Module& module) { module.keyTap = session::KeyTap::Chain; });
    EXPECT_GT(differenceDb(heard(behind, kit.lookup), before), -60);
}

TEST_F(Freeze, ALatentChainMovesWhatCompressorsBehindItCountFromByLittle) {
    dsp::SaturationSettings warm;
    warm.driveDb = 9;
    (void)session::addModule(s, snare, warm);
    const auto before = heard(s, kit.lookup);
    for (const auto& which : std::vector<std::vector<Id>>{{snare}, {snare, shells, path}}) {
        const auto sounds = frozen(which);
        EXPECT_LT(differenceDb(heard(withFrozen(s, sounds), lookup()), before), -80);
    }
}

TEST_F(Freeze, WhatNothingElseNeedsIsNotPlayed) {
    const auto chainsOf = [](const Session& session) {
        std::size_t modules = 0;
        for (const auto& e : session.elements)
            modules += e->chain.size();
        for (const auto& b : session.buses)
            modules += b->chain.size();
        return modules;
    };
    EXPECT_EQ(chainsOf(withFrozen(s, frozen({snare}))), chainsOf(s) - 2);
    // The path beside the shells still needs what it is sent.
    EXPECT_EQ(chainsOf(withFrozen(s, frozen({shells}))), chainsOf(s) - 1);
    const auto both = withFrozen(s, frozen({shells, path}));
    EXPECT_EQ(both.element(snare), nullptr);
    EXPECT_NE(both.element(kick), nullptr) << "the room listens to it";
    EXPECT_EQ(chainsOf(both), 1U);
}

TEST_F(Freeze, OnlyWhatItHangsOnThawsIt) {
    const auto sounds = frozen({snare, shells});
    const auto playedOf = [&](const Session& session) { return playedFrozen(session, sounds); };
    using Ids = std::vector<Id>;
    const Ids all{std::min(snare, shells), std::max(snare, shells)};
    EXPECT_EQ(playedOf(s), all);
    EXPECT_EQ(playedOf(session::withElement(s, snare, [](auto& e) { e.name = "Other"; })), all);
    EXPECT_EQ(playedOf(session::withOutput(s, room, [](auto& out) { out.levelDb = 0; })), all);
    EXPECT_EQ(playedOf(session::withOutput(s, snare, [](auto& out) { out.levelDb = 1; })), Ids{snare})
        << "how loud it is is in the bus alone";
    EXPECT_EQ(playedOf(session::withMute(s, {kick}, true)), Ids{snare});
    EXPECT_EQ(playedOf(session::withElement(s, snare, [](auto& e) { e.input.trimDb += 1; })), Ids{});
    EXPECT_EQ(playedOf(session::withChain(s, shells, [](auto& chain) { chain.clear(); })), Ids{snare});
    EXPECT_EQ(playedOf(session::withOutput(s, kick, [](auto& out) { out.isAlone = true; })), Ids{snare})
        << "what is soloed is heard through the bus";
    auto longer = s;
    for (auto& file : longer.files)
        if (file->id == s.element(snare)->channels.front().file)
            file.edit([](auto& f) { f.contentHash = "another"; });
    EXPECT_EQ(playedOf(longer), Ids{});
    EXPECT_TRUE(freezeKey(s, master).empty());
    EXPECT_TRUE(freezeKey(s, 999).empty());
}

TEST_F(Freeze, IsTakenWhereItIsAndLeavesNothingWhenStopped) {
    const auto cache = folder / "cache";
    CancelToken cancel;
    cancel.cancel();
    EXPECT_FALSE(freeze(s, snare, kit.lookup, cache, cancel));
    EXPECT_TRUE(!fs::exists(cache) || fs::is_empty(cache));
    EXPECT_FALSE(freeze(s, master, kit.lookup, cache));
    const auto file = freeze(s, snare, kit.lookup, cache);
    ASSERT_TRUE(file);
    const auto written = fs::last_write_time(*file);
    ASSERT_TRUE(freeze(s, snare, kit.lookup, cache));
    EXPECT_EQ(fs::last_write_time(*file), written);
}

TEST_F(Freeze, IsRememberedBesideTheCache) {
    const auto cache = folder / "cache";
    EXPECT_TRUE(readFrozen(cache).empty());
    ASSERT_TRUE(writeFrozen(cache, {3, 7}));
    EXPECT_EQ(readFrozen(cache), (std::vector<Id>{3, 7}));
    std::ofstream(cache / "frozen.json") << "[1, \"x\", 2.5";
    EXPECT_TRUE(readFrozen(cache).empty());
    std::ofstream(cache / "frozen.json") << "[1, \"x\", 2.5, 4]";
    EXPECT_EQ(readFrozen(cache), (std::vector<Id>{1, 4}));
}

} // namespace
} // namespace cask::project
