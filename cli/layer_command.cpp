// Layers of played elements: listed, changed, added, removed.
#include "cli/commands.h"
#include "core/layers/stack_file.h"
#include "core/layers/stack_look.h"
#include "core/project/layer_element.h"
#include "core/session/edits.h"
#include "core/session/parameter_path.h"

#include <fmt/format.h>

#include <charconv>
#include <memory>
#include <optional>
#include <ostream>

namespace cask::cli {
namespace {

using Json = nlohmann::ordered_json;
using session::Session;

struct LayerOptions {
    std::string folder, element, what, name, value;
    bool json = false;
};

/// The stack that an element plays.
struct Played {
    session::Id element = session::kNoId;
    session::SourceFile file;
    std::filesystem::path path;
    layers::Stack stack;
};

Result<Played> playedBy(const Session& s, const LayerOptions& o) {
    const auto id = session::findOwner(s, o.element);
    const auto* e = id ? s.element(*id) : nullptr;
    if (e == nullptr)
        return Error{ErrorCode::NotFound, fmt::format("There is no element \"{}\".", o.element)};
    Played played;
    played.element = *id;
    played.file = *s.file(e->channels.front().file);
    played.path = session::resolvePath(played.file, std::filesystem::absolute(o.folder));
    if (!layers::isStackFile(played.path))
        return Error{
            ErrorCode::BadValue,
            fmt::format("{} is recorded: it has no layers. trigger adds an element that has.", o.element)};
    auto stack = layers::readStack(played.path);
    if (!stack)
        return stack.error();
    played.stack = std::move(*stack);
    return played;
}

bool isUnchanged(const Session& newest, const Played& played) {
    const auto* file = newest.file(played.file.id);
    return newest.element(played.element) != nullptr && file != nullptr && file->path == played.file.path;
}
Error changedMeanwhile(const LayerOptions& o) {
    return Error{ErrorCode::ChangedOnDisk, fmt::format("{} was changed in the meantime.", o.element)};
}

/// The layer that is named by its number, from 0.
Result<std::size_t> layerMeant(const LayerOptions& o, std::size_t count) {
    std::size_t index = 0;
    const auto [end, failure] = std::from_chars(o.what.data(), o.what.data() + o.what.size(), index);
    if (failure != std::errc() || end != o.what.data() + o.what.size() || index < 1 || index > count)
        return Error{ErrorCode::NotFound,
                     fmt::format("{} has no layer \"{}\": it has 1 to {}.", o.element, o.what, count)};
    return index - 1;
}

/// A number, true or false, or text.
Json valueOf(const std::string& text) {
    if (text == "true" || text == "on")
        return true;
    if (text == "false" || text == "off")
        return false;
    double number = 0;
    const char* first = text.data() + (text.starts_with('+') ? 1 : 0);
    const auto [end, failure] = std::from_chars(first, text.data() + text.size(), number);
    if (failure == std::errc() && end == text.data() + text.size())
        return number;
    return text;
}

/// The stack with another value, layer, or one less.
Result<layers::Stack> changed(const Played& played, const LayerOptions& o) {
    const auto folder = played.path.parent_path();
    auto json = Json::parse(layers::toJson(played.stack, folder));
    Json& list = json["layers"];
    if (o.what == "add") {
        const auto file = std::filesystem::absolute(o.name);
        Json layer{{"name", file.stem().string()}};
        if (o.name.ends_with(".sfz"))
            layer["kit"] = file.string();
        else
            layer["sounds"] = Json::array({{{"file", file.string()}}});
        list.push_back(std::move(layer));
    } else {
        const auto place = layerMeant(o, list.size());
        if (!place)
            return place.error();
        const std::size_t index = *place + 1;
        if (o.name == "remove") {
            list.erase(index - 1);
        } else {
            if (!layers::isLayerValue(o.name))
                return Error{ErrorCode::NotFound, fmt::format("A layer has no value \"{}\".", o.name)};
            Json* object = &list[index - 1];
            std::string name = o.name;
            if (const auto slash = name.find('/'); slash != std::string::npos) {
                object = &(*object)[name.substr(0, slash)];
                name = name.substr(slash + 1);
            }
            (*object)[name] =
                name == "kit" ? Json(std::filesystem::absolute(o.value).string()) : valueOf(o.value);
        }
    }
    return layers::stackFromJson(json.dump(), o.element, folder);
}

/// Tells where a layer lies best under the others; `keep` also puts it there.
int place(Streams& streams, const LayerOptions& o, const Played& played, double rateHz,
          std::optional<layers::Stack>& kept) {
    const auto index = layerMeant(o, played.stack.layers.size());
    if (!index)
        return fail(streams, index.error());
    const auto best = layers::bestPlaceOf(played.stack, *index, rateHz, streams.cancel);
    if (!best)
        return fail(streams, best.error());
    if (!*best)
        return fail(streams, {ErrorCode::Empty, "The layer or all others are silent: it has no place."});
    const auto& found = **best;
    if (o.json)
        printJson(streams.out, {{"layer", *index + 1},
                                {"shift_ms", std::round(1000 * found.shiftMs) / 1000},
                                {"inverted", found.isInverted},
                                {"strikes", found.strikes},
                                {"attack_db", inHundredths(found.attackDb)},
                                {"low_db", inHundredths(found.lowDb)},
                                {"softer_half_db", inHundredths(found.softDb)},
                                {"louder_half_db", inHundredths(found.loudDb)}});
    else
        streams.out << fmt::format(
            "{:+.2f} ms{}: first 10 ms {:+.1f} dB, below 200 Hz {:+.1f} dB over {} strikes "
            "(softer half {:+.1f}, louder {:+.1f})\n",
            found.shiftMs, found.isInverted ? ", inverted" : "", found.attackDb, found.lowDb, found.strikes,
            found.softDb, found.loudDb);
    if (o.value == "keep") {
        kept = played.stack;
        kept->layers[*index] = layers::placed(kept->layers[*index], found);
    }
    return kDone;
}

int list(Streams& streams, const LayerOptions& o, const Played& played) {
    const auto json = Json::parse(layers::toJson(played.stack, played.path.parent_path()));
    if (o.json) {
        Json told{
            {"element", o.element}, {"file", played.path.string()}, {"strikes", played.stack.strikes.size()}};
        told["layers"] = json["layers"];
        for (std::size_t i = 0; i < played.stack.layers.size(); ++i)
            told["layers"][i]["plays"] =
                layers::strikesOf(played.stack.layers[i].rule, played.stack.strikes).size();
        printJson(streams.out, told);
        return kDone;
    }
    for (std::size_t i = 0; i < played.stack.layers.size(); ++i)
        streams.out << fmt::format(
            "{} {}: {} of {} hits\n  {}\n", i + 1, played.stack.layers[i].name,
            layers::strikesOf(played.stack.layers[i].rule, played.stack.strikes).size(),
            played.stack.strikes.size(), json["layers"][i].dump());
    return kDone;
}

/// Makes a layer an element with a chain of its own.
int ownChain(Streams& streams, const LayerOptions& o, const Session& s, const Played& played) {
    const auto index = layerMeant(o, played.stack.layers.size());
    if (!index)
        return fail(streams, index.error());
    const auto made = project::writeLayerElement(s, std::filesystem::absolute(o.folder), played.element,
                                                 played.stack, *index, streams.cancel);
    if (!made)
        return failWriting(streams, made.error());
    std::string name;
    const auto saved = editSession(streams, o.folder, [&](const Session& newest) -> Result<Session> {
        if (!isUnchanged(newest, played))
            return changedMeanwhile(o);
        auto with = project::withLayerElement(newest, *made);
        name = with.session.nameOf(with.element);
        return std::move(with.session);
    });
    if (!saved)
        return fail(streams, saved.error());
    if (o.json)
        printJson(streams.out, {{"element", name}, {"of", o.element}, {"file", made->alone.file.path}});
    else
        streams.out << fmt::format("{} is an element of its own now.\n", name);
    return kDone;
}

int layer(Streams& streams, const LayerOptions& o) {
    const auto s = openSession(streams, o.folder);
    if (!s)
        return fail(streams, s.error());
    const auto played = playedBy(*s, o);
    if (!played)
        return fail(streams, played.error());
    if (o.what.empty())
        return list(streams, o, *played);
    if (o.name == "own_chain")
        return ownChain(streams, o, *s, *played);
    std::optional<layers::Stack> kept;
    if (o.name == "place")
        if (const int code = place(streams, o, *played, s->sampleRateHz, kept); code != kDone || !kept)
            return code;
    const auto stack = kept ? Result<layers::Stack>(*kept) : changed(*played, o);
    if (!stack)
        return fail(streams, stack.error());
    // Another file: earlier states of the session play what they played.
    const auto written = project::writeStack(*stack, s->sampleRateHz, o.folder, o.element, streams.cancel);
    if (!written)
        return failWriting(streams, written.error());
    for (const auto& note : written->notes)
        streams.err << note << '\n';
    const auto saved = editSession(streams, o.folder, [&](const Session& newest) -> Result<Session> {
        if (!isUnchanged(newest, *played))
            return changedMeanwhile(o);
        return project::withStackFile(newest, played->file.id, written->file);
    });
    if (!saved)
        return fail(streams, saved.error());
    if (kept)
        return kDone; // where it lies now was told
    Played now = *played;
    now.path = std::filesystem::absolute(o.folder) / written->file.path;
    now.stack = *stack;
    return list(streams, o, now);
}

} // namespace

void addLayerCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command =
        app.add_subcommand("layer", "Layers of an element that is played: listed, or one value set");
    const auto o = std::make_shared<LayerOptions>();
    command->add_option("SESSION", o->folder, "Session folder")->required();
    command->add_option("ELEMENT", o->element, "An element that is played (see trigger, pattern)")
        ->required();
    command->add_option("LAYER", o->what, "Its number, or add");
    command->add_option(
        "NAME", o->name,
        "gain_db, rule/every ..., place, own_chain or remove; behind add a sound file or kit");
    command->add_option("VALUE", o->value, "Number, on, off or text; behind place: keep");
    command->add_flag("--json", o->json, "JSON on standard output");
    command->callback([&streams, &exitCode, o] { exitCode = layer(streams, *o); });
}

} // namespace cask::cli
