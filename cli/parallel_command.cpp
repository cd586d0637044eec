#include "cli/commands.h"
#include "core/kit_measures/path_sound.h"
#include "core/project/offline_sources.h"
#include "core/session/edits.h"
#include "core/session/parallel_path.h"
#include "core/session/parameter_path.h"

#include <fmt/format.h>

#include <cmath>
#include <memory>
#include <optional>
#include <ostream>

namespace cask::cli {
namespace {

using Json = nlohmann::ordered_json;
using session::Session;

struct ParallelOptions {
    std::string folder, name, of;
    std::optional<double> blendPercent;
    bool removes = false;
    bool asJson = false;
};

/// The session with the path as it is wanted, and what was measured for it.
struct Made {
    Session session;
    session::Id path = session::kNoId;
    std::optional<kit::PathMatch> match;
};

Result<Made> make(Streams& streams, const ParallelOptions& o, const Session& s) {
    Made made{s, session::kNoId, {}};
    if (const auto named = session::findOwner(s, o.name);
        named && s.bus(*named) != nullptr && s.bus(*named)->path) {
        made.path = *named;
        if (!o.of.empty())
            return Error{ErrorCode::BadValue,
                         fmt::format("There is already a path {}. Enter another name.", o.name)};
        if (o.removes) {
            made.session = session::withoutBus(std::move(made.session), made.path);
            return made;
        }
    } else {
        if (o.of.empty())
            return Error{ErrorCode::NotFound,
                         fmt::format("There is no parallel path {}. With --of it is made.", o.name)};
        const auto of = session::findOwner(s, o.of);
        if (!of)
            return Error{ErrorCode::NotFound, fmt::format("There is no element or bus \"{}\".", o.of)};
        const auto path = session::addPath(made.session, o.name, *of);
        if (!path)
            return path.error();
        made.path = *path;
    }
    if (!o.blendPercent)
        return made;
    const auto sources = project::openOfflineSources(made.session, o.folder, streams.cancel,
                                                     progressTo(streams, "Opening files"));
    if (!sources)
        return sources.error();
    const auto match = kit::measurePathMatch(made.session, made.path, sources->lookup(), streams.cancel);
    if (!match)
        return match.error();
    made.match = *match;
    auto equal = session::withEqualGain(std::move(made.session), made.path, match->matchDb, match->likeness);
    if (!equal)
        return equal.error();
    made.session = session::withBus(std::move(*equal), made.path,
                                    [&](session::Bus& bus) { bus.path->blendPercent = *o.blendPercent; });
    return made;
}

int parallel(Streams& streams, const ParallelOptions& o) {
    const auto s = openSession(streams, o.folder);
    if (!s)
        return fail(streams, s.error());
    const auto made = make(streams, o, *s);
    if (!made)
        return fail(streams, made.error());
    const auto saved = editSession(streams, o.folder, [&](const Session& newest) -> Result<Session> {
        if (newest != *s)
            return Error{ErrorCode::ChangedOnDisk,
                         o.folder + " was changed in the meantime; nothing was changed."};
        return made->session;
    });
    if (!saved)
        return fail(streams, saved.error());
    if (o.removes) {
        if (o.asJson)
            printJson(streams.out, {{"path", o.name}, {"removed", true}});
        else
            streams.out << fmt::format("The path {} is removed.\n", o.name);
        return kDone;
    }
    const auto& path = *made->session.bus(made->path);
    const auto of = made->session.nameOf(path.path->of);
    Json sends = Json::array();
    for (const auto& e : made->session.elements)
        for (const auto& send : e->out.sends)
            if (send.bus == made->path)
                sends.push_back({{"element", e->name}, {"level_db", inHundredths(send.levelDb)}});
    if (o.asJson) {
        Json json{{"path", path.name}, {"of", of}, {"bus", made->session.nameOf(path.out.bus)}};
        json["equal_gain"] = path.path->isEqualGain;
        json["blend_percent"] = path.path->blendPercent;
        json["match_db"] = inHundredths(path.path->matchDb);
        json["likeness"] = inHundredths(path.path->likeness);
        json["sends"] = std::move(sends);
        printJson(streams.out, json);
        return kDone;
    }
    streams.out << fmt::format("{} stands beside {} and goes to {}.\n", path.name, of,
                               made->session.nameOf(path.out.bus));
    for (const auto& send : sends)
        streams.out << fmt::format("{:<18} sends {:+.1f} dB\n", send["element"].get<std::string>(),
                                   send["level_db"].get<double>());
    if (sends.empty())
        streams.out << "Nothing is sent to it yet: set NAME/send/" << path.name << "/level_db.\n";
    if (made->match)
        streams.out << fmt::format(
            "Equal gain at a blend of {:.0f} %: the path is matched by {:+.1f} dB, likeness "
            "{:.2f}.\n",
            path.path->blendPercent, path.path->matchDb, path.path->likeness);
    return kDone;
}

} // namespace

void addParallelCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command =
        app.add_subcommand("parallel", "A parallel path beside an element or bus, with its sends");
    const auto o = std::make_shared<ParallelOptions>();
    command->add_option("SESSION", o->folder, "Session folder")->required();
    command->add_option("NAME", o->name, "Name of the path")->required();
    command->add_option("--of", o->of, "Makes the path beside this element or bus");
    command->add_option("--blend", o->blendPercent, "Equal gain, measured, with so many percent of the path")
        ->check(CLI::Range(0.0, 100.0));
    command->add_flag("--remove", o->removes, "Takes the path out with its sends");
    command->add_flag("--json", o->asJson, "JSON on standard output");
    command->callback([&streams, &exitCode, o] { exitCode = parallel(streams, *o); });
}

} // namespace cask::cli
