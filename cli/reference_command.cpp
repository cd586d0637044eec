// References of a session beside its mix: tempo, pattern, drums against the kick.
#include "cli/commands.h"
#include "core/kit_measures/drum_mix.h"
#include "core/project/offline_sources.h"
#include "core/session/edits.h"
#include "core/session/hearing.h"

#include <fmt/format.h>

#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

using Json = nlohmann::ordered_json;

struct ReferenceOptions {
    std::string folder;
    bool asJson = false;
};

/// One reference by itself, as its file is.
session::Session alone(const session::Session& s, session::Id reference) {
    auto only = session::untouched(s, session::Untouched::FilesAsTheyCame);
    const auto master = only.master().id;
    only = session::withElement(std::move(only), reference, [&](session::Element& e) {
        e.role = Role::Unknown;
        e.out.bus = master;
        e.out.isMuted = false;
    });
    return session::withSoloOnly(std::move(only), {reference});
}

Json toJson(const std::string& name, const kit::DrumMix& mix) {
    Json drums = Json::array();
    for (const auto& drum : mix.drums) {
        const auto level = mix.againstKickDb(drum.drum);
        drums.push_back({{"drum", measure::nameOf(drum.drum)},
                         {"hits", drum.hits},
                         {"against_kick_db", level ? Json(*level) : Json()},
                         {"pattern", drum.pattern}});
    }
    Json moments = Json::array();
    for (const auto& stroke : mix.alone)
        moments.push_back({{"drum", measure::nameOf(stroke.drum)}, {"time_s", stroke.timeS}});
    return {{"name", name},
            {"integrated_lufs", mix.lufs},
            {"bpm", mix.tempo.isKnown ? Json(mix.tempo.bpm) : Json()},
            {"drums", std::move(drums)},
            {"alone", std::move(moments)}};
}

void tell(std::ostream& out, const std::string& name, const kit::DrumMix& mix) {
    out << fmt::format("{}: {:.1f} LUFS, {}\n", name, mix.lufs,
                       mix.tempo.isKnown ? fmt::format("{:.1f} bpm", mix.tempo.bpm) : "no steady tempo");
    for (const auto& drum : mix.drums)
        if (const auto level = mix.againstKickDb(drum.drum); level && drum.drum != measure::LoopDrum::Kick)
            out << fmt::format("  {:6} {:+.1f} dB against the kick, {} strokes\n", measure::nameOf(drum.drum),
                               *level, drum.hits);
}

int reference(Streams& streams, const ReferenceOptions& o) {
    const auto s = openSession(streams, o.folder);
    if (!s)
        return fail(streams, s.error());
    const auto sources =
        project::openOfflineSources(*s, o.folder, streams.cancel, progressTo(streams, "Opening files"));
    if (!sources)
        return fail(streams, sources.error());
    for (const auto& problem : sources->problems)
        streams.err << problem << '\n';
    Json all = Json::array();
    const auto describe = [&](const std::string& name, const session::Session& heard) -> Status {
        const auto mix = kit::describeDrumMix(heard, sources->lookup(), 0, 0, streams.cancel);
        if (!mix)
            return mix.error();
        if (o.asJson)
            all.push_back(toJson(name, *mix));
        else
            tell(streams.out, name, *mix);
        return Done{};
    };
    if (const auto status = describe("this mix", *s); !status)
        return fail(streams, status.error());
    for (const auto& e : s->elements)
        if (e->role == Role::Reference)
            if (const auto status = describe(e->name, alone(*s, e->id)); !status)
                return fail(streams, status.error());
    if (o.asJson)
        printJson(streams.out, {{"mixes", std::move(all)}});
    return sources->problems.empty() ? kDone : kBadInput;
}

} // namespace

void addReferenceCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand(
        "reference", "Tempo, pattern and drums against the kick, of the mix and of every reference");
    const auto o = std::make_shared<ReferenceOptions>();
    command->add_option("SESSION", o->folder, "Session folder")->required();
    command->add_flag("--json", o->asJson, "JSON on standard output");
    command->callback([&streams, &exitCode, o] { exitCode = reference(streams, *o); });
}

} // namespace cask::cli
