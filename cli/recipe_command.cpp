#include "cli/commands.h"
#include "core/kit_measures/drum_facts.h"
#include "core/session/kinds.h"
#include "core/session/parameter_path.h"
#include "core/session/recipe_files.h"

#include <fmt/format.h>

#include <cmath>
#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

using Json = nlohmann::ordered_json;
using session::Recipe;
using session::RecipeScope;

struct RecipeOptions {
    std::string folder, name, role, from, module, notes;
    std::vector<std::string> to;
    bool isKit = false, replaces = false, staysAsItIs = false, onlyShows = false, asJson = false;
};

/// "kick in", "bus", "kit".
std::string whatFor(const Recipe& recipe) {
    const auto& first = recipe.parts.front();
    return recipe.scope == RecipeScope::Kit ? "kit"
           : first.isBus                    ? "bus"
                                            : std::string(roleInfo(first.role).name);
}

std::string modulesOf(const Recipe& recipe) {
    if (recipe.scope == RecipeScope::Kit)
        return fmt::format("{} chains", recipe.parts.size());
    std::string text;
    for (const auto& module : recipe.parts.front().chain)
        text += (text.empty() ? "" : ", ") + session::wordsOf(module);
    return text;
}

int list(Streams& streams, const RecipeOptions& o) {
    if (!o.role.empty() && o.role != "bus" && o.role != "kit" && !roleFromId(o.role)) {
        streams.err << fmt::format(
            "\"{}\" is not a role. Enter bus, kit or a role's stored name, as snare_top.\n", o.role);
        return kWrongUse;
    }
    const auto found = session::loadRecipes();
    Json all = Json::array();
    for (const auto& stored : found.recipes) {
        const auto& recipe = stored.recipe;
        const auto& first = recipe.parts.front();
        const bool isKit = recipe.scope == RecipeScope::Kit;
        const std::string role = isKit ? "kit" : first.isBus ? "bus" : std::string(roleInfo(first.role).id);
        if (!o.role.empty() && o.role != role)
            continue;
        if (o.asJson)
            all.push_back({{"name", recipe.name},
                           {"role", role},
                           {"scope", session::recipeScopeId(recipe.scope)},
                           {"notes", recipe.notes},
                           {"modules", modulesOf(recipe)},
                           {"file", stored.file.empty() ? Json(nullptr) : Json(stored.file.string())}});
        else
            streams.out << fmt::format("{:<14} {:<30} {}\n{:<14} {}\n", whatFor(recipe), recipe.name,
                                       modulesOf(recipe), "", recipe.notes);
    }
    if (o.asJson)
        printJson(streams.out, {{"recipes", std::move(all)}});
    for (const auto& problem : found.problems)
        streams.err << problem << '\n';
    return found.problems.empty() ? kDone : kBadInput;
}

Error unknownName(const std::string& name) {
    return {ErrorCode::NotFound, fmt::format("There is no element or bus \"{}\" here.", name)};
}

int save(Streams& streams, const RecipeOptions& o) {
    if (o.isKit == !o.from.empty()) {
        streams.err << "Say what to save: --from ELEMENT, or --kit for the whole kit.\n";
        return kWrongUse;
    }
    const auto advice = findAdvice(streams, o.folder);
    if (!advice)
        return fail(streams, advice.error());
    const auto& s = advice->session;
    const auto factsOf = [&](session::Id id) { return kit::drumFacts(s, advice->measures, id); };
    Recipe recipe;
    if (o.isKit) {
        recipe = session::kitRecipeOf(s, factsOf);
    } else {
        const auto owner = session::findOwner(s, o.from);
        if (!owner)
            return fail(streams, unknownName(o.from));
        const auto isWanted = [&](const session::Module& m) { return session::pathNameOf(m) == o.module; };
        recipe = session::recipeOf(
            s, *owner, factsOf(*owner), o.module.empty() ? RecipeScope::Chain : RecipeScope::Modules,
            o.module.empty() ? std::function<bool(const session::Module&)>() : isWanted);
    }
    recipe.name = o.name;
    recipe.notes = o.notes;
    const auto saved = session::saveRecipe(recipe, o.replaces);
    if (!saved) {
        streams.err << saved.error().message
                    << (saved.error().code == ErrorCode::Exists ? " --overwrite replaces it.\n" : "\n");
        return kBadInput;
    }
    streams.out << fmt::format("{}: {}\n", saved->string(), modulesOf(recipe));
    return kDone;
}

