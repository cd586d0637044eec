#include "core/session/chain_json.h"
#include "core/session/object_reader.h"
#include "core/session/recipe.h"
#include "core/session/session_limits.h"

#include <array>

namespace cask::session {
namespace {

constexpr int kRecipeVersion = 1;
constexpr std::string_view kFormat = "ember-cask-recipe";
constexpr std::array<std::string_view, 3> kScopes = {"modules", "chain", "kit"}; // stored: do not change
constexpr std::size_t kMostParts = 512;

Json factsToJson(const DrumFacts& facts) {
    Json json = Json::object();
    if (facts.ownDb)
        json["own_hits_db"] = *facts.ownDb;
    if (facts.noteHz)
        json["fundamental_hz"] = *facts.noteHz;
    if (facts.bpm)
        json["bpm"] = *facts.bpm;
    return json;
}

Json partToJson(const RecipePart& part) {
    Json json{{"name", part.name}};
    if (part.isBus)
        json["bus"] = true;
    else
        json["role"] = roleInfo(part.role).id;
    json["facts"] = factsToJson(part.facts);
    json["chain"] = chainToJson(part.chain);
    for (const auto& [module, key] : part.keys)
        json["keys"].push_back({{"module", module}, {"name", key.name}, {"role", roleInfo(key.role).id}});
    putExtra(json, part.extra);
    return json;
}

RecipePart partFromJson(const Json& json, const std::string& where) {
    ObjectReader in(json, where);
    RecipePart part;
    part.name = in.text("name");
    part.isBus = in.flag("bus", false);
    const std::string role = in.text("role");
    part.role = roleFromId(role).value_or(Role::Unknown);
    if (const Json* facts = in.find("facts")) {
        ObjectReader factsIn(*facts, where + "/facts");
        const auto number = [&](const char* key, double least, double most) -> std::optional<double> {
            if (factsIn.find(key) == nullptr)
                return std::nullopt;
            return std::clamp(factsIn.number(key, 0), least, most);
        };
        part.facts = {number("own_hits_db", -120, 40), number("fundamental_hz", 10, 20000),
                      number("bpm", 20, 400)};
    }
    if (const Json* chain = in.find("chain"))
        part.chain = chainFromJson(*chain, where + "/chain");
    in.list("keys", [&](const Json& keyJson, const std::string& keyWhere) {
        ObjectReader keyIn(keyJson, keyWhere);
        const int module = keyIn.small("module", kNoId);
        part.keys[module] = {keyIn.text("name"), roleFromId(keyIn.text("role")).value_or(Role::Unknown)};
    });
    part.extra = in.rest();
    if (!role.empty() && !roleFromId(role)) // of a newer program
        part.extra = withField(part.extra, "role", role);
    return part;
}

Recipe readRecipe(const Json& json) {
    ObjectReader in(json, "recipe");
    (void)in.find("format");
    (void)in.find("schema_version");
    Recipe recipe;
    recipe.name = in.text("name");
    recipe.notes = in.text("notes");
    const std::string scope = in.text("scope");
    const auto found = std::find(kScopes.begin(), kScopes.end(), scope);
    if (found == kScopes.end())
        throw BadSession(fmt::format("recipe/scope is \"{}\", which is not known", scope));
    recipe.scope = static_cast<RecipeScope>(found - kScopes.begin());
    in.list("parts", [&](const Json& partJson, const std::string& where) {
        if (recipe.parts.size() >= kMostParts)
            throw BadSession(fmt::format("recipe/parts has more than {} entries", kMostParts));
        recipe.parts.push_back(partFromJson(partJson, where));
    });
    if (recipe.parts.empty())
        throw BadSession("recipe/parts is empty");
    recipe.extra = in.rest();
    return recipe;
}

} // namespace

std::string_view recipeScopeId(RecipeScope scope) {
    return kScopes[static_cast<std::size_t>(scope)];
}

std::string toJson(const Recipe& recipe) {
    Json json{{"format", kFormat},     {"schema_version", kRecipeVersion},     {"name", recipe.name},
              {"notes", recipe.notes}, {"scope", recipeScopeId(recipe.scope)}, {"parts", Json::array()}};
    for (const auto& part : recipe.parts)
        json["parts"].push_back(partToJson(part));
    putExtra(json, recipe.extra);
    return json.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

Result<Recipe> recipeFromJson(std::string_view text, const std::string& source) {
    const auto bad = [&](const std::string& why) { return Error{ErrorCode::BadFormat, source + " " + why}; };
    if (text.size() > kMostTextBytes)
        return bad("is too long to be a recipe.");
    bool isTooDeep = false;
    const Json json = Json::parse(
        text,
        [&](int depth, Json::parse_event_t, Json&) {
            isTooDeep = isTooDeep || depth > kMostDepth;
            return !isTooDeep;
        },
        false, true);
    if (isTooDeep || json.is_discarded() || !json.is_object() || json.value("format", Json()) != kFormat)
        return bad("is not a recipe.");
    const auto version = json.find("schema_version");
    if (version == json.end() || !version->is_number_integer() || version->get<std::int64_t>() < 1)
        return bad("does not say which version of the recipe format it has.");
    if (version->get<std::int64_t>() > kRecipeVersion)
        return Error{ErrorCode::NewerVersion,
                     source + " was written by a newer Ember Cask; it was left as it is."};
    try {
        return readRecipe(json);
    } catch (const BadSession& problem) {
        return bad(fmt::format("is damaged: {}.", problem.what()));
    } catch (const Json::exception&) {
        return bad("is damaged and can't be read.");
    }
}

} // namespace cask::session
