// Sounds struck by the hits of an element, or by hits that are given.
#include "cli/commands.h"
#include "cli/rule_options.h"
#include "core/layers/louder_strikes.h"
#include "core/layers/midi_pattern.h"
#include "core/layers/stack_file.h"
#include "core/layers/stack_source.h"
#include "core/layers/velocity_order.h"
#include "core/project/hit_files.h"
#include "core/project/played_files.h"
#include "core/session/hearing.h"
#include "core/session/parameter_path.h"

#include <fmt/format.h>

#include <algorithm>
#include <fstream>
#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

using Json = nlohmann::ordered_json;
using session::Session;

/// Given hits that are nearer are one.
constexpr double kSameHitS = 0.001;

struct TriggerOptions {
    std::string folder, element, hits, name;
    std::vector<std::string> sounds;
    layers::Layer layer;
    std::optional<double> topDb, aboveDb;
    RuleOptions rule;
    bool isForLouder = false;
    bool byVelocity = false;
    bool atFirstFrame = false;
    bool replaces = false;
    bool json = false;
};

struct Hit {
    double timeS = 0;
    double levelDb = 0;
    std::string hitClass = "normal";
    int note = -1;
};

Result<std::vector<Hit>> hitsOfMidi(const std::string& file) {
    const auto pattern = layers::readMidiPattern(file);
    if (!pattern)
        return pattern.error();
    std::vector<Hit> hits;
    for (const auto& stroke : pattern->strokes)
        hits.push_back({stroke.timeS, layers::levelDbOf(stroke.velocity), "normal", stroke.note});
    return hits;
}

/// A list of hits, or an object with a list "hits". Of our own lists only those that the element made.
Result<std::vector<Hit>> hitsOfJson(const std::string& file, const std::string& element) {
    std::ifstream in(file);
    if (!in)
        return Error{ErrorCode::NotFound, fmt::format("{} can't be opened.", file)};
    const auto json = Json::parse(in, nullptr, false);
    const Json* list = json.is_object() && json.contains("hits") ? &json["hits"] : &json;
    const Error bad{
        ErrorCode::BadFormat,
        fmt::format("{} is no list of hits: each needs \"time_s\" and \"level_db\" or \"velocity\" "
                    "(1 to 127).",
                    file)};
    if (!list->is_array())
        return bad;
    std::vector<Hit> hits;
    for (const auto& item : *list) {
        if (!item.is_object() || !item.contains("time_s") || !item["time_s"].is_number())
            return bad;
        if (item.contains("element") && item["element"] != element)
            continue;
        if (item.contains("own") && item["own"].is_boolean() && !item["own"].get<bool>())
            continue;
        Hit hit;
        hit.timeS = item["time_s"].get<double>();
        if (item.contains("level_db") && item["level_db"].is_number())
            hit.levelDb = item["level_db"].get<double>();
        else if (item.contains("velocity") && item["velocity"].is_number() && item["velocity"] >= 1)
            hit.levelDb = layers::levelDbOf(item["velocity"].get<double>());
        else
            return bad;
        if (item.contains("class") && item["class"].is_string())
            hit.hitClass = item["class"].get<std::string>();
        hits.push_back(std::move(hit));
    }
    return hits;
}

Result<std::vector<Hit>> hitsOf(Streams& streams, const TriggerOptions& o, const Session& s) {
    if (!o.hits.empty())
        return o.hits.ends_with(".mid") || o.hits.ends_with(".midi") ? hitsOfMidi(o.hits)
                                                                     : hitsOfJson(o.hits, o.element);
    const auto found = findHits(streams, s, o.folder);
    if (!found)
        return found.error();
    std::vector<Hit> hits;
    for (const auto& row : project::hitRows(s, *found->analysis, true))
        if (row.element == o.element)
            hits.push_back({row.timeS, row.levelDb, row.hitClass, -1});
    return hits;
}

/// By time, none twice: of two at one time the louder.
std::vector<Hit> inOrder(std::vector<Hit> hits) {
    std::stable_sort(hits.begin(), hits.end(), [](const Hit& a, const Hit& b) { return a.timeS < b.timeS; });
    std::vector<Hit> kept;
    for (auto& hit : hits) {
        if (hit.timeS < 0)
            continue;
        if (!kept.empty() && hit.timeS - kept.back().timeS < kSameHitS && hit.note == kept.back().note)
            kept.back().levelDb = std::max(kept.back().levelDb, hit.levelDb);
        else
            kept.push_back(std::move(hit));
    }
    return kept;
}

