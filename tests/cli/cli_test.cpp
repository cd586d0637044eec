#include "core/base/units.h"
#include "core/media/audio_reader.h"
#include "tests/support/cli_call.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <functional>
#include <map>
#include <sstream>
#include <tuple>

namespace cask::cli {
namespace {

using test::call;

TEST(Cli, MakesSetsChecksAndRenders) {
    const test::TempFolder folder;
    test::writeWav(folder / "Kick In.wav", test::bursts(60, 0.5, 0.1, 0.1, 4));
    test::writeWav(folder / "OH L.wav", test::bursts(900, 0.5, 0.1, 0.1, 4));
    test::writeWav(folder / "OH R.wav", test::bursts(1100, 0.5, 0.1, 0.1, 4));
    const std::string session = folder / "S.cask";
    const auto made = call({"new", session, folder.path().string(), "--json"});
    ASSERT_EQ(made.code, kDone) << made.err;
    const auto json = nlohmann::json::parse(made.out);
    ASSERT_EQ(json["elements"].size(), 2U);
    EXPECT_EQ(json["elements"][0]["role"], "kick_in");
    EXPECT_EQ(json["elements"][1]["channels"], 2);

    EXPECT_EQ(call({"set", session, "Kick In/level_db", "-6 dB"}).code, kDone);
    EXPECT_EQ(call({"set", session, "Kick In/eq/add", "high-pass"}).code, kDone);
    const auto listed = call({"set", session, "--json"});
    EXPECT_EQ(nlohmann::json::parse(listed.out)["Kick In/level_db"], "-6.0 dB");

    const auto checked = call({"check", session, "--json"});
    EXPECT_EQ(checked.code, kDone) << checked.out;
    EXPECT_EQ(nlohmann::json::parse(checked.out)["files"][0]["arrivals"], 8);

    const auto rendered = call({"render", session, "--out", folder / "out", "--mix", "--stems", "elements",
                                "--format", "wav16", "--json"});
    ASSERT_EQ(rendered.code, kDone) << rendered.err;
    const auto files = nlohmann::json::parse(rendered.out)["files"];
    ASSERT_EQ(files.size(), 3U);
    const auto reader = media::AudioReader::open(files[0]["file"].get<std::string>());
    ASSERT_TRUE(reader);
    EXPECT_EQ(reader->info().frames, 192000);
    EXPECT_EQ(reader->info().format, "WAV, 16 bit");
}

TEST(Cli, BadInputIsOneSentenceAndCodeOne) {
    const test::TempFolder folder;
    std::ofstream(folder / "words.wav") << "no sound";
    const auto made = call({"new", folder / "S.cask", folder / "words.wav"});
    EXPECT_EQ(made.code, kBadInput);
    EXPECT_NE(made.err.find("words.wav"), std::string::npos);
    EXPECT_EQ(call({"check", folder / "none.cask"}).code, kBadInput);
    EXPECT_EQ(call({"render", folder / "none.cask", "--out", folder / "o"}).code, kBadInput);
}

TEST(Cli, WrongUseIsCodeTwo) {
    EXPECT_EQ(call({}).code, kWrongUse);
    EXPECT_EQ(call({"dance"}).code, kWrongUse);
    EXPECT_EQ(call({"render", "x", "--out", "y", "--format", "mp4"}).code, kWrongUse);
    EXPECT_EQ(call({"--help"}).code, kDone);
}

TEST(Cli, SaysItsVersion) {
    const auto said = call({"--version"});
    EXPECT_EQ(said.code, kDone);
    EXPECT_TRUE(said.out.starts_with("ember-cask-cli ")) << said.out;
    EXPECT_NE(said.out.find('.'), std::string::npos);
}

TEST(Cli, ListensToFilesWhoseNamesSayNothing) {
    const test::TempFolder folder;
    std::vector<float> kick(6 * 48000);
    for (std::size_t n = 0; n < kick.size(); ++n) {
        const double t = std::fmod(static_cast<double>(n) / 48000, 0.5);
        kick[n] = static_cast<float>(0.6 * std::pow(10.0, -t / 0.11) * std::sin(2 * kPi * 55 * t));
    }
    test::writeWav(folder / "Audio 1.wav", kick);
    test::writeWav(folder / "Snare.wav", kick);
    const auto made =
        call({"new", folder / "S.cask", folder / "Audio 1.wav", folder / "Snare.wav", "--json"});
    ASSERT_EQ(made.code, kDone) << made.err;
    const auto elements = nlohmann::json::parse(made.out)["elements"];
    EXPECT_EQ(elements[0]["role"], "kick_in");
    EXPECT_GT(elements[0]["role_confidence"].get<double>(), 0.2);
    EXPECT_LE(elements[0]["role_confidence"].get<double>(), 0.8);
    EXPECT_EQ(elements[0]["bus"], "Shells");
    EXPECT_EQ(elements[1]["role"], "snare_top") << "a name is not overruled";
}

TEST(Cli, AdvisesAndAppliesWhatItAdvised) {
    const test::TempFolder folder;
    auto top = test::bursts(180, 0.45, 0.2, 0.06, 6);
    const auto clicks = test::noise(0.3, top.size(), 1);
    const auto hiss = test::noise(0.0003, top.size(), 2);
    std::vector<float> bottom(top.size());
    for (std::size_t n = 0; n < top.size(); ++n) {
        const double sinceHit = std::fmod(static_cast<double>(n) / 48000 - 0.2 + 0.45, 0.45);
        top[n] += clicks[n] * static_cast<float>(std::exp(-sinceHit / 0.005));
        bottom[n] = -0.6F * top[n] + hiss[n] + 0.01F; // turned over, and off the centre line
    }
    test::writeWav(folder / "Snare Top.wav", top);
    test::writeWav(folder / "Snare Bottom.wav", bottom);
    const std::string s = folder / "S.cask";
    ASSERT_EQ(call({"new", s, folder / "Snare Top.wav", folder / "Snare Bottom.wav"}).code, kDone);
    const auto findings = [&](std::vector<std::string> more = {}) {
        more.insert(more.begin(), {"advise", s, "--json"});
        const auto ran = call(more);
        EXPECT_EQ(ran.code, kDone) << ran.err;
        std::map<std::string, nlohmann::json> byId;
        const auto json = nlohmann::json::parse(ran.out);
        for (const auto& f : json["findings"])
            byId[f["id"].get<std::string>()] = f;
        return byId;
    };
    std::string pair;
    std::string dc;
    for (const auto& [id, f] : findings({"--stage", "intake"})) {
        EXPECT_EQ(f["stage"], "intake");
        if (id.starts_with("pair-"))
            pair = id;
        if (id.starts_with("dc-"))
            dc = id;
    }
    ASSERT_FALSE(pair.empty());
    ASSERT_FALSE(dc.empty());
    const auto f = findings()[pair];
    EXPECT_EQ(f["element"], "Snare Bottom");
    EXPECT_EQ(f["proposal"]["changes"][0]["path"], "Snare Bottom/inverted");
    EXPECT_LT(f["numbers"]["low_sum"]["value"].get<double>(), -3);
    EXPECT_GT(f["numbers"]["low_sum_after"]["value"].get<double>(), 2);

    EXPECT_EQ(call({"apply", s, pair, "nonsense-1"}).code, kBadInput);
    EXPECT_TRUE(findings().contains(pair)) << "all or nothing";
    const auto applied = call({"apply", s, pair, dc});
    EXPECT_EQ(applied.code, kDone) << applied.err;
    EXPECT_NE(applied.out.find("Snare Bottom/inverted: off becomes on"), std::string::npos) << applied.out;
    EXPECT_FALSE(findings().contains(pair));
    EXPECT_FALSE(findings().contains(dc));
    const auto listed = nlohmann::json::parse(call({"set", s, "--json"}).out);
    EXPECT_EQ(listed["Snare Bottom/inverted"], "on");
    EXPECT_EQ(listed["Snare Bottom/removes_dc"], "on");

    EXPECT_EQ(call({"advise", s, "--stage", "dance"}).code, kWrongUse);
    EXPECT_EQ(call({"advise", s, "--style", "nobodys"}).code, kBadInput);
    EXPECT_EQ(call({"set", s, "session/house_style", "tight"}).code, kDone);
    EXPECT_EQ(nlohmann::json::parse(call({"advise", s, "--json"}).out)["house_style"], "tight");
}

TEST(Cli, AlignsPartnersAsTheSessionHasThem) {
    const test::TempFolder folder;
    // 2 ms late and turned over: 96 frames at 48 kHz, two thirds of a turn at 90 Hz.
    const auto top = test::bursts(90, 0.45, 0.2, 0.06, 6);
    std::vector<float> bottom(top.size(), 0.0F);
    for (std::size_t n = 96; n < top.size(); ++n)
        bottom[n] = -0.7F * top[n - 96];
    test::writeWav(folder / "Snare Top.wav", top);
    test::writeWav(folder / "Snare Bottom.wav", bottom);
    test::writeWav(folder / "Room.wav", top);
    const std::string s = folder / "S.cask";
    ASSERT_EQ(
        call({"new", s, folder / "Snare Top.wav", folder / "Snare Bottom.wav", folder / "Room.wav"}).code,
        kDone);
    const auto pair = [&] {
        const auto ran = call({"align", s, "--json"});
        EXPECT_EQ(ran.code, kDone) << ran.err;
        const auto pairs = nlohmann::json::parse(ran.out)["pairs"];
        EXPECT_EQ(pairs.size(), 1U);
        return pairs[0];
    };
    const auto before = pair();
    EXPECT_EQ(before["first"], "Snare Top");
    EXPECT_EQ(before["second"], "Snare Bottom");
    EXPECT_NEAR(before["delay_ms"].get<double>(), 2, 0.0105);
    EXPECT_EQ(before["inverted"], true);
    EXPECT_GT(before["low_sum_moved_db"].get<double>(), before["low_sum_db"].get<double>() + 1);
    ASSERT_EQ(call({"set", s, "Snare Bottom/inverted", "on"}).code, kDone);
    ASSERT_EQ(call({"set", s, "Snare Bottom/shift_ms", "--", "-2 ms"}).code, kDone);
    const auto after = pair();
    EXPECT_NEAR(after["delay_ms"].get<double>(), 0, 0.0105);
    EXPECT_EQ(after["inverted"], false);
    EXPECT_NEAR(after["low_sum_db"].get<double>(), before["low_sum_moved_db"].get<double>(), 0.1);
    EXPECT_NE(call({"align", s}).out.find("same polarity"), std::string::npos);
    EXPECT_EQ(call({"align", folder / "none.cask"}).code, kBadInput);
}

TEST(Cli, HitsAndSpillHaveTheColumnsThatScriptsDependOn) {
    const test::TempFolder folder;
    const auto kick = test::bursts(60, 1, 0.25, 0.12, 8);
    const auto snare = test::bursts(900, 1, 0.75, 0.05, 8);
    const auto mixed = [](const std::vector<float>& own, const std::vector<float>& other) {
        auto x = own;
        for (std::size_t n = 96; n < x.size(); ++n)
            x[n] += 0.1F * other[n - 96];
        return x;
    };
    test::writeWav(folder / "Kick In.wav", mixed(kick, snare));
    test::writeWav(folder / "Snare Top.wav", mixed(snare, kick));
    const std::string s = folder / "S.cask";
    ASSERT_EQ(call({"new", s, folder / "Kick In.wav", folder / "Snare Top.wav"}).code, kDone);
    const auto hits = call({"hits", s, "--csv", "--own"});
    ASSERT_EQ(hits.code, kDone) << hits.err;
    EXPECT_EQ(hits.out.substr(0, hits.out.find('\n')),
              "element,role,time_s,level_db,velocity,class,owner,confidence");
    EXPECT_EQ(std::count(hits.out.begin(), hits.out.end(), '\n'), 17);
    EXPECT_NE(hits.out.find("\"Snare Top\",snare_top,0.75"), std::string::npos);
    const auto all = call({"hits", s, "--json"});
    ASSERT_EQ(all.code, kDone);
    const auto json = nlohmann::json::parse(all.out);
    EXPECT_NEAR(json["tempo"]["bpm"].get<double>(), 120, 0.2);
    int spill = 0;
    for (const auto& hit : json["hits"])
        spill +=
            !hit["own"].get<bool>() && hit["element"] == "Kick In" && hit["owner"] == "Snare Top" ? 1 : 0;
    EXPECT_GE(spill, 7);
    const auto table = call({"spill", s, "--csv"});
    EXPECT_NE(table.out.find("drum,microphone,level_db,spread_db,hits,drowned"), std::string::npos);
    EXPECT_NE(table.out.find("\"Snare Top\",\"Kick In\",-"), std::string::npos) << table.out;
    EXPECT_NE(call({"hits", s}).out.find("BPM"), std::string::npos);
    EXPECT_EQ(call({"hits", folder / "none.cask"}).code, kBadInput);
    const auto out = call({"hits", s, "--out", folder / "out"});
    EXPECT_EQ(out.code, kDone) << out.err;
    EXPECT_TRUE(std::filesystem::exists(folder / "out/hits.mid"));
    // Names are cut between characters, and context has no place in the table.
    test::writeWav(folder / "Bass.wav", test::sine(55, 0.3, 8));
    test::writeWav(folder / "Tom très très très très long.wav", test::noise(0.0001, 384000, 3));
    const std::string other = folder / "T.cask";
    ASSERT_EQ(call({"new", other, folder / "Snare Top.wav", folder / "Bass.wav",
                    folder / "Tom très très très très long.wav"})
                  .code,
              kDone);
    const auto words = call({"spill", other});
    EXPECT_EQ(words.out.find("Bass"), std::string::npos) << words.out;
    EXPECT_NE(words.out.find("Tom très trè\n"), std::string::npos) << words.out;
    // A file that has gone is named, and the rest is analysed.
    std::filesystem::remove(folder / "Kick In.wav");
    const auto gone = call({"hits", s, "--csv"});
    EXPECT_EQ(gone.code, kBadInput);
    EXPECT_NE(gone.err.find("Kick In.wav"), std::string::npos);
    EXPECT_NE(gone.out.find("Snare Top"), std::string::npos);
}

TEST(Cli, SetsEveryKindOfValueAndRefusesTheRest) {
    const test::TempFolder folder;
    test::writeWav(folder / "Kick.wav", test::sine(60, 0.5, 0.2));
    const std::string s = folder / "S.cask";
    ASSERT_EQ(call({"new", s, folder / "Kick.wav"}).code, kDone);
    const auto value = [&](const std::string& path) {
        return nlohmann::json::parse(call({"set", s, "--json"}).out).value(path, "missing");
    };
    for (const auto& [path, typed, shown] : {std::tuple{"Kick/pan", "R 30", "R 30"},
                                             {"Kick/muted", "on", "on"},
                                             {"Kick/shift_ms", "1.25 ms", "1.25 ms"},
                                             {"Kick/inverted", "on", "on"},
                                             {"Kick/send/Rooms/level_db", "-9 dB", "-9.0 dB"},
                                             {"Shells/level_db", "-2", "-2.0 dB"}}) {
        const auto set = call({"set", s, path, "--", typed});
        EXPECT_EQ(set.code, kDone) << path << ": " << set.err;
        EXPECT_EQ(value(path), shown);
    }
    const auto before = call({"set", s, "--json"}).out;
    for (const auto& [path, typed] : {std::pair{"Kick/level_db", "loud"},
                                      {"Kick/level_db", "99 dB"},
                                      {"Kick/nonsense", "1"},
                                      {"Snare/level_db", "0"},
                                      {"Kick/send/Nowhere/level_db", "0"},
                                      {"Kick/bus", "Kick"}}) {
        const auto set = call({"set", s, path, "--", typed});
        EXPECT_NE(set.code, kDone) << path << " " << typed;
        EXPECT_FALSE(set.err.empty()) << path << " " << typed;
    }
    EXPECT_EQ(call({"set", s, "--json"}).out, before) << "a refused value changes nothing";
}

TEST(Cli, RendersEveryFormatAndStemsOfBuses) {
    const test::TempFolder folder;
    test::writeWav(folder / "Kick.wav", test::sine(60, 0.5, 0.5));
    const std::string s = folder / "S.cask";
    ASSERT_EQ(call({"new", s, folder / "Kick.wav"}).code, kDone);
    for (const auto& [format, words] :
         {std::pair{"wav16", "16 bit"}, {"wav24", "24 bit"}, {"wav32f", "float"}, {"flac24", "FLAC, 24"}}) {
        const auto ran = call({"render", s, "--out", folder / format, "--format", format, "--stems", "buses",
                               "--mix", "--json"});
        ASSERT_EQ(ran.code, kDone) << format << ": " << ran.err;
        const auto files = nlohmann::json::parse(ran.out)["files"];
        ASSERT_EQ(files.size(), 5U) << "mix, Shells, Cymbals, Rooms, Kit";
        const auto reader = media::AudioReader::open(files[0]["file"].get<std::string>());
        ASSERT_TRUE(reader);
        EXPECT_NE(reader->info().format.find(words), std::string::npos) << reader->info().format;
    }
}

/// A tone that is louder every half second, as rendered through a compressor, against its law by hand.
TEST(Cli, ACompressorsStaticCurveIsInTheRenderedFile) {
    const test::TempFolder folder;
    std::vector<float> tone;
    std::vector<double> levels;
    for (double db = -48; db <= -0.1; db += 6) {
        levels.push_back(db);
        const auto part = test::sine(1000, dbToLinear(db), 0.5);
        tone.insert(tone.end(), part.begin(), part.end());
    }
    test::writeWav(folder / "Snare Top.wav", tone);
    const std::string s = folder / "S.cask";
    ASSERT_EQ(call({"new", s, folder.path().string()}).code, kDone);
    const auto set = [&](const std::string& path, const std::string& value) {
        const auto ran = call({"set", s, "Snare Top/" + path, "--", value});
        EXPECT_EQ(ran.code, kDone) << path << ": " << ran.err;
    };
    set("pan", "L 100");
    set("level_db", "0");
    set("compressor/threshold_db", "-30 dBFS");
    set("compressor/knee_db", "12 dB");
    set("compressor/attack_ms", "1 ms");
    set("compressor/release_ms", "50 ms");
    const auto check = [&](const std::string& name, const std::function<double(double)>& law) {
        const auto ran = call({"render", s, "--out", folder / name, "--mix", "--format", "wav32f", "--json"});
        ASSERT_EQ(ran.code, kDone) << ran.err;
        const auto sound =
            test::readAll(nlohmann::json::parse(ran.out)["files"][0]["file"].get<std::string>());
        for (std::size_t i = 0; i < levels.size(); ++i) {
            double squares = 0;
            for (std::size_t n = i * 24000 + 19200; n < i * 24000 + 24000; ++n)
                squares += static_cast<double>(sound[2 * n]) * sound[2 * n];
            EXPECT_NEAR(10 * std::log10(squares / 4800) + 3.0103, levels[i] + law(levels[i]), 0.1)
                << name << " at " << levels[i];
        }
    };
    const auto over = [](double past) {
        return past <= -6 ? 0 : past >= 6 ? past : (past + 6) * (past + 6) / 24;
    };
    check("down", [&](double l) { return -0.75 * over(l + 30); });
    set("compressor/ratio", "infinite");
    set("compressor/makeup_db", "3");
    check("infinite", [&](double l) { return 3 - over(l + 30); });
    set("compressor/ratio", "2");
    set("compressor/makeup_db", "0");
    set("compressor/direction", "up");
    set("compressor/range_db", "10");
    check("up", [&](double l) { return std::min(10.0, 0.5 * over(-30 - l)); });
    set("compressor/on", "off");
    check("off", [](double) { return 0; });
}

TEST(Cli, NeverOverwritesASession) {
    const test::TempFolder folder;
    test::writeWav(folder / "Kick.wav", test::sine(60, 0.5, 0.2));
    EXPECT_EQ(call({"new", folder / "S.cask", folder / "Kick.wav"}).code, kDone);
    const auto again = call({"new", folder / "S.cask", folder / "Kick.wav"});
    EXPECT_EQ(again.code, kBadInput);
    EXPECT_NE(again.err.find("left as it is"), std::string::npos);
    EXPECT_EQ(call({"demo", folder / "S.cask"}).code, kBadInput);
}

TEST(Cli, ACheckFindsWhatIsWrong) {
    const test::TempFolder folder;
    auto loud = test::sine(100, 0.5, 1);
    for (const std::size_t from : {500U, 5000U, 9000U})
        std::fill_n(loud.begin() + from, 20, 1.0F);
    test::writeWav(folder / "Snare.wav", loud);
    ASSERT_EQ(call({"new", folder / "S.cask", folder / "Snare.wav"}).code, kDone);
    const auto checked = call({"check", folder / "S.cask"});
    EXPECT_EQ(checked.code, kBadInput);
    EXPECT_NE(checked.out.find("clipped in 3 places:"), std::string::npos);
    std::filesystem::remove(folder / "Snare.wav");
    EXPECT_NE(call({"check", folder / "S.cask"}).out.find("is not there"), std::string::npos);
}

} // namespace
} // namespace cask::cli
