// A pattern from a MIDI file: its drums, and what gives it away.
#include "cli/commands.h"
#include "core/layers/midi_pattern.h"
#include "core/layers/midi_write.h"
#include "core/layers/pattern_judge.h"
#include "core/layers/pattern_moves.h"
#include "core/project/played_files.h"
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

bool isOfDrumChannel(const layers::PatternStroke& stroke) {
    return stroke.channel == 9;
}

/// Drums that one element plays: those of one name, and hats together, so that they choke each other.
std::string elementOf(int note) {
    const auto* mapped = layers::findNote(layers::generalMidiMap(), note);
    if (mapped == nullptr)
        return fmt::format("Note {}", note);
    switch (mapped->role) {
    case Role::ClosedHat:
    case Role::OpenHat:
        return "Hi-hat";
    case Role::KickIn:
    case Role::KickOut:
        return "Kick";
    case Role::SnareTop:
        return "Snare";
    default:
        return mapped->name;
    }
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
    struct Drum {
        std::string name;
        Role role = Role::Unknown;
        layers::Stack stack;
    };
    const bool hasDrumChannel = std::any_of(pattern.strokes.begin(), pattern.strokes.end(), isOfDrumChannel);
    std::vector<Drum> drums;
    for (const auto& stroke : pattern.strokes) {
        if (hasDrumChannel && !isOfDrumChannel(stroke))
            continue; // other instruments
        const auto name = elementOf(stroke.note);
        auto drum = std::find_if(drums.begin(), drums.end(), [&](const Drum& d) { return d.name == name; });
        if (drum == drums.end()) {
            const auto* mapped = layers::findNote(layers::generalMidiMap(), stroke.note);
            layers::Layer layer;
            layer.name = std::filesystem::path(o.kit).stem().string();
            layer.kit = std::filesystem::absolute(o.kit);
            layer.note = stroke.note;
            layer.atTransient = false;
            drum = drums.insert(drums.end(), {name, mapped == nullptr ? Role::Unknown : mapped->role, {}});
            drum->stack.layers = {layer};
            drum->stack.lengthS = pattern.timeOf(pattern.lengthBeats) + 2; // to ring out
        }
        drum->stack.strikes.push_back(
            {stroke.timeS, static_cast<double>(stroke.velocity), "normal", stroke.note});
    }
    std::vector<project::WrittenStack> written;
    for (const auto& drum : drums) {
        auto one = project::writeStack(drum.stack, s->sampleRateHz, o.into, drum.name, streams.cancel);
        if (!one)
            return failWriting(streams, one.error());
        if (written.empty()) // they are of one kit
            for (const auto& note : one->notes)
                streams.err << note << '\n';
        written.push_back(std::move(*one));
    }
    Json made = Json::array();
    const auto saved =
        editSession(streams, o.into, [&](const session::Session& newest) -> Result<session::Session> {
            auto next = newest;
            for (std::size_t i = 0; i < drums.size(); ++i) {
                auto with = session::withMadeElement(
                    std::move(next), written[i].file,
                    {drums[i].name, drums[i].role, session::startingBus(newest, drums[i].role), 0});
                made.push_back(
                    {{"element", with.session.nameOf(with.element)},
                     {"role", std::string(roleInfo(drums[i].role).id)},
                     {"strokes", drums[i].stack.strikes.size()},
                     {"file", (std::filesystem::absolute(o.into) / written[i].file.path).string()}});
                next = std::move(with.session);
            }
            return next;
        });
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
    auto* kit = command->add_option("--kit", o->kit, "A kit (SFZ) that plays it");
    auto* into =
        command->add_option("--into", o->into, "The session that it is played in; made where there is none");
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
