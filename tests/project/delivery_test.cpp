#include "core/base/file_system.h"
#include "core/kit_measures/headroom.h"
#include "core/project/delivery.h"
#include "core/session/edits.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <atomic>
#include <cmath>
#include <fstream>

namespace cask::project {
namespace {

TEST(Delivery, WritesMixAndStemsThatAddUp) {
    const test::TempFolder folder;
    auto kit = test::memoryKit({{test::sine(200, 0.3, 1)}, {test::sine(3000, 0.2, 1)}});
    auto s = session::withOutput(kit.session, kit.elements[1], [](auto& out) {
        out.pan = 0.5;
        out.levelDb = -6;
    });
    s.name = "A/B: kit?";
    DeliveryOptions options;
    options.stems = Stems::Elements;
    options.file.sampleFormat = media::SampleFormat::Float32;
    const auto report = deliver(s, kit.lookup, folder.path(), options);
    ASSERT_TRUE(report) << report.error().message;
    ASSERT_EQ(report->files.size(), 3U);
    const auto mix = test::readAll(folder / "A_B_ kit_ - mix.wav");
    const auto a = test::readAll(folder / "A_B_ kit_ - source 1.wav");
    const auto b = test::readAll(folder / "A_B_ kit_ - source 2.wav");
    ASSERT_EQ(mix.size(), 96000U);
    for (std::size_t i = 0; i < mix.size(); ++i)
        ASSERT_NEAR(mix[i], a[i] + b[i], 1e-6);
}

TEST(Delivery, NamesFollowAPattern) {
    auto kit = test::memoryKit({{test::sine(200, 0.3, 0.1)}, {test::sine(3000, 0.2, 0.1)}});
    auto s = session::withName(kit.session, kit.elements[0], "Kick In");
    s = session::withRole(s, kit.elements[0], Role::KickIn);
    s.name = "Kit";
    DeliveryOptions o;
    o.stems = Stems::Elements;
    using Names = std::vector<std::string>;
    EXPECT_EQ(*deliveryNames(s, o), (Names{"Kit - mix.wav", "Kit - Kick In.wav", "Kit - source 2.wav"}));
    o.namePattern = "{number} {name} ({role}, {bus}) of {session}";
    o.file.container = media::Container::Flac;
    EXPECT_EQ(*deliveryNames(s, o),
              (Names{"01 mix (mix, Master) of Kit.flac", "02 Kick In (kick in, Shells) of Kit.flac",
                     "03 source 2 (" + std::string(roleInfo(Role::Unknown).name) + ", " +
                         s.nameOf(s.output(kit.elements[1])->bus) + ") of Kit.flac"}));
    o.namePattern = "same";
    EXPECT_EQ(*deliveryNames(s, o), (Names{"same.flac", "same 2.flac", "same 3.flac"}));
    o.namePattern = "a/{name}";
    EXPECT_EQ(deliveryNames(s, o)->front(), "a_mix.flac") << "never another folder";
    for (const char* bad : {"{colour}", "{name", "x{}"}) {
        o.namePattern = bad;
        const auto names = deliveryNames(s, o);
        ASSERT_FALSE(names) << bad;
        EXPECT_NE(names.error().message.find("{session}"), std::string::npos);
        const test::TempFolder folder;
        EXPECT_FALSE(deliver(s, kit.lookup, folder.path(), o)) << "and nothing is written";
        EXPECT_TRUE(std::filesystem::is_empty(folder.path()));
    }
    o.namePattern = "{name}!";
    const test::TempFolder folder;
    ASSERT_TRUE(deliver(s, kit.lookup, folder.path(), o));
    EXPECT_TRUE(std::filesystem::exists(folder / "Kick In!.flac"));
}

TEST(Delivery, WhatEntersTheMasterSumsToTheMixBeforeItsChain) {
    const test::TempFolder folder;
    auto kit = test::memoryKit(
        {{test::noise(0.6, 48000, 1)}, {test::noise(0.5, 48000, 2)}, {test::sine(80, 0.4, 1)}});
    auto s = session::withRole(kit.session, kit.elements[0], Role::SnareTop);
    s = session::withRole(s, kit.elements[1], Role::Crash);
    s = session::withRole(s, kit.elements[2], Role::Bass);
    for (const auto& bus : std::vector(s.buses))
        if (!bus->isMaster) {
            dsp::CompressorSettings compressor;
            compressor.thresholdDb = -30;
            compressor.lookAheadMs = bus->name == "Kit" ? 3 : 0; // latencies that differ
            session::addModule(s, bus->id, compressor);
        }
    s = session::withOutput(std::move(s), kit.elements[1], [](auto& out) { out.pan = -0.7; });
    s.name = "K";
    DeliveryOptions options;
    options.stems = Stems::MasterInputs;
    options.file.sampleFormat = media::SampleFormat::Float32;
    const auto report = deliver(s, kit.lookup, folder.path(), options);
    ASSERT_TRUE(report) << report.error().message;
    ASSERT_EQ(report->files.size(), 3U) << "mix, kit, bass";
    const auto mix = test::readAll(report->files[0].path);
    std::vector<double> sum(mix.size(), 0.0);
    for (std::size_t f = 1; f < report->files.size(); ++f) {
        const auto stem = test::readAll(report->files[f].path);
        ASSERT_EQ(stem.size(), mix.size());
        for (std::size_t n = 0; n < stem.size(); ++n)
            sum[n] += static_cast<double>(stem[n]);
    }
    double most = 0;
    for (std::size_t n = 0; n < mix.size(); ++n)
        most = std::max(most, std::abs(sum[n] - static_cast<double>(mix[n])));
    EXPECT_GT(test::peakOf(mix), 0.1);
    EXPECT_LT(most, dbToLinear(-120));
}

TEST(Delivery, TracksAreTheirFilesBehindTheirChainsBeforeLevelAndPan) {
    const test::TempFolder folder;
    const auto mono = test::noise(0.3, 24000, 3);
    const auto left = test::noise(0.2, 48000, 4);
    const auto right = test::noise(0.2, 48000, 5);
    auto kit = test::memoryKit({{mono}, {left, right}});
    auto s =
        session::withElement(kit.session, kit.elements[0], [](session::Element& e) { e.startFrame = 12000; });
    s = session::withElement(std::move(s), kit.elements[0],
                             [](session::Element& e) { e.input.isInverted = true; });
    for (const auto id : kit.elements)
        s = session::withOutput(std::move(s), id, [](session::Output& out) {
            out.levelDb = -9;
            out.pan = 0.8;
            out.isMuted = true;
        });
    DeliveryOptions options;
    options.mix = false;
    options.stems = Stems::Tracks;
    options.file.sampleFormat = media::SampleFormat::Float32;
    auto report = deliver(s, kit.lookup, folder / "cut", options);
    ASSERT_TRUE(report) << report.error().message;
    ASSERT_EQ(report->files.size(), 2U);
    auto track = test::readAll(report->files[0].path);
    ASSERT_EQ(track.size(), mono.size()) << "one channel, as long as its file";
    for (std::size_t n = 0; n < track.size(); ++n)
        ASSERT_EQ(track[n], -mono[n]);
    const auto stereo = test::readAll(report->files[1].path);
    ASSERT_EQ(stereo.size(), 2 * left.size());
    for (std::size_t n = 0; n < left.size(); ++n) {
        ASSERT_EQ(stereo[2 * n], left[n]);
        ASSERT_EQ(stereo[2 * n + 1], right[n]);
    }
    options.withTails = true;
    report = deliver(s, kit.lookup, folder / "tails", options);
    ASSERT_TRUE(report);
    EXPECT_EQ(test::readAll(report->files[0].path).size(), 48000U - 12000U);
}

TEST(Delivery, AStretchIsThatOfTheWhole) {
    const test::TempFolder folder;
    auto kit = test::memoryKit({{test::noise(0.3, 96000, 3)}});
    DeliveryOptions options;
    options.file.sampleFormat = media::SampleFormat::Float32;
    const auto whole = deliver(kit.session, kit.lookup, folder / "whole", options);
    options.from = 20011;
    options.frames = 30000;
    const auto part = deliver(kit.session, kit.lookup, folder / "part", options);
    ASSERT_TRUE(whole);
    ASSERT_TRUE(part);
    EXPECT_NEAR(part->soundS, 30000 / 48000.0, 1e-9);
    const auto all = test::readAll(whole->files[0].path);
    const auto some = test::readAll(part->files[0].path);
    ASSERT_EQ(some.size(), 60000U);
    EXPECT_TRUE(std::equal(some.begin(), some.end(), all.begin() + 2 * 20011));
    options.from = 96000;
    EXPECT_EQ(deliver(kit.session, kit.lookup, folder / "none", options).error().code, ErrorCode::Empty);
}

TEST(Delivery, ConvertsTheRateAndMeasuresWhatItWrote) {
    const test::TempFolder folder;
    const auto kit = test::memoryKit({{test::sine(1000, std::pow(10, -20 / 20.0) * std::sqrt(2.0), 5)}});
    DeliveryOptions options;
    options.sampleRateHz = 44100;
    options.file.container = media::Container::Flac;
    options.file.sampleFormat = media::SampleFormat::Pcm16;
    const auto report = deliver(kit.session, kit.lookup, folder.path(), options);
    ASSERT_TRUE(report);
    EXPECT_NEAR(static_cast<double>(report->files[0].frames), 5 * 44100, 2);
    // -20 dBFS in each of two channels at 1 kHz is -20 LUFS by BS.1770's calibration at 997 Hz (within 0.1).
    EXPECT_NEAR(report->files[0].integratedLufs, -20, 0.15);
    EXPECT_NEAR(static_cast<double>(test::readAll(report->files[0].path).size()), 2 * 5 * 44100, 4);
}

TEST(Delivery, SaysWhenItClips) {
    const test::TempFolder folder;
    const auto kit = test::memoryKit({{test::sine(1000, 1.9, 0.5)}});
    const auto report = deliver(kit.session, kit.lookup, folder.path(), {});
    ASSERT_TRUE(report);
    EXPECT_GT(report->files[0].clippedSamples, 100);
    EXPECT_EQ(report->notes.size(), 1U);
}

TEST(Delivery, StopLeavesNothingBehind) {
    const test::TempFolder folder;
    const auto kit = test::memoryKit({{test::sine(1000, 0.5, 3)}});
    CancelToken cancel;
    DeliveryOptions options;
    options.stems = Stems::Buses;
    const auto report =
        deliver(kit.session, kit.lookup, folder / "out", options, cancel, [&](double) { cancel.cancel(); });
    ASSERT_FALSE(report);
    EXPECT_EQ(report.error().code, ErrorCode::Cancelled);
    EXPECT_TRUE(std::filesystem::is_empty(folder / "out"));
}

TEST(Delivery, RefusesAnEmptySessionAndAFolderThatCannotBeMade) {
    const auto kit = test::memoryKit({{test::sine(1000, 0.5, 0.1)}});
    EXPECT_FALSE(deliver(session::emptySession(), kit.lookup, "/tmp", {}));
    const auto nowhere = deliver(kit.session, kit.lookup, "/proc/none/here", {});
    ASSERT_FALSE(nowhere);
    EXPECT_NE(nowhere.error().message.find("/proc/none/here"), std::string::npos);
}

class SafeDelivery : public testing::Test {
  protected:
    SafeDelivery() : m_kit(test::memoryKit({{test::sine(200, 0.3, 0.5)}, {test::sine(3000, 0.2, 0.5)}})) {
        m_kit.session.name = "Kit";
        m_options.stems = Stems::Elements;
    }
    Result<DeliveryReport> run() { return deliver(m_kit.session, m_kit.lookup, m_folder / "out", m_options); }
    nlohmann::json manifest() {
        return nlohmann::json::parse(std::ifstream(m_folder / "out/Kit - delivery.json"));
    }
    test::TempFolder m_folder;
    test::MemoryKit m_kit;
    DeliveryOptions m_options;
};

TEST_F(SafeDelivery, TheManifestNamesEveryFileWithItsSizeAndSum) {
    const auto report = run();
    ASSERT_TRUE(report);
    const auto json = manifest();
    EXPECT_TRUE(json["complete"].get<bool>());
    ASSERT_EQ(json["files"].size(), 3U);
    for (const auto& file : json["files"]) {
        const auto path = m_folder.path() / "out" / file["file"].get<std::string>();
        EXPECT_EQ(std::filesystem::file_size(path), file["bytes"].get<std::uintmax_t>());
        const std::string command =
            "sha256sum '" + path.string() + "' | grep -q " + file["sha256"].get<std::string>();
        EXPECT_EQ(std::system(command.c_str()), 0) << "another program finds the same"; // NOLINT
    }
    EXPECT_EQ(diskFileSystem().list(m_folder / "out").size(), 4U) << "and nothing else is there";
}

TEST_F(SafeDelivery, WhatIsThereIsLeftAsItIsUnlessReplacingIsAskedFor) {
    ASSERT_TRUE(run());
    std::ofstream(m_folder / "out/Kit - mix.wav") << "an earlier mix";
    const auto refused = run();
    ASSERT_FALSE(refused);
    EXPECT_EQ(refused.error().code, ErrorCode::Exists);
    EXPECT_EQ(*diskFileSystem().read(m_folder / "out/Kit - mix.wav"), "an earlier mix");
    m_options.rules.ifExists = IfExists::Replace;
    ASSERT_TRUE(run());
    EXPECT_GT(std::filesystem::file_size(m_folder / "out/Kit - mix.wav"), 10000U);
}

TEST_F(SafeDelivery, ASourceIsNeverReplacedAndThenNothingIsRendered) {
    std::filesystem::create_directories(m_folder / "out");
    std::ofstream(m_folder / "take.wav") << "precious";
    std::filesystem::create_hard_link(m_folder / "take.wav", m_folder / "out/Kit - source 2.wav");
    ProtectedFiles sources;
    sources.add(m_folder / "take.wav");
    m_options.rules = {IfExists::Replace, &sources};
    const auto refused = run();
    ASSERT_FALSE(refused);
    EXPECT_EQ(refused.error().code, ErrorCode::IsSource);
    EXPECT_EQ(*diskFileSystem().read(m_folder / "take.wav"), "precious");
    EXPECT_EQ(diskFileSystem().list(m_folder / "out").size(), 1U);
}

TEST_F(SafeDelivery, MissingSourcesMakeItIncompleteInFileAndManifest) {
    m_options.missing = {"/a/Kick.wav is not there."};
    const auto report = run();
    ASSERT_TRUE(report);
    EXPECT_FALSE(report->isComplete);
    EXPECT_FALSE(manifest()["complete"].get<bool>());
    EXPECT_NE(diskFileSystem().read(m_folder / "out/Kit - incomplete.txt")->find("/a/Kick.wav"),
              std::string::npos);
}

TEST_F(SafeDelivery, ASoloThatWasLeftOnIsSaid) {
    m_kit.session =
        session::withOutput(m_kit.session, m_kit.elements[1], [](auto& out) { out.isAlone = true; });
    const auto report = run();
    ASSERT_TRUE(report);
    ASSERT_EQ(report->notes.size(), 1U);
    EXPECT_NE(report->notes[0].find("Solo is on for source 2"), std::string::npos) << report->notes[0];
    EXPECT_EQ(manifest()["notes"].size(), 1U);
}

/// Sound that can't be read from some place on.
class FailingSource final : public AudioSource {
  public:
    [[nodiscard]] int channels() const noexcept override { return 1; }
    [[nodiscard]] Frames frames() const noexcept override { return 24000; }
    bool read(int, Frames start, std::span<float> out) noexcept override {
        std::fill(out.begin(), out.end(), 0.1F);
        m_hasFailed = m_hasFailed || start > 10000;
        return !m_hasFailed;
    }
    [[nodiscard]] std::string failure() const override {
        return m_hasFailed ? "/a/Kick.wav can't be read from 0.2 s on." : "";
    }

