#include "cli/commands.h"
#include "core/advise/house_style_files.h"
#include "core/kit_measures/drive.h"
#include "core/kit_measures/push.h"
#include "core/project/offline_sources.h"
#include "core/session/kinds.h"
#include "core/session/parameter_path.h"

#include <fmt/format.h>

#include <cmath>
#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

using Json = nlohmann::ordered_json;
using session::Session;

struct DriveOptions {
    std::string folder, into;
    bool asJson = false;
};

const char* causeId(measure::CombCause cause) {
    constexpr std::array<const char*, 4> kIds = {"none", "delay", "polarity", "phase"};
    return kIds[static_cast<std::size_t>(cause)];
}

const char* breakId(measure::PushBreak why) {
    constexpr std::array<const char*, 4> kIds = {"none", "bent", "crest", "clarity"};
    return kIds[static_cast<std::size_t>(why)];
}

Json maybeHundredths(const std::optional<double>& value) {
    return value ? Json(inHundredths(*value)) : Json(nullptr);
}

Json toJson(const measure::DriveChange& change) {
    Json harmonics = Json::array();
    for (const auto& h : change.harmonics)
        harmonics.push_back({{"order", h.order},
                             {"before_db", inHundredths(h.beforeDb)},
                             {"after_db", inHundredths(h.afterDb)}});
    Json thirds = Json::array();
    for (const auto& third : change.thirds)
        thirds.push_back({{"hz", std::round(third.hz)}, {"change_db", inHundredths(third.db)}});
    return {{"match_db", inHundredths(change.shapes.matchDb)},
            {"new_db", inHundredths(change.newDb)},
            {"density_before_db", inHundredths(change.before.densityDb())},
            {"density_after_db", inHundredths(change.after.densityDb())},
            {"crest_before_db", inHundredths(change.shapes.crestBeforeDb)},
            {"crest_after_db", inHundredths(change.shapes.crestAfterDb)},
            {"range_before_db", inHundredths(change.before.rangeDb)},
            {"range_after_db", inHundredths(change.after.rangeDb)},
            {"kept_attack_db", inHundredths(change.shapes.keptAttackDb)},
            {"sustain_db", inHundredths(change.shapes.sustainDb)},
            {"cymbals_db", maybeHundredths(change.cymbalsDb)},
            {"between_db", maybeHundredths(change.betweenDb)},
            {"harmonics_before_db", inHundredths(change.harmonicsBeforeDb())},
            {"harmonics_after_db", inHundredths(change.harmonicsAfterDb())},
            {"harmonics", std::move(harmonics)},
            {"thirds", std::move(thirds)}};
}

Json toJson(const advise::PathMeasure& path, const Session& s) {
    Json dips = Json::array();
    for (const auto& dip : path.comb.dips)
        dips.push_back({{"hz", inHundredths(dip.hz)},
                        {"depth_db", inHundredths(dip.depthDb)},
                        {"cause", causeId(dip.cause)}});
    Json blends = Json::array();
    for (const auto& point : path.blends)
        blends.push_back({{"percent", point.percent},
                          {"denser_db", inHundredths(point.denserDb)},
                          {"cymbals_db", inHundredths(point.cymbalsDb)},
                          {"peak_db", inHundredths(point.peakDb)}});
    Json shares = Json::array();
    for (const auto& share : path.shares)
        shares.push_back({{"element", s.nameOf(share.element)},
                          {"level_db", inHundredths(share.sendDb)},
                          {"percent", inHundredths(share.percent)},
                          {"sustain_db", maybeHundredths(share.sustainDb)},
                          {"wanted_db", maybeHundredths(share.wantedDb)}});
    return {{"path", s.nameOf(path.path)},
            {"of", s.nameOf(path.of)},
            {"match_db", inHundredths(path.matchDb)},
            {"likeness", inHundredths(path.likeness)},
            {"louder_db", inHundredths(path.blendErrorDb)},
            {"headroom_db", inHundredths(path.headroomDb)},
            {"comb",
             {{"delay_ms", std::round(1000 * path.comb.delayMs) / 1000},
              {"inverted", path.comb.isInverted},
              {"coherence", inHundredths(path.comb.likeness)},
              {"dips", std::move(dips)}}},
            {"knee_percent", path.kneePercent},
            {"low_pass", path.lowPass ? Json{{"hz", path.lowPass->hz},
                                             {"denser_db", inHundredths(path.lowPass->denserDb)},
                                             {"cymbals_db", inHundredths(path.lowPass->cymbalsDb)}}
                                      : Json(nullptr)},
            {"blends", std::move(blends)},
            {"shares", std::move(shares)},
            {"change", toJson(path.change)}};
}

