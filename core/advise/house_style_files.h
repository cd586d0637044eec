// Where house styles come from: those that ship with the program, and a folder of the user's own.
#pragma once

#include <core/advise/house_style.h>
#include <filesystem>
#include <string_view>
#include <vector>

namespace cask::advise {

/// The shipped files' texts; the first is the standard one.
[[nodiscard]] const std::vector<std::string_view>& shippedStyleTexts();
[[nodiscard]] const HouseStyle& standardStyle();

/// "ember-cask/styles" in the user's configuration folder ($XDG_CONFIG_HOME, else ~/.config).
[[nodiscard]] std::filesystem::path userStylesFolder();

struct HouseStyles {
    std::vector<HouseStyle> styles;    ///< shipped ones first, then the user's by name
    std::vector<std::string> problems; ///< files that could not be read, a sentence each
    /// By id; the standard style when there is none of that id.
    [[nodiscard]] const HouseStyle& find(std::string_view id) const;
    [[nodiscard]] bool has(std::string_view id) const;
};

/// All styles, with the drums kept as references for each; a file of the user's with the id of a shipped one
/// takes its place.
[[nodiscard]] HouseStyles loadHouseStyles(const std::filesystem::path& userFolder = userStylesFolder());

/// Writes a style as a file of the user's own, for editing; an existing file is left as it is.
[[nodiscard]] Result<std::filesystem::path>
copyStyleForEditing(const HouseStyle& style, const std::filesystem::path& userFolder = userStylesFolder());

/// Writes the drums that the user keeps as references beside his styles ("references/ID.json"): a style
/// itself is never written over.
[[nodiscard]] Result<std::filesystem::path>
saveReferences(const HouseStyle& style, const std::filesystem::path& userFolder = userStylesFolder());

} // namespace cask::advise
