// A loop cut at its hits and played from its pieces.
#include "cli/commands.h"
#include "core/project/loop_material.h"
#include "core/project/offline_sources.h"
#include "core/session/parameter_path.h"
#include "core/session/quick_moves.h"

#include <fmt/format.h>

#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

using Json = nlohmann::ordered_json;
using session::Session;

struct LoopOptions {
    std::string folder, element, duckBy;
    project::LoopWish wish;
    double duckDb = 6;
    bool staysAsLong = false;
    bool replaces = false;
    bool json = false;
};

Result<session::Id> elementNamed(const Session& s, const std::string& name) {
    const auto id = session::findOwner(s, name);
    if (!id || s.element(*id) == nullptr)
        return Error{ErrorCode::NotFound, fmt::format("There is no element \"{}\".", name)};
    return *id;
}

Result<project::CutLoop> cut(Streams& streams, const LoopOptions& o, const Session& s) {
    const auto hits = findHits(streams, s, o.folder);
    if (!hits)
        return hits.error();
    const auto sources = project::openOfflineSources(s, o.folder, streams.cancel);
    if (!sources)
        return sources.error();
    return project::cutLoop(s, *hits->analysis, sources->lookup(), o.folder, o.wish, streams.cancel,
                            progressTo(streams, "Cutting"));
}

void print(Streams& streams, const LoopOptions& o, const project::CutLoop& loop, const std::string& name) {
    if (!o.json) {
        streams.out << fmt::format("{} is played by {} pieces of {}", name, loop.plan.pieces.size(),
                                   o.element);
        if (loop.plan.made.dropped > 0)
            streams.out << fmt::format("; {} are silent", loop.plan.made.dropped);
        if (loop.plan.made.besides > 0)
            streams.out << fmt::format(
                "; {} stay although a dropped drum is in them, for another drum's sake",
                loop.plan.made.besides);
        if (loop.plan.made.lengthPercent != 100)
            streams.out << fmt::format("; they are {:.1f} % as long", loop.plan.made.lengthPercent);
        streams.out << ".\n";
        return;
    }
    Json pieces = Json::array();
    for (std::size_t i = 0; i < loop.plan.pieces.size(); ++i)
        pieces.push_back({{"drums", loop.plan.pieces[i].drums},
                          {"class", loop.plan.pieces[i].hitClass},
                          {"time_s", loop.plan.hitS[i]},
                          {"frames", loop.plan.pieces[i].to - loop.plan.pieces[i].from},
                          {"note", loop.plan.made.notes[i]}});
    printJson(streams.out, {{"element", name},
                            {"file", (std::filesystem::absolute(o.folder) / loop.written.file.path).string()},
                            {"length_percent", loop.plan.made.lengthPercent},
                            {"silent", loop.plan.made.dropped},
                            {"kept_beside", loop.plan.made.besides},
                            {"pieces", std::move(pieces)}});
}

int loop(Streams& streams, LoopOptions& o) {
    const auto s = openSession(streams, o.folder);
    if (!s)
        return fail(streams, s.error());
    const auto of = elementNamed(*s, o.element);
    if (!of)
        return fail(streams, of.error());
    session::Id duckBy = session::kNoId;
    if (!o.duckBy.empty()) {
        const auto key = session::findOwner(*s, o.duckBy);
        if (!key)
            return fail(streams, {ErrorCode::NotFound, fmt::format("There is no \"{}\".", o.duckBy)});
        duckBy = *key;
    }
    o.wish.element = *of;
    o.wish.fit.isStretched = !o.staysAsLong;
    const auto made = cut(streams, o, *s);
    if (!made)
        return failWriting(streams, made.error());
    std::string name;
    const auto saved = editSession(streams, o.folder, [&](const Session& newest) -> Result<Session> {
        if (newest.element(*of) == nullptr)
            return Error{ErrorCode::ChangedOnDisk, fmt::format("{} is there no more.", o.element)};
        auto with = project::withCutLoop(newest, *made, *of, o.replaces);
        name = with.session.nameOf(with.element);
        return duckBy == session::kNoId
                   ? std::move(with.session)
                   : session::withDuck(std::move(with.session), with.element, duckBy, o.duckDb);
    });
    if (!saved)
        return fail(streams, saved.error());
    print(streams, o, *made, name);
    return kDone;
}

} // namespace

void addLoopCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand("loop", "Cuts a loop at its hits and plays it from its pieces");
    const auto o = std::make_shared<LoopOptions>();
    auto& fit = o->wish.fit;
    command->add_option("SESSION", o->folder, "Session folder")->required();
    command->add_option("ELEMENT", o->element, "The loop")->required();
    command
        ->add_option("--drop", fit.dropped,
                     "Drums that are heard no more: kick, snare, hat, tom, ride, crash")
        ->check(CLI::IsMember({"kick", "snare", "hat", "tom", "ride", "crash"}));
    command
        ->add_option("--beside-kick", fit.besideKickHz,
                     "High-pass where another drum is struck with a kick that is dropped, Hz")
        ->check(CLI::Range(0.0, 20000.0));
    command->add_option("--from", o->wish.fromS, "From this second on")->check(CLI::NonNegativeNumber);
    command->add_option("--to", o->wish.toS, "To this second")->check(CLI::PositiveNumber);
    command->add_option("--tempo", fit.bpm, "Brought to this tempo, quarter notes a minute")
        ->check(CLI::Range(20.0, 400.0));
    command->add_flag("--as-long", o->staysAsLong, "Pieces stay as long as they are when the tempo changes");
    command->add_option("--tighten", fit.tightenPercent, "So far towards the grid, percent")
        ->check(CLI::Range(0.0, 100.0));
    command->add_option("--grid", fit.stepsPerBeat, "Steps of the grid in a beat")->check(CLI::Range(1, 12));
    command
        ->add_option("--shuffle", fit.shufflePercent,
                     "Where every second step lies between its neighbours, percent; 50 is straight")
        ->check(CLI::Range(50.0, 80.0));
    command->add_option("--repeat", fit.repeats, "So many times after each other")->check(CLI::Range(1, 999));
    command->add_option("--low-cut", fit.lowCutHz, "High-pass of all pieces, Hz")
        ->check(CLI::Range(0.0, 20000.0));
    command->add_option("--duck-by", o->duckBy, "Ducked under this element or bus");
    command->add_option("--duck-db", o->duckDb, "By up to so much")->check(CLI::Range(0.0, 40.0));
    command->add_option("--name", o->wish.name, "Name of the new element");
    command->add_flag("--replace", o->replaces, "Mutes the loop");
    command->add_flag("--json", o->json, "JSON on standard output");
    command->callback([&streams, &exitCode, o] { exitCode = loop(streams, *o); });
}

} // namespace cask::cli
