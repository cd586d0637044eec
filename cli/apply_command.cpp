#include "cli/commands.h"

#include <fmt/format.h>

#include <algorithm>
#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

struct ApplyOptions {
    std::string folder;
    std::vector<std::string> ids;
    std::string style;
    bool asJson = false;
};

/// All proposals or none: nothing is saved when one of the ids is wrong.
int apply(Streams& streams, const ApplyOptions& o) {
    const auto advice = findAdvice(streams, o.folder, o.style);
    if (!advice)
        return fail(streams, advice.error());
    std::vector<const advise::Proposal*> proposals;
    for (const auto& id : o.ids) {
        const auto it = std::find_if(advice->findings.begin(), advice->findings.end(),
                                     [&](const auto& f) { return f.id == id; });
        if (it == advice->findings.end())
            return fail(streams, {ErrorCode::NotFound,
                                  fmt::format("There is no finding \"{}\"; nothing was changed.", id)});
        if (!it->proposal)
            return fail(streams, {ErrorCode::BadValue,
                                  fmt::format("Finding \"{}\" proposes nothing; nothing was changed.", id)});
        proposals.push_back(&*it->proposal);
    }
    // Measuring took its time: what is saved is the newest state with the proposals in it.
    session::Session before;
    session::Session next;
    const auto saved =
        editSession(streams, o.folder, [&](const session::Session& newest) -> Result<session::Session> {
            before = next = newest;
            for (const auto* proposal : proposals)
                next = proposal->apply(std::move(next));
            if (next == before && newest != advice->session)
                return Error{ErrorCode::ChangedOnDisk,
                             o.folder +
                                 " was changed while it was measured, and what is proposed no longer fits; "
                                 "nothing was changed."};
            return next;
        });
    if (!saved)
        return fail(streams, saved.error());
    nlohmann::ordered_json list = nlohmann::ordered_json::array();
    for (const auto& change : advise::changesBetween(before, next)) {
        if (o.asJson)
            list.push_back({{"path", change.path}, {"before", change.before}, {"after", change.after}});
        else
            streams.out << advise::inWords(change) << '\n';
    }
    if (o.asJson)
        printJson(streams.out, {{"changes", std::move(list)}});
    return kDone;
}

} // namespace

void addApplyCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command =
        app.add_subcommand("apply", "Takes what findings propose, by their ids, and saves the session");
    const auto o = std::make_shared<ApplyOptions>();
    command->add_option("SESSION", o->folder, "Session folder")->required();
    command->add_option("ID", o->ids, "Ids as `advise` prints them")->required();
    command->add_option("--style", o->style, "House style to go by, instead of the session's");
    command->add_flag("--json", o->asJson, "JSON on standard output");
    command->callback([&streams, &exitCode, o] { exitCode = apply(streams, *o); });
}

} // namespace cask::cli