void print(std::ostream& out, const advise::DriveMeasure& drive, const Session& s) {
    const auto& c = drive.change;
    const auto words =
        std::visit([](const auto& x) { return session::KindOf<std::remove_cvref_t<decltype(x)>>::words; },
                   drive.settings);
    out << fmt::format(
        "{}, {}: {:+.1f} dB denser at equal loudness ({:+.1f} dB), first 10 ms {:+.1f} dB, 120 to 400 "
        "ms {:+.1f} dB",
        s.nameOf(drive.owner), words, c.denserDb(), c.shapes.matchDb, c.shapes.keptAttackDb,
        c.shapes.sustainDb);
    if (c.cymbalsDb)
        out << fmt::format(", highs between hits {:+.1f} dB", *c.cymbalsDb);
    if (!c.harmonics.empty())
        out << fmt::format(", harmonics of {:.0f} Hz from {:.0f} to {:.0f} dB", drive.noteHz,
                           c.harmonicsBeforeDb(), c.harmonicsAfterDb());
    if (drive.aliasDb > kSilenceDb)
        out << fmt::format(", aliases {:.0f} dB", drive.aliasDb);
    if (drive.betweenDrumsDb > kSilenceDb)
        out << fmt::format(", new between its drums {:.0f} dB", drive.betweenDrumsDb);
    out << '\n';
}

void print(std::ostream& out, const advise::PathMeasure& path, const Session& s) {
    out << fmt::format(
        "Path {} beside {}: {:+.1f} dB denser, {:+.1f} dB louder, {:+.1f} dB of peak, cymbals {:+.1f} "
        "dB, likeness {:.2f}\n",
        s.nameOf(path.path), s.nameOf(path.of), path.change.denserDb(), path.blendErrorDb, path.headroomDb,
        path.change.cymbalsDb.value_or(0), path.likeness);
    for (const auto& dip : path.comb.dips)
        out << fmt::format("  takes {:.1f} dB away at {:.0f} Hz ({})\n", dip.depthDb, dip.hz,
                           causeId(dip.cause));
    for (const auto& share : path.shares)
        out << fmt::format("  {:<18} {:.0f} % of it, sent at {:+.1f} dB{}\n", s.nameOf(share.element),
                           share.percent, share.sendDb,
                           share.wantedDb ? fmt::format("; by its tail of {:.0f} dB it would be {:+.1f} dB",
                                                        *share.sustainDb, *share.wantedDb)
                                          : std::string());
}

