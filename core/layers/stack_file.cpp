#include "core/layers/stack_file.h"

#include "core/layers/sfz.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <array>
#include <fstream>
#include <optional>
#include <set>
#include <stdexcept>

namespace cask::layers {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::ordered_json;

constexpr int kVersion = 1;
constexpr double kLongestS = 24 * 3600;
constexpr std::size_t kMostNotes = 128; // that a rule names

constexpr std::array kNumbers = {
    LayerNumber{"gain_db", &Layer::gainDb, -96, 24},
    LayerNumber{"pan", &Layer::pan, -1, 1},
    LayerNumber{"offset_ms", &Layer::offsetMs, -1000, 1000},
    LayerNumber{"lead_ms", &Layer::leadMs, 0, 1000},
    LayerNumber{"start_ms", &Layer::startMs, 0, 60000},
    LayerNumber{"end_ms", &Layer::endMs, 0, 60000},
    LayerNumber{"fade_in_ms", &Layer::fadeInMs, 0, 60000},
    LayerNumber{"fade_out_ms", &Layer::fadeOutMs, 0, 60000},
    LayerNumber{"pitch_cents", &Layer::pitchCents, -3600, 3600},
    LayerNumber{"length_percent", &Layer::lengthPercent, 25, 400},
    LayerNumber{"hold_ms", &Layer::holdMs, 0, 60000},
    LayerNumber{"decay_ms", &Layer::decayMs, 0, 60000},
    LayerNumber{"low_cut_hz", &Layer::lowCutHz, 0, 20000},
    LayerNumber{"high_cut_hz", &Layer::highCutHz, 0, 24000},
    LayerNumber{"resonance_db", &Layer::resonanceDb, 0, 24},
    LayerNumber{"drive_db", &Layer::driveDb, 0, 36},
    LayerNumber{"follow_percent", &Layer::followPercent, 0, 200},
    LayerNumber{"level_spread_db", &Layer::levelSpreadDb, 0, 12},
};

struct LayerFlag {
    const char* name;
    bool Layer::*value;
};
constexpr std::array kFlags = {LayerFlag{"on", &Layer::isOn},
                               LayerFlag{"inverted", &Layer::isInverted},
                               LayerFlag{"spill", &Layer::isSpill},
                               LayerFlag{"at_transient", &Layer::atTransient},
                               LayerFlag{"keeps_length", &Layer::keepsLength},
                               LayerFlag{"alternates_by_chance", &Layer::alternatesByChance}};

constexpr int kMostChokeGroup = 1000;

constexpr std::array<std::string_view, 6> kPurposes = {"any", "impact", "lows", "body", "tail", "texture"};
constexpr std::array<std::string_view, 4> kKinds = {"all", "accents", "no ghosts", "ghosts"};
constexpr std::array<std::string_view, 5> kClasses = {"accent", "normal", "ghost", "flam", "roll"};

/// What is wrong in a file; turned into an Error at the boundary.
struct BadStack : std::runtime_error {
    using std::runtime_error::runtime_error;
};

double numberIn(const Json& object, const std::string& name, double fallback, double least, double most) {
    const auto found = object.find(name);
    if (found == object.end())
        return fallback;
    if (!found->is_number())
        throw BadStack(fmt::format("\"{}\" is no number", name));
    const double value = found->get<double>();
    if (!(value >= least && value <= most))
        throw BadStack(
            fmt::format("\"{}\" is {:g}, which is not from {:g} to {:g}", name, value, least, most));
    return value;
}
int wholeIn(const Json& object, const std::string& name, int fallback, int least, int most) {
    return static_cast<int>(numberIn(object, name, fallback, least, most));
}
bool flagIn(const Json& object, const char* name, bool fallback) {
    const auto found = object.find(name);
    if (found != object.end() && !found->is_boolean())
        throw BadStack(fmt::format("\"{}\" is neither true nor false", name));
    return found == object.end() ? fallback : found->get<bool>();
}
std::string textIn(const Json& object, const char* name, const std::string& fallback = {}) {
    const auto found = object.find(name);
    if (found != object.end() && !found->is_string())
        throw BadStack(fmt::format("\"{}\" is no text", name));
    return found == object.end() ? fallback : found->get<std::string>();
}
template <std::size_t N>
std::size_t choiceIn(const Json& object, const char* name, const std::array<std::string_view, N>& choices,
                     std::size_t fallback) {
    const auto text = textIn(object, name, std::string(choices[fallback]));
    const auto found = std::find(choices.begin(), choices.end(), text);
    if (found == choices.end())
        throw BadStack(fmt::format("\"{}\" can't be \"{}\"", name, text));
    return static_cast<std::size_t>(found - choices.begin());
}
const Json& listIn(const Json& object, const char* name, std::size_t most) {
    static const Json kNone = Json::array();
    const auto found = object.find(name);
    if (found == object.end())
        return kNone;
    if (!found->is_array())
        throw BadStack(fmt::format("\"{}\" is no list", name));
    if (found->size() > most)
        throw BadStack(fmt::format("\"{}\" has {} entries, {} are the most", name, found->size(), most));
    return *found;
}
void mustBeObject(const Json& json, const char* what) {
    if (!json.is_object())
        throw BadStack(fmt::format("{} is no object", what));
}

Strike strikeFrom(const Json& json) {
    mustBeObject(json, "a strike");
    Strike s;
    s.timeS = numberIn(json, "time_s", 0, 0, kLongestS);
    s.velocity = numberIn(json, "velocity", 127, 1, 127);
    s.hitClass = kClasses[choiceIn(json, "class", kClasses, 1)];
    s.note = wholeIn(json, "note", -1, -1, kMostNote);
    return s;
}

LayerRule ruleFrom(const Json& json) {
    mustBeObject(json, "a rule");
    LayerRule r;
    r.kind = static_cast<StrikeKind>(choiceIn(json, "hits", kKinds, 0));
    r.lowVelocity = numberIn(json, "low_velocity", 0, 0, 127);
    r.highVelocity = numberIn(json, "high_velocity", 127, 0, 127);
    r.fromS = numberIn(json, "from_s", 0, 0, kLongestS);
    r.toS = numberIn(json, "to_s", 0, 0, kLongestS);
    r.lowNote = wholeIn(json, "low_note", -1, -1, kMostNote);
    r.highNote = wholeIn(json, "high_note", kMostNote, 0, kMostNote);
    for (const auto& note : listIn(json, "notes", kMostNotes)) {
        if (!note.is_number_integer() || note < 0 || note > kMostNote)
            throw BadStack("\"notes\" holds what is no note");
        r.notes.push_back(note.get<int>());
    }
    r.every = wholeIn(json, "every", 1, 1, 1000);
    r.first = wholeIn(json, "first", 1, 1, 1000);
    r.neverInRolls = flagIn(json, "never_in_rolls", false);
    r.chancePercent = numberIn(json, "chance_percent", 100, 0, 100);
    r.seed = static_cast<std::uint64_t>(numberIn(json, "seed", 1, 0, 4294967295.0));
    return r;
}

fs::path pathIn(const Json& json, const char* name, const fs::path& folder) {
    const auto text = textIn(json, name);
    if (text.find('\0') != std::string::npos)
        throw BadStack(fmt::format("\"{}\" is no name of a file", name));
    return text.empty() ? fs::path() : (folder / text).lexically_normal();
}

Layer layerFrom(const Json& json, const fs::path& folder) {
    mustBeObject(json, "a layer");
    Layer layer;
    layer.name = textIn(json, "name");
    layer.purpose = static_cast<LayerPurpose>(choiceIn(json, "purpose", kPurposes, 0));
    for (const auto& sound : listIn(json, "sounds", kMostSounds)) {
        mustBeObject(sound, "a sound");
        layer.sounds.push_back({pathIn(sound, "file", folder), numberIn(sound, "low_velocity", 0, 0, 127),
                                numberIn(sound, "high_velocity", 127, 0, 127),
                                numberIn(sound, "gain_db", 0, -kMostSoundGainDb, kMostSoundGainDb)});
        if (layer.sounds.back().file.empty())
            throw BadStack("a sound has no file");
    }
    layer.kit = pathIn(json, "kit", folder);
    layer.note = wholeIn(json, "note", layer.note, 0, 127);
    layer.noteShift = wholeIn(json, "note_shift", 0, -kMostNote, kMostNote);
    layer.chokeGroup = wholeIn(json, "choke_group", 0, 0, kMostChokeGroup);
    layer.chokedBy = wholeIn(json, "choked_by", 0, 0, kMostChokeGroup);
    for (const auto& number : kNumbers)
        layer.*number.value =
            numberIn(json, std::string(number.name), layer.*number.value, number.least, number.most);
    for (const auto& flag : kFlags)
        layer.*flag.value = flagIn(json, flag.name, layer.*flag.value);
    if (const auto rule = json.find("rule"); rule != json.end())
        layer.rule = ruleFrom(*rule);
    return layer;
}

std::string pathText(const fs::path& file, const fs::path& folder) {
    const auto relative = file.lexically_relative(folder);
    const bool isFar = relative.empty() || relative.string().starts_with("../..");
    return isFar ? file.string() : relative.string();
}

Json toJson(const Layer& layer, const fs::path& folder) {
    const Layer plain;
    Json json{{"name", layer.name}, {"purpose", kPurposes[static_cast<std::size_t>(layer.purpose)]}};
    if (layer.kit.empty()) {
        Json sounds = Json::array();
        for (const auto& sound : layer.sounds) {
            sounds.push_back({{"file", pathText(sound.file, folder)}});
            if (sound.lowVelocity != 0 || sound.highVelocity != 127) {
                sounds.back()["low_velocity"] = sound.lowVelocity;
                sounds.back()["high_velocity"] = sound.highVelocity;
            }
            if (sound.gainDb != 0)
                sounds.back()["gain_db"] = sound.gainDb;
        }
        json["sounds"] = std::move(sounds);
        if (layer.chokeGroup != 0)
            json["choke_group"] = layer.chokeGroup;
        if (layer.chokedBy != 0)
            json["choked_by"] = layer.chokedBy;
    } else {
        json["kit"] = pathText(layer.kit, folder);
        json["note"] = layer.note;
        if (layer.noteShift != 0)
            json["note_shift"] = layer.noteShift;
    }
    for (const auto& number : kNumbers)
        if (layer.*number.value != plain.*number.value)
            json[std::string(number.name)] = layer.*number.value;
    for (const auto& flag : kFlags)
        if (layer.*flag.value != plain.*flag.value)
            json[flag.name] = layer.*flag.value;
    if (layer.rule != LayerRule{}) {
        const LayerRule& r = layer.rule;
        json["rule"] = {{"hits", kKinds[static_cast<std::size_t>(r.kind)]},
                        {"low_velocity", r.lowVelocity},
                        {"high_velocity", r.highVelocity},
                        {"from_s", r.fromS},
                        {"to_s", r.toS},
                        {"low_note", r.lowNote},
                        {"high_note", r.highNote},
                        {"every", r.every},
                        {"first", r.first},
                        {"never_in_rolls", r.neverInRolls},
                        {"chance_percent", r.chancePercent},
                        {"seed", r.seed}};
        if (!r.notes.empty())
            json["rule"]["notes"] = r.notes;
    }
    return json;
}

} // namespace

