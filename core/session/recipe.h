// What was found good on a drum or a kit, kept under a name: modules with what they were made for.
#pragma once

#include <core/base/result.h>
#include <core/session/chain_adapt.h>
#include <functional>
#include <map>
#include <string_view>

namespace cask::session {

/// Modules are put beside what is there, a chain takes its place, a kit has a chain for each of its roles.
enum class RecipeScope { Modules, Chain, Kit };
/// Stored: do not change.
[[nodiscard]] std::string_view recipeScopeId(RecipeScope scope);

/// What a module listened to, by name: ids mean nothing in another session.
struct KeyName {
    std::string name;
    Role role = Role::Unknown;
    friend bool operator==(const KeyName&, const KeyName&) = default;
};

struct RecipePart {
    std::string name;          ///< of the element or bus that it is from
    Role role = Role::Unknown; ///< Unknown of a bus
    bool isBus = false;
    DrumFacts facts;
    std::vector<Module> chain;
    std::map<Id, KeyName> keys; ///< by module
    Extra extra;
    friend bool operator==(const RecipePart&, const RecipePart&) = default;
};

struct Recipe {
    std::string name;
    std::string notes;
    RecipeScope scope = RecipeScope::Chain;
    std::vector<RecipePart> parts; ///< one, but of a kit
    Extra extra;
    friend bool operator==(const Recipe&, const Recipe&) = default;
};

/// What is known of an element or bus.
using FactsOf = std::function<DrumFacts(Id)>;

/// The chain of an element or bus, or only those of its modules that `isWanted`.
[[nodiscard]] Recipe recipeOf(const Session& s, Id owner, const DrumFacts& facts, RecipeScope scope,
                              const std::function<bool(const Module&)>& isWanted = {});
/// Every chain of the session that is not empty.
[[nodiscard]] Recipe kitRecipeOf(const Session& s, const FactsOf& factsOf);

/// As docs/formats/recipe.md describes it. Stable order and indentation.
[[nodiscard]] std::string toJson(const Recipe& recipe);
/// `source` stands in the error's sentence. What a newer program wrote beside what is known here is kept.
[[nodiscard]] Result<Recipe> recipeFromJson(std::string_view text, const std::string& source);

/// Where a part goes, with what its values become there.
struct RecipeStep {
    std::size_t part = 0;
    Id owner = kNoId;
    AdaptedChain adapted;
};
struct RecipePlan {
    std::vector<RecipeStep> steps;
    std::vector<std::string> notes; ///< parts and keys that have no place here, a sentence each
};

/// Of modules or a chain onto each of `owners`; of a kit every part onto the element of its role (the first
/// of two onto the first of two) or the bus of its name, whatever `owners` are. Without `adapts` values stay
/// as they are written.
[[nodiscard]] RecipePlan planRecipe(const Session& s, const Recipe& recipe, const std::vector<Id>& owners,
                                    const FactsOf& factsOf, bool adapts = true);
/// Takes the steps. Keys are looked for by name, then by role, else the module listens to itself.
[[nodiscard]] Session withRecipe(Session s, const Recipe& recipe, const RecipePlan& plan);

} // namespace cask::session