int drive(Streams& streams, const DriveOptions& o, bool isPush) {
    const auto s = openSession(streams, o.folder);
    if (!s)
        return fail(streams, s.error());
    const auto style = advise::loadHouseStyles().find(s->houseStyle);
    const auto found = findHits(streams, *s, o.folder);
    if (!found)
        return fail(streams, found.error());
    const auto sources =
        project::openOfflineSources(*s, o.folder, streams.cancel, progressTo(streams, "Opening files"));
    if (!sources)
        return fail(streams, sources.error());
    const auto& hits = *found->analysis;
    if (!isPush) {
        auto modules = kit::measureDrives(*s, hits, sources->lookup(), style, streams.cancel);
        if (!modules)
            return fail(streams, modules.error());
        auto paths = kit::measurePaths(*s, hits, sources->lookup(), style, streams.cancel);
        if (!paths)
            return fail(streams, paths.error());
        if (o.asJson) {
            Json list = Json::array();
            for (const auto& m : *modules) {
                Json one{{"owner", s->nameOf(m.owner)}, {"note_hz", inHundredths(m.noteHz)}};
                one["module"] = std::visit(
                    [](const auto& x) { return session::KindOf<std::remove_cvref_t<decltype(x)>>::id; },
                    m.settings);
                one["alias_db"] = m.aliasDb > kSilenceDb ? Json(inHundredths(m.aliasDb)) : Json(nullptr);
                one["between_drums_db"] =
                    m.betweenDrumsDb > kSilenceDb ? Json(inHundredths(m.betweenDrumsDb)) : Json(nullptr);
                one["change"] = toJson(m.change);
                list.push_back(std::move(one));
            }
            Json beside = Json::array();
            for (const auto& path : *paths)
                beside.push_back(toJson(path, *s));
            printJson(streams.out, {{"modules", std::move(list)}, {"paths", std::move(beside)}});
        } else {
            for (const auto& m : *modules)
                print(streams.out, m, *s);
            for (const auto& path : *paths)
                print(streams.out, path, *s);
            if (modules->empty() && paths->empty())
                streams.out << "Nothing is driven and there is no parallel path.\n";
        }
        return found->hasProblems ? kBadInput : kDone;
    }
    const auto node = o.into.empty() ? std::optional(s->master().id) : session::findOwner(*s, o.into);
    if (!node)
        return fail(streams,
                    {ErrorCode::NotFound, fmt::format("There is no element or bus \"{}\".", o.into)});
    const auto push =
        kit::pushKit(*s, *node, hits, sources->lookup(), advise::pushLimits(style), streams.cancel);
    if (!push)
        return fail(streams, push.error());
    Json drums = Json::array();
    for (const auto& drum : push->drums) {
        const auto name = hits.nameOf(drum.drum, *s);
        const bool breaks = drum.why != measure::PushBreak::None;
        Json steps = Json::array();
        for (std::size_t i = 0; i < drum.bentDb.size(); ++i)
            steps.push_back({{"drive_db", measure::kPushDrivesDb[i]},
                             {"bent_db", inHundredths(drum.bentDb[i])},
                             {"crest_loss_db", inHundredths(drum.crestLossDb[i])},
                             {"clarity_loss_db", inHundredths(drum.clarityLossDb[i])}});
        drums.push_back({{"drum", name},
                         {"hits", drum.hits},
                         {"breaks_at_db", breaks ? Json(inHundredths(drum.breaksAtDb)) : Json(nullptr)},
                         {"why", breakId(drum.why)},
                         {"steps", std::move(steps)}});
        if (!o.asJson)
            streams.out << (breaks ? fmt::format("{:<18} breaks at {:+.1f} dB ({})\n", name, drum.breaksAtDb,
                                                 breakId(drum.why))
                                   : fmt::format("{:<18} holds up to {:+.0f} dB\n", name,
                                                 measure::kPushDrivesDb.back()));
    }
    if (o.asJson)
        printJson(streams.out, {{"into", s->nameOf(*node)},
                                {"lower_first_db", inHundredths(push->lowerFirstDb)},
                                {"drums", std::move(drums)}});
    else if (push->lowerFirstDb > 0)
        streams.out << fmt::format("The first lowered by {:.1f} dB would break together with the second.\n",
                                   push->lowerFirstDb);
    return found->hasProblems ? kBadInput : kDone;
}

} // namespace

void addDriveCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand(
        "drive", "What saturation, clippers, crush and parallel paths do, at equal loudness");
    const auto o = std::make_shared<DriveOptions>();
    command->add_option("SESSION", o->folder, "Session folder")->required();
    command->add_flag("--json", o->asJson, "JSON on standard output");
    command->callback([&streams, &exitCode, o] { exitCode = drive(streams, *o, false); });
}

void addPushCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand(
        "push", "Drives the kit into a bus from -12 to +18 dB: which drum breaks first, and where");
    const auto o = std::make_shared<DriveOptions>();
    command->add_option("SESSION", o->folder, "Session folder")->required();
    command->add_option("--into", o->into,
                        "The bus (or element) whose chain is driven (default: the master)");
    command->add_flag("--json", o->asJson, "JSON on standard output");
    command->callback([&streams, &exitCode, o] { exitCode = drive(streams, *o, true); });
}

} // namespace cask::cli