bool isStackFile(const fs::path& file) {
    return file.string().ends_with(kStackEnding);
}

std::span<const LayerNumber> layerNumbers() {
    return kNumbers;
}

bool isLayerValue(std::string_view name) {
    constexpr std::array<std::string_view, 21> kOthers = {"name",
                                                          "choke_group",
                                                          "choked_by",
                                                          "purpose",
                                                          "kit",
                                                          "note",
                                                          "note_shift",
                                                          "rule/hits",
                                                          "rule/low_velocity",
                                                          "rule/high_velocity",
                                                          "rule/from_s",
                                                          "rule/to_s",
                                                          "rule/low_note",
                                                          "rule/high_note",
                                                          "rule/notes",
                                                          "rule/every",
                                                          "rule/first",
                                                          "rule/never_in_rolls",
                                                          "rule/chance_percent",
                                                          "rule/seed",
                                                          "sounds"};
    const auto isIt = [&](const auto& one) { return one.name == name; };
    return std::any_of(kNumbers.begin(), kNumbers.end(), isIt) ||
           std::any_of(kFlags.begin(), kFlags.end(), isIt) ||
           std::find(kOthers.begin(), kOthers.end(), name) != kOthers.end();
}

std::string toJson(const Stack& stack, const fs::path& folder) {
    Json json{{"ember_cask_stack", kVersion}, {"length_s", stack.lengthS}};
    if (!stack.pattern.empty())
        json["pattern"] = stack.pattern;
    json["layers"] = Json::array();
    for (const auto& layer : stack.layers)
        json["layers"].push_back(toJson(layer, folder));
    json["strikes"] = Json::array();
    for (const auto& s : stack.strikes) {
        json["strikes"].push_back({{"time_s", s.timeS}, {"velocity", s.velocity}, {"class", s.hitClass}});
        if (s.note >= 0)
            json["strikes"].back()["note"] = s.note;
    }
    return json.dump(1, ' ', false, Json::error_handler_t::replace) + '\n';
}

