#include "cli/commands.h"
#include "core/advise/advise.h"
#include "core/advise/house_style_files.h"

#include <fmt/format.h>

#include <cmath>
#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

using Json = nlohmann::ordered_json;
using advise::Finding;

struct AdviseOptions {
    std::string folder;
    std::string stage;
    std::string style;
    bool asJson = false;
    bool all = false;
};

Json findingToJson(const Finding& f, const session::Session& s) {
    Json json{{"id", f.id},
              {"stage", stageId(f.stage)},
              {"element", s.nameOf(f.element)},
              {"severity", advise::severityId(f.severity)},
              {"head", f.head},
              {"sentence", f.sentence},
              {"numbers", Json::object()},
              {"hits", Json::array()}};
    for (const auto& number : f.numbers)
        json["numbers"][number.name] = {{"value", number.value}, {"unit", number.unit}};
    for (const auto& hit : f.hits)
        json["hits"].push_back({{"element", s.nameOf(hit.element)}, {"time_s", hit.timeS}});
    json["school"] = f.school;
    json["proposal"] = nullptr;
    if (f.proposal) {
        Json changes = Json::array();
        for (const auto& change : advise::changesBetween(s, f.proposal->apply(s)))
            changes.push_back({{"path", change.path}, {"before", change.before}, {"after", change.after}});
        json["proposal"] = {{"words", f.proposal->words}, {"changes", std::move(changes)}};
    }
    json["weight"] = std::round(100 * f.weight) / 100;
    json["folded"] = f.isFolded;
    json["dismissed"] = f.dismissal ? Json(*f.dismissal) : Json(nullptr);
    return json;
}

void printInWords(std::ostream& out, const Finding& f, const session::Session& s) {
    const char* mark = f.dismissal                              ? "x"
                       : f.severity == advise::Severity::Fault  ? "!"
                       : f.severity == advise::Severity::Advice ? "-"
                                                                : " ";
    out << fmt::format("{} {:<8} {:<18} {}\n", mark, stageId(f.stage), f.id, f.sentence);
    if (f.dismissal)
        out << fmt::format("{:30}dismissed: {}\n", "", *f.dismissal);
    else if (f.proposal)
        for (const auto& change : advise::changesBetween(s, f.proposal->apply(s)))
            out << fmt::format("{:30}{}\n", "", advise::inWords(change));
}

int advise(Streams& streams, const AdviseOptions& o) {
    if (!o.stage.empty() && !stageFromId(o.stage)) {
        streams.err << fmt::format("\"{}\" is not a stage. Enter one of {}.\n", o.stage,
                                   fmt::join(kStageNames, ", "));
        return kWrongUse;
    }
    const auto advice =
        findAdvice(streams, o.folder, o.style,
                   o.stage == "intake" || o.stage == "hits" ? kit::KitDepth::Files : kit::KitDepth::All);
    if (!advice)
        return fail(streams, advice.error());
    const auto& s = advice->session;
    Json list = Json::array();
    int told = 0;
    int folded = 0;
    for (const auto& f : advice->findings) {
        if ((!o.stage.empty() && stageId(f.stage) != o.stage) || (f.dismissal && !o.all && !o.asJson))
            continue;
        if (f.isFolded && !o.all && !o.asJson) {
            ++folded;
            continue;
        }
        ++told;
        if (o.asJson)
            list.push_back(findingToJson(f, s));
        else
            printInWords(streams.out, f, s);
    }
    if (o.asJson)
        printJson(streams.out, {{"house_style", advice->style}, {"findings", std::move(list)}});
    else if (told == 0)
        streams.out << "Nothing wants attention.\n";
    if (folded > 0)
        streams.out << fmt::format("{} small {} folded; --all shows them.\n", folded,
                                   folded == 1 ? "finding is" : "findings are");
    return advice->hasProblems ? kBadInput : kDone;
}

} // namespace

Result<Advice> findAdvice(Streams& streams, const std::string& folder, const std::string& style,
                          kit::KitDepth depth) {
    auto opened = openSession(streams, folder);
    if (!opened)
        return opened.error();
    const auto& s = *opened;
    const auto styles = advise::loadHouseStyles();
    for (const auto& problem : styles.problems)
        streams.err << problem << '\n';
    const std::string& wanted = style.empty() ? s.houseStyle : style;
    if (!wanted.empty() && !styles.has(wanted)) {
        if (!style.empty())
            return Error{ErrorCode::NotFound, fmt::format("There is no house style \"{}\".", wanted)};
        streams.err << fmt::format("The session's house style \"{}\" is not here; {} is used.\n", wanted,
                                   advise::standardStyle().name);
    }
    auto measures = project::measureSession(s, folder, styles.find(wanted), depth, streams.cancel,
                                            progressTo(streams, "Measuring"));
    if (!measures)
        return measures.error();
    Advice advice;
    const auto& used = styles.find(wanted);
    advice.style = used.id;
    advice.findings = advise::advise(s, *measures, used);
    for (const auto& [id, file] : measures->files)
        if (!file.problem.empty()) {
            advice.hasProblems = true;
            streams.err << file.problem << '\n';
        }
    advice.measures = std::move(*measures);
    advice.session = std::move(*opened);
    return advice;
}

void addAdviseCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command =
        app.add_subcommand("advise", "What the measures say, and what could be done; changes nothing");
    const auto o = std::make_shared<AdviseOptions>();
    command->add_option("SESSION", o->folder, "Session folder")->required();
    command->add_option("--stage", o->stage, "Only this stage: intake, hits ...");
    command->add_option("--style", o->style, "House style to go by, instead of the session's");
    command->add_flag("--all", o->all, "Also dismissed ones");
    command->add_flag("--json", o->asJson, "JSON on standard output");
    command->callback([&streams, &exitCode, o] { exitCode = advise(streams, *o); });
}

} // namespace cask::cli
