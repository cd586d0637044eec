// Where recipes come from: those that ship with the program, and a folder of the user's own.
#pragma once

#include <core/session/recipe.h>
#include <filesystem>
#include <string_view>
#include <vector>

namespace cask::session {

[[nodiscard]] const std::vector<std::string_view>& shippedRecipeTexts();

/// "ember-cask/recipes" in the user's configuration folder.
[[nodiscard]] std::filesystem::path userRecipesFolder();

struct StoredRecipe {
    Recipe recipe;
    std::filesystem::path file; ///< empty of one that ships
};
struct Recipes {
    std::vector<StoredRecipe> recipes; ///< by role in the order of a kit, then buses, then kits; then by name
    std::vector<std::string> problems; ///< files that could not be read, a sentence each
    /// By name, whatever its case; the user's own before one that ships. Null when there is none.
    [[nodiscard]] const StoredRecipe* find(std::string_view name) const;
};
[[nodiscard]] Recipes loadRecipes(const std::filesystem::path& userFolder = userRecipesFolder());

/// Writes a recipe as a file of the user's own. One of this name there is replaced only with `replaces`; one
/// that can't be read, or is from a newer program, never.
[[nodiscard]] Result<std::filesystem::path>
saveRecipe(const Recipe& recipe, bool replaces = false,
           const std::filesystem::path& userFolder = userRecipesFolder());
[[nodiscard]] Status removeRecipe(const StoredRecipe& recipe);

} // namespace cask::session
