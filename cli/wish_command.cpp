#include "cli/commands.h"
#include "core/advise/advise.h"
#include "core/advise/house_style_files.h"
#include "core/kit_measures/wishes.h"
#include "core/project/offline_sources.h"
#include "core/session/parameter_path.h"

#include <fmt/format.h>

#include <cmath>
#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

using Json = nlohmann::ordered_json;

struct WishOptions {
    std::string folder, element, wish, key, style, take;
    bool asJson = false;
};

double rounded(double value) {
    return std::round(100 * value) / 100;
}

Json wayToJson(const measure::WishAnswer& answer, const std::string& sentence, const session::Session& before,
               const session::Session& after) {
    const auto& m = answer.measured;
    Json changes = Json::array();
    for (const auto& change : advise::changesBetween(before, after))
        changes.push_back({{"path", change.path}, {"before", change.before}, {"after", change.after}});
    return {{"way", answer.way.id},
            {"words", kit::wayInWords(answer.way)},
            {"reached", m.isReached},
            {"reached_db", rounded(m.reachedDb)},
            {"kept_attack_db", rounded(m.keptAttackDb)},
            {"recovered_percent", rounded(m.recoveredPercent)},
            {"ghosts_db", rounded(m.ghostsDb)},
            {"spill_db", rounded(m.spillDb)},
            {"match_db", rounded(m.matchDb)},
            {"tops_held_before_ms", rounded(answer.heldMs)},
            {"sentence", sentence},
            {"changes", std::move(changes)}};
}

/// The element or bus of this name; an error that says so.
Result<session::Id> named(const session::Session& s, const std::string& name) {
    if (const auto id = session::findOwner(s, name))
        return *id;
    return Error{ErrorCode::NotFound, fmt::format("There is no element or bus \"{}\".", name)};
}

Result<kit::WishAsked> askedFor(const session::Session& s, const WishOptions& o) {
    kit::WishAsked asked;
    const auto wish = measure::wishNamed(o.wish);
    if (!wish)
        return Error{ErrorCode::BadValue, fmt::format("\"{}\" is not a wish. Enter one of {}.", o.wish,
                                                      fmt::join(measure::kWishIds, ", "))};
    asked.wish = *wish;
    const auto owner = named(s, o.element);
    if (!owner)
        return owner.error();
    asked.owner = *owner;
    if (*wish == measure::Wish::Duck && o.key.empty())
        return Error{ErrorCode::BadValue, "Duck under whom? --key names an element or bus."};
    if (*wish != measure::Wish::Duck && !o.key.empty())
        return Error{ErrorCode::BadValue, "Only duck listens to another element: --key goes with it alone."};
    if (!o.key.empty()) {
        const auto key = named(s, o.key);
        if (!key)
            return key.error();
        if (*key == asked.owner)
            return Error{ErrorCode::BadValue, "Nothing ducks under itself."};
        asked.key = *key;
    }
    return asked;
}

int wish(Streams& streams, const WishOptions& o) {
    const auto s = openSession(streams, o.folder);
    if (!s)
        return fail(streams, s.error());
    const auto asked = askedFor(*s, o);
    if (!asked)
        return fail(streams, asked.error());
    const auto styles = advise::loadHouseStyles();
    const std::string& styleId = o.style.empty() ? s->houseStyle : o.style;
    if (!o.style.empty() && !styles.has(o.style))
        return fail(streams, {ErrorCode::NotFound, fmt::format("There is no house style \"{}\".", o.style)});
    const auto& style = styles.find(styleId);
    const auto found = findHits(streams, *s, o.folder);
    if (!found)
        return fail(streams, found.error());
    const auto sources =
        project::openOfflineSources(*s, o.folder, streams.cancel, progressTo(streams, "Opening"));
    if (!sources)
        return fail(streams, sources.error());
    const auto answers =
        kit::findWays(*s, *asked, *found->analysis, sources->lookup(), style, streams.cancel);
    if (!answers)
        return fail(streams, answers.error());
    if (answers->empty())
        return fail(streams, {ErrorCode::NotFound,
                              fmt::format("{} has no hits on which that could be judged.", o.element)});
    Json list = Json::array();
    const measure::WishAnswer* taken = nullptr;
    for (const auto& answer : *answers) {
        const auto& m = answer.measured;
        const std::string spillName =
            m.spillDrum >= 0 ? found->analysis->nameOf(m.spillDrum, *s) : std::string();
        const auto sentence = kit::answerInWords(asked->wish, answer, style, spillName);
        if (answer.way.id == o.take)
            taken = &answer;
        if (o.asJson)
            list.push_back(wayToJson(answer, sentence, *s, kit::withWay(*s, *asked, answer)));
        else
            streams.out << fmt::format("{} {:<8} {}\n", m.isReached ? "+" : "-", answer.way.id, sentence);
    }
    if (o.asJson)
        printJson(streams.out, {{"wish", o.wish},
                                {"element", s->nameOf(asked->owner)},
                                {"key", s->nameOf(asked->key)},
                                {"goal_db", answers->front().measured.goalDb},
                                {"house_style", style.id},
                                {"ways", std::move(list)}});
    if (o.take.empty())
        return found->hasProblems ? kBadInput : kDone;
    if (taken == nullptr)
        return fail(streams, {ErrorCode::NotFound,
                              fmt::format("There is no way \"{}\"; nothing was changed.", o.take)});
    const auto saved =
        editSession(streams, o.folder, [&](const session::Session& newest) -> Result<session::Session> {
            if (newest != *s)
                return Error{ErrorCode::ChangedOnDisk, o.folder + " was changed while it was measured; "
                                                                  "nothing was changed."};
            return kit::withWay(newest, *asked, *taken);
        });
    return saved ? kDone : fail(streams, saved.error());
}

} // namespace

void addWishCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand(
        "wish", "Ways to what you want of an element or bus, with what each comes to and costs");
    const auto o = std::make_shared<WishOptions>();
    command->add_option("SESSION", o->folder, "Session folder")->required();
    command->add_option("NAME", o->element, "Element or bus")->required();
    command->add_option("WISH", o->wish, fmt::format("One of {}", fmt::join(measure::kWishIds, ", ")))
        ->required();
    command->add_option("--key", o->key, "With duck: the element or bus that it makes room for");
    command->add_option("--take", o->take, "Takes this way (slow, fast, shaper, two ...) and saves");
    command->add_option("--style", o->style, "House style to go by, instead of the session's");
    command->add_flag("--json", o->asJson, "JSON on standard output");
    command->callback([&streams, &exitCode, o] { exitCode = wish(streams, *o); });
}

} // namespace cask::cli