  private:
    std::atomic<bool> m_hasFailed{false};
};

TEST_F(SafeDelivery, ASourceThatFailsOnTheWayIsNoSilence) {
    const auto failing = std::make_shared<FailingSource>();
    const auto failed = deliver(
        m_kit.session, [&](session::Id) { return failing; }, m_folder / "out", m_options);
    ASSERT_FALSE(failed);
    EXPECT_NE(failed.error().message.find("/a/Kick.wav"), std::string::npos);
    EXPECT_TRUE(std::filesystem::is_empty(m_folder / "out"));
}

TEST(FileNames, AreSafeAndKeepOtherScripts) {
    EXPECT_EQ(fileNameFor("a/b\\c:d*e?f\"g<h>i|j"), "a_b_c_d_e_f_g_h_i_j");
    EXPECT_EQ(fileNameFor("..hidden. "), "hidden");
    EXPECT_EQ(fileNameFor(""), "untitled");
    EXPECT_EQ(fileNameFor("\u592a\u9f13"), "\u592a\u9f13");
    const std::string longName = fileNameFor(std::string(300, 'x') + "\u592a");
    EXPECT_LE(longName.size(), 200U);
}

TEST(Headroom, EachRungIsThePeakOfItsElementsAlone) {
    auto kit =
        test::memoryKit({{test::sine(60, 0.25, 1)}, {test::sine(500, 0.25, 1)}, {test::sine(80, 0.5, 1)}});
    auto s = session::withRole(kit.session, kit.elements[0], Role::KickIn);
    s = session::withRole(s, kit.elements[1], Role::SnareTop);
    s = session::withRole(s, kit.elements[2], Role::Bass);
    const auto h = kit::measureHeadroom(s, kit.lookup);
    ASSERT_TRUE(h);
    const double centre = -3.0103;
    EXPECT_NEAR(h->truePeakDb[0], linearToDb(0.25) + centre, 0.1);
    // The peaks of the sums, by their formula on a fine grid.
    double kitPeak = 0;
    double allPeak = 0;
    for (double t = 0; t < 1; t += 1e-5) {
        const double kitSum = 0.25 * std::sin(2 * kPi * 60 * t) + 0.25 * std::sin(2 * kPi * 500 * t);
        kitPeak = std::max(kitPeak, std::abs(kitSum));
        allPeak = std::max(allPeak, std::abs(kitSum + 0.5 * std::sin(2 * kPi * 80 * t)));
    }
    EXPECT_NEAR(h->truePeakDb[1], linearToDb(kitPeak) + centre, 0.05);
    EXPECT_NEAR(h->truePeakDb[3], linearToDb(allPeak) + centre, 0.05);
    EXPECT_NEAR(h->truePeakDb[2], h->truePeakDb[3], 1e-9);
}

} // namespace
} // namespace cask::project
