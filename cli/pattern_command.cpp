// A pattern from a MIDI file: its drums, and what gives it away.
#include "cli/commands.h"
#include "core/layers/midi_pattern.h"
#include "core/layers/pattern_judge.h"

#include <fmt/format.h>

#include <memory>
#include <numeric>
#include <ostream>

namespace cask::cli {
namespace {

using Json = nlohmann::ordered_json;

struct PatternOptions {
    std::string file;
    bool asJson = false;
};

int pattern(Streams& streams, const PatternOptions& o) {
    const auto read = layers::readMidiPattern(o.file);
    if (!read)
        return fail(streams, read.error());
    const auto judged = layers::judgePattern(*read, layers::generalMidiMap());
    const int strokes = std::accumulate(judged.drums.begin(), judged.drums.end(), 0,
                                        [](int sum, const auto& drum) { return sum + drum.strokes; });
    const auto& tempo = read->tempi.front();
    const auto& metre = read->metres.front();
    if (!o.asJson) {
        streams.out << fmt::format("{} bars of {}/{} at {:.1f} bpm, {} strokes\n", judged.bars, metre.beats,
                                   metre.unit, tempo.bpm, strokes);
        for (const auto& drum : judged.drums)
            streams.out << fmt::format(
                "  {:<18} {} strokes, velocity {} to {}{}\n", drum.name, drum.strokes, drum.softest,
                drum.loudest,
                drum.looseMs ? fmt::format(", {:.1f} ms around its place", *drum.looseMs) : std::string());
        for (const auto& finding : judged.findings)
            streams.out << finding.sentence << '\n';
        return kDone;
    }
    Json drums = Json::array();
    for (const auto& drum : judged.drums)
        drums.push_back({{"note", drum.note},
                         {"name", drum.name},
                         {"role", std::string(roleInfo(drum.role).id)},
                         {"strokes", drum.strokes},
                         {"softest", drum.softest},
                         {"middle", drum.middle},
                         {"loudest", drum.loudest},
                         {"loose_ms", drum.looseMs ? Json(inHundredths(*drum.looseMs)) : Json(nullptr)}});
    Json findings = Json::array();
    for (const auto& f : judged.findings) {
        Json times = Json::array();
        for (const int i : f.strokes)
            times.push_back(std::round(1e4 * read->strokes[static_cast<std::size_t>(i)].timeS) / 1e4);
        findings.push_back({{"fault", std::string(layers::idOf(f.fault))},
                            {"note", f.note < 0 ? Json(nullptr) : Json(f.note)},
                            {"count", f.count},
                            {"bar", f.bar},
                            {"times_s", std::move(times)},
                            {"sentence", f.sentence}});
    }
    printJson(streams.out, {{"bars", judged.bars},
                            {"bpm", inHundredths(tempo.bpm)},
                            {"metre", fmt::format("{}/{}", metre.beats, metre.unit)},
                            {"length_s", inHundredths(read->timeOf(read->lengthBeats))},
                            {"strokes", strokes},
                            {"drums", std::move(drums)},
                            {"findings", std::move(findings)}});
    return kDone;
}

} // namespace

void addPatternCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand(
        "pattern", "Reads a drum pattern from a MIDI file: its drums, and what no hand would play so");
    const auto o = std::make_shared<PatternOptions>();
    command->add_option("FILE", o->file, "Standard MIDI File, notes by the drum map of General MIDI")
        ->required();
    command->add_flag("--json", o->asJson, "JSON on standard output");
    command->callback([&streams, &exitCode, o] { exitCode = pattern(streams, *o); });
}

} // namespace cask::cli
