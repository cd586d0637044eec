#include "cli/commands.h"
#include "core/advise/house_style_files.h"
#include "core/kit_measures/rough_balance.h"
#include "core/project/offline_sources.h"
#include "core/session/parameter_path.h"

#include <fmt/format.h>

#include <cmath>
#include <map>
#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

using Json = nlohmann::ordered_json;
using kit::KitView;

struct BalanceOptions {
    std::string folder, style;
    std::string view = "recorded";
    std::vector<std::string> refused;
    bool applies = false;
    bool asJson = false;
};

const std::map<std::string, KitView> kViews = {
    {"recorded", KitView::AsRecorded}, {"audience", KitView::Audience}, {"drummer", KitView::Drummer}};

const char* viewId(KitView view) {
    return view == KitView::Audience ? "audience" : view == KitView::Drummer ? "drummer" : "unknown";
}

Json toJson(const kit::RoughBalance& balance, const session::Session& s, const advise::HouseStyle& style,
            bool isApplied) {
    Json steps = Json::array();
    Json pans = Json::array();
    for (const auto& step : balance.steps) {
        const bool isLevel = step.what == kit::BalanceStep::What::Level;
        (isLevel ? steps : pans)
            .push_back({{"element", s.nameOf(step.element)},
                        {"parameter", isLevel ? "level_db" : "pan"},
                        {"before", inHundredths(step.before)},
                        {"after", inHundredths(step.after)},
                        {"reason", step.reason}});
    }
    Json drums = Json::array();
    for (const auto& drum : balance.drums)
        drums.push_back({{"drum", drum.name},
                         {"element", s.nameOf(drum.element)},
                         {"strokes", drum.strokes},
                         {"target_lufs", inHundredths(drum.targetLufs)},
                         {"before_lufs", inHundredths(drum.beforeLufs)},
                         {"after_lufs", inHundredths(drum.afterLufs)},
                         {"led_by_own", drum.isLed}});
    Json rungs = Json::array();
    constexpr std::array<const char*, kRungs> kIds = {"kick", "kit", "kit_and_bass", "master"};
    for (std::size_t r = 0; r < kIds.size(); ++r)
        rungs.push_back({{"heard", kIds[r]},
                         {"target_true_peak_db", headroomTargetDb(style, static_cast<Rung>(r))},
                         {"before", inHundredths(balance.before.truePeakDb[r])},
                         {"after", inHundredths(balance.after.truePeakDb[r])}});
    return {{"house_style", style.id},      {"target_true_peak_db", headroomTargetDb(style, Rung::Kit)},
            {"applied", isApplied},         {"recorded_view", viewId(balance.heard)},
            {"turned", balance.turns},      {"steps", std::move(steps)},
            {"pans", std::move(pans)},      {"drums", std::move(drums)},
            {"headroom", std::move(rungs)}, {"notes", balance.notes}};
}

std::string panText(double pan) {
    const auto percent = std::lround(100 * std::abs(pan));
    return percent == 0 ? "centre" : fmt::format("{} {}", pan < 0 ? "L" : "R", percent);
}

void print(std::ostream& out, const kit::RoughBalance& balance, const session::Session& s,
           const std::set<std::size_t>& refused) {
    if (balance.turns)
        out << "The kit is turned round: left and right change places.\n";
    for (std::size_t k = 0; k < balance.steps.size(); ++k) {
        const auto& step = balance.steps[k];
        const bool isLevel = step.what == kit::BalanceStep::What::Level;
        out << fmt::format("{}{:<18} {} to {}. {}\n", refused.contains(k) ? "refused: " : "",
                           s.nameOf(step.element),
                           isLevel ? fmt::format("{:.1f} dB", step.before) : panText(step.before),
                           isLevel ? fmt::format("{:.1f} dB", step.after) : panText(step.after), step.reason);
    }
    for (int r = 0; r < kRungs; ++r) {
        const auto at = static_cast<std::size_t>(r);
        if (balance.after.truePeakDb[at] > kSilenceDb)
            out << fmt::format("With {} heard: {:.1f} to {:.1f} dBTP\n", kRungNames[at],
                               balance.before.truePeakDb[at], balance.after.truePeakDb[at]);
    }
    for (const auto& note : balance.notes)
        out << note << '\n';
}

int balance(Streams& streams, const BalanceOptions& o) {
    const auto s = openSession(streams, o.folder);
    if (!s)
        return fail(streams, s.error());
    const auto styles = advise::loadHouseStyles();
    if (!o.style.empty() && !styles.has(o.style))
        return fail(streams, {ErrorCode::NotFound, fmt::format("There is no house style \"{}\".", o.style)});
    const auto& style = styles.find(o.style.empty() ? s->houseStyle : o.style);
    for (const auto& name : o.refused)
        if (!session::findOwner(*s, name))
            return fail(streams, {ErrorCode::NotFound, fmt::format("There is no element \"{}\".", name)});
    const auto found = findHits(streams, *s, o.folder);
    if (!found)
        return fail(streams, found.error());
    const auto sources =
        project::openOfflineSources(*s, o.folder, streams.cancel, progressTo(streams, "Opening files"));
    if (!sources)
        return fail(streams, sources.error());
    const auto made = kit::roughBalance(*s, *found->analysis, sources->lookup(), style, kViews.at(o.view),
                                        streams.cancel, progressTo(streams, "Listening"));
    if (!made)
        return fail(streams, made.error());
    std::set<std::size_t> refused;
    for (std::size_t k = 0; k < made->steps.size(); ++k)
        if (std::find(o.refused.begin(), o.refused.end(), s->nameOf(made->steps[k].element)) !=
            o.refused.end())
            refused.insert(k);
    if (o.applies) {
        const auto saved =
            editSession(streams, o.folder, [&](const session::Session& newest) -> Result<session::Session> {
                if (newest != *s)
                    return Error{ErrorCode::ChangedOnDisk, o.folder + " was changed while it was measured; "
                                                                      "nothing was changed."};
                return kit::withBalance(newest, *made, refused);
            });
        if (!saved)
            return fail(streams, saved.error());
    }
    if (o.asJson)
        printJson(streams.out, toJson(*made, *s, style, o.applies));
    else
        print(streams.out, *made, *s, refused);
    return found->hasProblems ? kBadInput : kDone;
}

} // namespace

void addBalanceCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand(
        "balance", "A starting balance from the measured hits: every level and pan with its reason");
    const auto o = std::make_shared<BalanceOptions>();
    command->add_option("SESSION", o->folder, "Session folder")->required();
    command->add_flag("--apply", o->applies, "Takes the steps and saves the session");
    command->add_option("--refuse", o->refused, "Elements whose steps are not taken");
    command->add_option("--view", o->view, "From where the kit is heard: recorded, audience or drummer")
        ->check(CLI::IsMember({"recorded", "audience", "drummer"}));
    command->add_option("--style", o->style, "House style to go by, instead of the session's");
    command->add_flag("--json", o->asJson, "JSON on standard output");
    command->callback([&streams, &exitCode, o] { exitCode = balance(streams, *o); });
}

} // namespace cask::cli