void print(Streams& streams, const RecipeOptions& o, const session::Session& s, const Recipe& recipe,
           const session::RecipePlan& plan, bool isApplied) {
    Json steps = Json::array();
    for (const auto& step : plan.steps) {
        Json values = Json::array();
        if (!o.asJson)
            streams.out << fmt::format("{}: {}\n", s.nameOf(step.owner),
                                       step.adapted.values.empty() ? "as it is written" : "adapted");
        for (const auto& value : step.adapted.values) {
            const auto before = session::formatValue(*value.info, value.before);
            const auto after = session::formatValue(*value.info, value.after);
            if (o.asJson)
                values.push_back({{"value", value.name},
                                  {"parameter", value.info->id},
                                  {"before", value.before},
                                  {"after", value.after},
                                  {"follows", value.follows == session::Follows::Level  ? "own hits"
                                              : value.follows == session::Follows::Note ? "fundamental"
                                                                                        : "tempo"}});
            else
                streams.out << fmt::format("  {:<34} {} becomes {}\n", value.name, before, after);
        }
        for (const auto& note : step.adapted.notes)
            if (!o.asJson)
                streams.out << "  " << note << '\n';
        steps.push_back({{"element", s.nameOf(step.owner)},
                         {"from", recipe.parts[step.part].name},
                         {"values", std::move(values)},
                         {"notes", step.adapted.notes}});
    }
    if (o.asJson)
        printJson(streams.out, {{"recipe", recipe.name},
                                {"applied", isApplied},
                                {"steps", std::move(steps)},
                                {"notes", plan.notes}});
    else
        for (const auto& note : plan.notes)
            streams.out << note << '\n';
}

int apply(Streams& streams, const RecipeOptions& o) {
    const auto recipes = session::loadRecipes();
    const auto* stored = recipes.find(o.name);
    if (stored == nullptr)
        return fail(streams,
                    {ErrorCode::NotFound, fmt::format("There is no recipe \"{}\". `recipe list` shows "
                                                      "all that there are.",
                                                      o.name)});
    const auto& recipe = stored->recipe;
    if (recipe.scope != RecipeScope::Kit && o.to.empty()) {
        streams.err << "Say where it goes: --to ELEMENT.\n";
        return kWrongUse;
    }
    const auto advice = findAdvice(streams, o.folder);
    if (!advice)
        return fail(streams, advice.error());
    const auto& s = advice->session;
    std::vector<session::Id> owners;
    for (const auto& name : o.to) {
        const auto owner = session::findOwner(s, name);
        if (!owner)
            return fail(streams, unknownName(name));
        owners.push_back(*owner);
    }
    const auto plan = session::planRecipe(
        s, recipe, owners, [&](session::Id id) { return kit::drumFacts(s, advice->measures, id); },
        !o.staysAsItIs);
    if (!o.onlyShows) {
        const auto saved =
            editSession(streams, o.folder, [&](const session::Session& newest) -> Result<session::Session> {
                if (newest != s)
                    return Error{ErrorCode::ChangedOnDisk, o.folder + " was changed while it was measured; "
                                                                      "nothing was changed."};
                return session::withRecipe(newest, recipe, plan);
            });
        if (!saved)
            return fail(streams, saved.error());
    }
    print(streams, o, s, recipe, plan, !o.onlyShows);
    return plan.steps.empty() || advice->hasProblems ? kBadInput : kDone;
}

} // namespace

void addRecipeCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand(
        "recipe", "Chains kept under a name, and adapted to the drum that they are put on");
    command->require_subcommand(1);
    const auto o = std::make_shared<RecipeOptions>();
    auto* lists = command->add_subcommand("list", "All recipes, by role");
    lists->add_option("--role", o->role, "Only those of a role, of buses or of whole kits");
    lists->add_flag("--json", o->asJson, "JSON on standard output");
    lists->callback([&streams, &exitCode, o] { exitCode = list(streams, *o); });

    auto* saves = command->add_subcommand("save", "Keeps a chain, one of its modules or all chains of a kit");
    saves->add_option("SESSION", o->folder, "Session folder")->required();
    saves->add_option("NAME", o->name, "Name of the recipe")->required();
    saves->add_option("--from", o->from, "Element or bus");
    saves->add_option("--module", o->module, "Only this module of its chain, as \"gate\" or \"eq#2\"");
    saves->add_flag("--kit", o->isKit, "Every chain of the session");
    saves->add_option("--notes", o->notes, "What it is for");
    saves->add_flag("--overwrite", o->replaces, "Replaces a recipe of this name");
    saves->callback([&streams, &exitCode, o] { exitCode = save(streams, *o); });

    auto* applies = command->add_subcommand("apply", "Puts a recipe on elements or buses, adapted to them");
    applies->add_option("SESSION", o->folder, "Session folder")->required();
    applies->add_option("NAME", o->name, "Name of the recipe")->required();
    applies->add_option("--to", o->to, "Element or bus; several are possible");
    applies->add_flag("--as-it-is", o->staysAsItIs, "Values stay as they are written");
    applies->add_flag("--show", o->onlyShows, "Shows what would change; nothing is changed");
    applies->add_flag("--json", o->asJson, "JSON on standard output");
    applies->callback([&streams, &exitCode, o] { exitCode = apply(streams, *o); });
}

} // namespace cask::cli
