#include "core/session/recipe_files.h"

#include "core/base/file_system.h"
#include "core/base/user_folders.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <tuple>

namespace cask::session {
namespace {

namespace fs = std::filesystem;

std::string inLowerCase(std::string_view text) {
    std::string low(text);
    std::transform(low.begin(), low.end(), low.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return low;
}

/// A file name of any name: letters, digits and bytes above ASCII stay, runs of the rest become one dash.
std::string fileNameOf(const std::string& name) {
    constexpr std::size_t kMostBytes = 80;
    std::string file;
    for (const char c : inLowerCase(name)) {
        const auto byte = static_cast<unsigned char>(c);
        if (std::isalnum(byte) != 0 || byte >= 0x80U)
            file += c;
        else if (!file.empty() && file.back() != '-')
            file += '-';
    }
    while (!file.empty() && (file.back() == '-' || file.size() > kMostBytes))
        file.pop_back();
    return (file.empty() ? "recipe" : file) + ".json";
}

auto orderOf(const StoredRecipe& stored) {
    const auto& recipe = stored.recipe;
    const auto& first = recipe.parts.front();
    const auto& roles = allRoles();
    const auto role =
        std::find_if(roles.begin(), roles.end(), [&](const RoleInfo& r) { return r.role == first.role; });
    return std::tuple(recipe.scope == RecipeScope::Kit, first.isBus, role - roles.begin(),
                      inLowerCase(recipe.name));
}

} // namespace

fs::path userRecipesFolder() {
    const fs::path folder = configFolder();
    return folder.empty() ? folder : folder / "recipes";
}

const StoredRecipe* Recipes::find(std::string_view name) const {
    const StoredRecipe* found = nullptr;
    for (const auto& stored : recipes)
        if (inLowerCase(stored.recipe.name) == inLowerCase(name) && (found == nullptr || found->file.empty()))
            found = &stored;
    return found;
}

Recipes loadRecipes(const fs::path& userFolder) {
    Recipes found;
    for (const auto text : shippedRecipeTexts())
        found.recipes.push_back({*recipeFromJson(text, "a shipped recipe"), {}});
    if (!userFolder.empty())
        for (const auto& name : diskFileSystem().list(userFolder)) {
            const fs::path path = userFolder / name;
            if (path.extension() != ".json")
                continue;
            const auto text = diskFileSystem().read(path);
            auto recipe = text ? recipeFromJson(*text, path.string()) : Result<Recipe>(text.error());
            if (recipe)
                found.recipes.push_back({*std::move(recipe), path});
            else
                found.problems.push_back(recipe.error().message);
        }
    std::stable_sort(found.recipes.begin(), found.recipes.end(),
                     [](const auto& a, const auto& b) { return orderOf(a) < orderOf(b); });
    return found;
}

Result<fs::path> saveRecipe(const Recipe& recipe, bool replaces, const fs::path& userFolder) {
    if (recipe.name.empty())
        return Error{ErrorCode::BadValue, "A recipe needs a name."};
    if (recipe.parts.empty() ||
        std::all_of(recipe.parts.begin(), recipe.parts.end(), [](const auto& p) { return p.chain.empty(); }))
        return Error{ErrorCode::Empty, fmt::format("{} has no modules; no recipe was saved.", recipe.name)};
    auto& files = diskFileSystem();
    const fs::path path = userFolder / fileNameOf(recipe.name);
    if (files.exists(path)) {
        const auto text = files.read(path);
        const auto there = text ? recipeFromJson(*text, path.string()) : Result<Recipe>(text.error());
        if (!there)
            return there.error();
        if (!replaces)
            return Error{ErrorCode::Exists, fmt::format("A recipe named {} already exists.", there->name)};
    }
    if (const auto made = files.makeFolder(userFolder); !made)
        return made.error();
    if (const auto written = files.writeAtomically(path, toJson(recipe)); !written)
        return written.error();
    return path;
}

Status removeRecipe(const StoredRecipe& recipe) {
    if (recipe.file.empty())
        return Error{ErrorCode::NotWritable,
                     fmt::format("{} ships with the program and stays.", recipe.recipe.name)};
    return diskFileSystem().remove(recipe.file);
}

} // namespace cask::session