Result<Stack> stackFromJson(std::string_view text, const std::string& name, const fs::path& folder) {
    const auto bad = [&](std::string_view what) {
        return Error{ErrorCode::BadFormat, fmt::format("{} is no stack that can be used: {}.", name, what)};
    };
    try {
        const Json json = Json::parse(text);
        mustBeObject(json, "what is in it");
        const int version = wholeIn(json, "ember_cask_stack", 0, 0, 1'000'000);
        if (version == 0)
            return bad("it does not say \"ember_cask_stack\"");
        if (version > kVersion)
            return Error{ErrorCode::NewerVersion,
                         fmt::format("{} was written by a newer version of Ember Cask.", name)};
        Stack stack;
        stack.lengthS = numberIn(json, "length_s", 0, 0, kLongestS);
        stack.pattern = textIn(json, "pattern");
        for (const auto& layer : listIn(json, "layers", kMostLayers))
            stack.layers.push_back(layerFrom(layer, folder));
        for (const auto& strike : listIn(json, "strikes", kMostStrikes)) {
            stack.strikes.push_back(strikeFrom(strike));
            if (stack.strikes.size() > 1 &&
                stack.strikes.back().timeS < stack.strikes[stack.strikes.size() - 2].timeS)
                return bad(
                    fmt::format("its strike {} comes before the one in front of it", stack.strikes.size()));
        }
        return stack;
    } catch (const BadStack& error) {
        return bad(error.what());
    } catch (const Json::exception&) {
        return bad("it is no JSON");
    }
}

