// A pattern from a MIDI file: its drums, and what gives it away.
#include "cli/commands.h"
#include "core/demo/built_in_kit.h"
#include "core/layers/midi_pattern.h"
#include "core/layers/midi_write.h"
#include "core/layers/pattern_judge.h"
#include "core/layers/pattern_moves.h"
#include "core/project/programmed_kit.h"
#include "core/session/edits.h"

#include <fmt/format.h>

#include <memory>
#include <numeric>
#include <ostream>

namespace cask::cli {
namespace {

using Json = nlohmann::ordered_json;

struct PatternOptions {
    std::string file, kit, into, out, like;
    project::KitMicrophones microphones;
    std::vector<double> humanise, alternate;
    double ghostsUnderDb = 0;
    int fillEvery = 0;
    std::uint64_t seed = 1;
    bool openOverClosed = false;
    bool overwrites = false;
    bool asJson = false;
};

/// The pattern with the moves that are asked for.
Result<layers::Pattern> moved(const PatternOptions& o, layers::Pattern pattern) {
    const auto& map = layers::generalMidiMap();
    if (o.openOverClosed)
        pattern = layers::withoutClosedUnderOpen(std::move(pattern), map);
    if (o.fillEvery > 0)
        pattern = layers::withFillEvery(std::move(pattern), o.fillEvery, map);
    if (o.ghostsUnderDb > 0)
        for (const int note : {38, 40})
            pattern = layers::withGhostsAt(std::move(pattern), note, o.ghostsUnderDb);
    if (o.alternate.size() == 2)
        pattern = layers::alternated(std::move(pattern), static_cast<int>(o.alternate[0]), o.alternate[1]);
    if (!o.like.empty()) {
        const auto model = layers::readMidiPattern(o.like);
        if (!model)
            return model.error();
        pattern = layers::humanised(std::move(pattern), layers::feelOf(*model), o.seed);
    } else if (o.humanise.size() == 2) {
        pattern = layers::humanised(std::move(pattern), {o.humanise[0], o.humanise[1], {}, {}}, o.seed);
    }
    return pattern;
}

constexpr const char* kBuiltIn = "built-in";

/// The built-in kit is written beside the session's layers once.
Result<project::KitSounds> kitOf(Streams& streams, const PatternOptions& o) {
    if (o.kit != kBuiltIn)
        return project::kitFrom(o.kit, streams.cancel);
    const auto folder =
        std::filesystem::absolute(o.into).lexically_normal() / "layers" / project::kBuiltInKitFolder;
    if (auto written =
            demo::writeBuiltInKit(folder, streams.cancel, progressTo(streams, "Writing the built-in kit"));
        !written)
        return written.error();
    return project::builtInKit(folder, o.microphones);
}

/// The drums of a pattern as elements that a kit plays.
int playInto(Streams& streams, const PatternOptions& o, const layers::Pattern& pattern) {
    session::SessionStore store(diskFileSystem(), o.into);
    if (!diskFileSystem().exists(store.sessionFile())) {
        const auto lock = store.lock();
        if (!lock)
            return fail(streams, lock.error());
        auto made = session::emptySession();
        made.name = std::filesystem::path(o.into).stem().string();
        if (auto saved = store.save(made); !saved)
            return fail(streams, saved.error());
    }
    const auto s = openSession(streams, o.into);
    if (!s)
        return fail(streams, s.error());
    const auto kit = kitOf(streams, o);
    if (!kit)
        return failWriting(streams, kit.error());
    const auto played =
        project::playPattern(pattern, std::filesystem::path(o.file).stem().string(), *kit, s->sampleRateHz,
                             o.into, streams.cancel, progressTo(streams, "Playing"));
    if (!played)
        return failWriting(streams, played.error());
    for (const auto& note : played->notes)
        streams.err << note << '\n';
    std::vector<session::Id> ids;
    const auto saved =
        editSession(streams, o.into, [&](const session::Session& newest) -> Result<session::Session> {
            return project::withPlayedKit(newest, *played, &ids);
        });
    Json made = Json::array();
    const auto now = saved ? openSession(streams, o.into) : Result<session::Session>(*s);
    for (std::size_t i = 0; now && i < ids.size(); ++i)
        made.push_back(
            {{"element", now->nameOf(ids[i])},
             {"role", std::string(roleInfo(played->drums[i].drum.role).id)},
             {"strokes", played->drums[i].drum.strokes},
             {"file", (std::filesystem::absolute(o.into) / played->drums[i].written.file.path).string()}});
    if (!saved)
        return fail(streams, saved.error());
    if (o.asJson)
        printJson(streams.out, {{"session", o.into}, {"kit", o.kit}, {"elements", std::move(made)}});
    else
        for (const auto& one : made)
            streams.out << fmt::format("{:<18} {} strokes\n", one["element"].get<std::string>(),
                                       one["strokes"].get<std::size_t>());
    return kDone;
}

int pattern(Streams& streams, const PatternOptions& o) {
    auto read = layers::readMidiPattern(o.file);
    if (read)
        read = moved(o, std::move(*read));
    if (!read)
        return fail(streams, read.error());
    if (!o.out.empty())
        if (const auto written = layers::writeMidiPattern(
                *read, o.out, {o.overwrites ? IfExists::Replace : IfExists::Refuse, nullptr});
            !written)
            return failWriting(streams, written.error());
    if (!o.kit.empty())
        return playInto(streams, o, *read);
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
    auto* kit = command->add_option("--kit", o->kit,
                                    "What plays it: a kit (SFZ), a folder of one-shots, or built-in");
    auto* into =
        command->add_option("--into", o->into, "The session that it is played in; made where there is none");
    command->add_flag("!--no-overheads", o->microphones.overheads, "Of the built-in kit: without them");
    command->add_flag("!--no-room", o->microphones.room, "Of the built-in kit: without it");
    command->add_flag("--spill", o->microphones.spill,
                      "Of the built-in kit: close microphones hear the other drums too");
    kit->needs(into);
    into->needs(kit);
    command->add_option("--humanise", o->humanise, "Strokes stray: spread of time, ms, and of level, dB")
        ->expected(2)
        ->check(CLI::Range(0.0, 50.0));
    command->add_option("--like", o->like, "Strokes stray as in this MIDI file (hits --out writes one)");
    command->add_option("--seed", o->seed, "Of what strays");
    command
        ->add_option("--alternate", o->alternate, "Every second stroke of a note is so much softer: note, dB")
        ->expected(2)
        ->check(CLI::Range(0.0, 127.0));
    command->add_option("--ghosts", o->ghostsUnderDb, "Ghosts of the snare so far under its accents, dB")
        ->check(CLI::Range(6.0, 40.0));
    command->add_option("--fill-every", o->fillEvery, "The pattern's own fill in every Nth bar")
        ->check(CLI::Range(1, 1000));
    command->add_flag("--open-over-closed", o->openOverClosed, "No closed hat under an open one");
    command->add_option("--out", o->out, "Writes the pattern, with these moves, as a MIDI file");
    command->add_flag("--overwrite", o->overwrites, "Replaces a file of that name");
    command->add_flag("--json", o->asJson, "JSON on standard output");
    command->callback([&streams, &exitCode, o] { exitCode = pattern(streams, *o); });
}

} // namespace cask::cli