Result<layers::Layer> layerOf(const TriggerOptions& o, double topDb) {
    std::vector<std::filesystem::path> files;
    for (const auto& sound : o.sounds)
        files.push_back(std::filesystem::absolute(sound));
    const auto plain = layers::layerOf(files);
    if (!plain.kit.empty() && files.size() > 1)
        return Error{ErrorCode::BadValue, "A kit (SFZ) is struck alone: give one, or sound files."};
    layers::Layer layer = o.layer;
    layer.name = plain.name;
    layer.kit = plain.kit;
    layer.sounds = plain.sounds;
    layer.atTransient = plain.atTransient && !o.atFirstFrame;
    layer.rule = o.rule.made();
    if (o.aboveDb)
        layer.rule.lowVelocity = std::max(layer.rule.lowVelocity, layers::velocityOf(*o.aboveDb - topDb));
    if (o.byVelocity && layer.kit.empty()) {
        auto ordered = layers::byVelocity(files);
        if (!ordered)
            return ordered.error();
        layer.sounds = std::move(*ordered);
    }
    return layer;
}

void print(Streams& streams, const TriggerOptions& o, const layers::Stack& stack, const std::string& name,
           const std::string& file, double topDb) {
    const auto played = layers::strikesOf(stack.layers.front().rule, stack.strikes);
    if (!o.json) {
        streams.out << fmt::format("{} is played by {} of {} hits of {}.\n", name, played.size(),
                                   stack.strikes.size(), o.element);
        return;
    }
    Json hits = Json::array();
    for (const std::size_t i : played) {
        const auto& strike = stack.strikes[i];
        hits.push_back({{"time_s", strike.timeS},
                        {"level_db", inHundredths(topDb + layers::levelDbOf(strike.velocity))},
                        {"velocity", inHundredths(strike.velocity)},
                        {"class", strike.hitClass}});
    }
    printJson(streams.out, {{"element", name},
                            {"file", file},
                            {"hits_of", o.element},
                            {"found", stack.strikes.size()},
                            {"played", played.size()},
                            {"top_db", inHundredths(topDb)},
                            {"hits", std::move(hits)}});
}

int trigger(Streams& streams, const TriggerOptions& o) {
    const auto s = openSession(streams, o.folder);
    if (!s)
        return fail(streams, s.error());
    const auto id = session::findOwner(*s, o.element);
    if (!id || s->element(*id) == nullptr)
        return fail(streams, {ErrorCode::NotFound, fmt::format("There is no element \"{}\".", o.element)});
    const auto found = hitsOf(streams, o, *s);
    if (!found)
        return fail(streams, found.error());
    const auto hits = inOrder(*found);
    if (hits.empty())
        return fail(streams,
                    {ErrorCode::Empty, fmt::format("{} has no hits; nothing was added.", o.element)});
    double topDb = o.topDb.value_or(-200);
    if (!o.topDb)
        for (const auto& hit : hits)
            topDb = std::max(topDb, hit.levelDb);
    layers::Stack stack;
    stack.lengthS = framesToSeconds(s->lengthFrames(), s->sampleRateHz);
    for (const auto& hit : hits)
        stack.strikes.push_back({hit.timeS, layers::velocityOf(hit.levelDb - topDb), hit.hitClass, hit.note});
    stack.lengthS = std::max(stack.lengthS, hits.back().timeS + 1);
    auto layer = layerOf(o, topDb);
    if (!layer)
        return fail(streams, layer.error());
    if (o.isForLouder) {
        const auto from = layers::louderFromDb(stack.strikes);
        if (!from)
            return fail(streams,
                        {ErrorCode::Empty,
                         fmt::format("The hits of {} do not part into louder and softer ones; nothing "
                                     "was added. --above says from which level on.",
                                     o.element)});
        layer->rule.lowVelocity = std::max(layer->rule.lowVelocity, layers::velocityOf(*from));
    }
    stack.layers.push_back(std::move(*layer));
    const std::string wanted =
        o.name.empty() ? fmt::format("{} {}", o.element, stack.layers.front().name) : o.name;
    const auto written = project::writeStack(stack, s->sampleRateHz, o.folder, wanted, streams.cancel);
    if (!written)
        return failWriting(streams, written.error());
    for (const auto& note : written->notes)
        streams.err << note << '\n';
    std::string name;
    const auto saved = editSession(streams, o.folder, [&](const Session& newest) -> Result<Session> {
        const auto* of = newest.element(*id);
        if (of == nullptr)
            return Error{ErrorCode::ChangedOnDisk, fmt::format("{} is there no more.", o.element)};
        auto with = session::withMadeElement(newest, written->file, {wanted, of->role, of->out.bus, 0});
        name = with.session.nameOf(with.element);
        if (o.replaces)
            with.session = session::withMute(std::move(with.session), {*id}, true);
        return std::move(with.session);
    });
    if (!saved)
        return fail(streams, saved.error());
    print(streams, o, stack, name, (std::filesystem::absolute(o.folder) / written->file.path).string(),
          topDb);
    return kDone;
}

} // namespace

void addTriggerCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command =
        app.add_subcommand("trigger", "Adds an element whose sounds are struck by the hits of another one");
    const auto o = std::make_shared<TriggerOptions>();
    command->add_option("SESSION", o->folder, "Session folder")->required();
    command->add_option("ELEMENT", o->element, "The element whose hits strike")->required();
    command
        ->add_option("--with", o->sounds, "Sound files of one stroke each, played in turn; or one kit (SFZ)")
        ->required();
    command->add_option("--hits", o->hits,
                        "Hits from a file instead: MIDI, or JSON with time_s and level_db or velocity");
    command->add_option("--name", o->name, "Name of the new element");
    command->add_option("--note", o->layer.note, "Note of the kit")->check(CLI::Range(0, 127));
    command->add_option("--top", o->topDb,
                        "Level at which the sounds play as they are, dBFS (default: the loudest hit)");
    command->add_option("--follow", o->layer.followPercent, "How far levels are followed, dB for dB, percent")
        ->check(CLI::Range(0.0, 200.0));
    command->add_option("--gain", o->layer.gainDb, "dB")->check(CLI::Range(-96.0, 24.0));
    command->add_option("--pan", o->layer.pan, "-1 to 1")->check(CLI::Range(-1.0, 1.0));
    command->add_option("--offset", o->layer.offsetMs, "Later than the hit, ms")
        ->check(CLI::Range(-1000.0, 1000.0));
    command->add_option("--pitch", o->layer.pitchCents, "Cents, by rate")->check(CLI::Range(-3600.0, 3600.0));
    command->add_option("--low-cut", o->layer.lowCutHz, "Hz")->check(CLI::Range(0.0, 20000.0));
    command->add_option("--high-cut", o->layer.highCutHz, "Hz")->check(CLI::Range(0.0, 24000.0));
    command->add_option("--decay", o->layer.decayMs, "Falls by 60 dB within so many ms behind the transient")
        ->check(CLI::Range(0.0, 60000.0));
    command->add_flag("--invert", o->layer.isInverted, "Inverts the polarity");
    command->add_flag("--from-first-frame", o->atFirstFrame,
                      "The first frame of the file meets the hit (default: its transient)");
    command->add_flag("--by-velocity", o->byVelocity, "The files are softer and harder strokes");
    command->add_flag("--alternates-by-chance", o->layer.alternatesByChance, "Else in turn");
    addRuleOptions(*command, o->rule);
    command->add_option("--above", o->aboveDb, "Only hits from this level on, dBFS");
    command->add_flag("--louder", o->isForLouder,
                      "Only the louder hits, from the level that parts them from the softer ones");
    command->add_option("--level-spread", o->layer.levelSpreadDb, "By chance up to so much up or down, dB")
        ->check(CLI::Range(0.0, 12.0));
    command->add_flag("--replace", o->replaces, "Mutes the element whose hits strike");
    command->add_flag("--json", o->json, "JSON on standard output");
    command->callback([&streams, &exitCode, o] { exitCode = trigger(streams, *o); });
}

} // namespace cask::cli