Result<Stack> readStack(const fs::path& file) {
    std::ifstream in(file, std::ios::binary | std::ios::ate);
    if (!in)
        return Error{ErrorCode::NotFound, fmt::format("{} can't be opened.", file.string())};
    const auto bytes = static_cast<std::streamoff>(in.tellg());
    if (bytes < 0 || static_cast<std::size_t>(bytes) > kLargestStackBytes)
        return Error{ErrorCode::Unsupported, fmt::format("{} is larger than {} MB, so it is no stack.",
                                                         file.string(), kLargestStackBytes >> 20U)};
    std::string text(static_cast<std::size_t>(bytes), '\0');
    in.seekg(0);
    if (!in.read(text.data(), bytes))
        return Error{ErrorCode::NotReadable, fmt::format("{} can't be read.", file.string())};
    return stackFromJson(text, file.string(), file.parent_path());
}

std::vector<fs::path> filesOf(const Stack& stack) {
    std::vector<fs::path> files;
    std::set<fs::path> seen;
    const auto add = [&](const fs::path& file) {
        if (seen.insert(file).second)
            files.push_back(file);
    };
    for (const auto& layer : stack.layers) {
        for (const auto& sound : layer.sounds)
            add(sound.file);
        if (layer.kit.empty())
            continue;
        add(layer.kit);
        if (const auto kit = readSfzKit(layer.kit))
            for (const auto& region : kit->regions)
                add(layer.kit.parent_path() / region.sample);
    }
    return files;
}

} // namespace cask::layers
