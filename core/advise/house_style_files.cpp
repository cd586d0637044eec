#include "core/advise/house_style_files.h"

#include "core/base/file_system.h"
#include "core/base/user_folders.h"

#include <fmt/format.h>

#include <algorithm>

namespace cask::advise {
namespace {

namespace fs = std::filesystem;

fs::path referencesOf(const HouseStyle& style, const fs::path& userFolder) {
    return userFolder / "references" / (style.id + ".json");
}

/// Drums kept as references; a file that can't be read becomes a problem.
void addReferences(HouseStyles& found, const fs::path& userFolder) {
    for (auto& style : found.styles) {
        const fs::path path = referencesOf(style, userFolder);
        if (!diskFileSystem().exists(path))
            continue;
        const auto text = diskFileSystem().read(path);
        auto drums = text ? referenceDrumsFromJson(*text, path.string())
                          : Result<std::vector<ToneReference>>(text.error());
        if (drums)
            style.references.drums = *std::move(drums);
        else
            found.problems.push_back(drums.error().message);
    }
}

} // namespace

const HouseStyle& standardStyle() {
    static const HouseStyle style = *houseStyleFromJson(shippedStyleTexts().front(), "natural.json");
    return style;
}

fs::path userStylesFolder() {
    const fs::path folder = configFolder();
    return folder.empty() ? folder : folder / "styles";
}

const HouseStyle& HouseStyles::find(std::string_view id) const {
    for (const std::string_view wanted : {id, std::string_view(standardStyle().id)})
        for (const auto& style : styles)
            if (style.id == wanted)
                return style;
    return standardStyle();
}

bool HouseStyles::has(std::string_view id) const {
    return std::any_of(styles.begin(), styles.end(), [&](const HouseStyle& s) { return s.id == id; });
}

HouseStyles loadHouseStyles(const fs::path& userFolder) {
    HouseStyles found;
    for (const auto text : shippedStyleTexts())
        found.styles.push_back(*houseStyleFromJson(text, "a shipped style"));
    if (userFolder.empty())
        return found;
    for (const auto& name : diskFileSystem().list(userFolder)) {
        const fs::path path = userFolder / name;
        if (path.extension() != ".json")
            continue;
        const auto text = diskFileSystem().read(path);
        const auto style = text ? houseStyleFromJson(*text, path.string()) : Result<HouseStyle>(text.error());
        if (!style) {
            found.problems.push_back(style.error().message);
            continue;
        }
        const auto same = std::find_if(found.styles.begin(), found.styles.end(),
                                       [&](const HouseStyle& s) { return s.id == style->id; });
        if (same != found.styles.end())
            *same = *style;
        else
            found.styles.push_back(*style);
    }
    addReferences(found, userFolder);
    return found;
}

Result<fs::path> copyStyleForEditing(const HouseStyle& style, const fs::path& userFolder) {
    const fs::path path = userFolder / (style.id + ".json");
    auto& files = diskFileSystem();
    if (files.exists(path))
        return path;
    if (const auto made = files.makeFolder(userFolder); !made)
        return made.error();
    if (const auto written = files.writeAtomically(path, houseStyleToJson(style)); !written)
        return written.error();
    return path;
}

Result<fs::path> saveReferences(const HouseStyle& style, const fs::path& userFolder) {
    const fs::path path = referencesOf(style, userFolder);
    auto& files = diskFileSystem();
    if (files.exists(path)) { // what is there but can't be read is not written over
        const auto there = files.read(path);
        const auto drums = there ? referenceDrumsFromJson(*there, path.string())
                                 : Result<std::vector<ToneReference>>(there.error());
        if (!drums)
            return drums.error();
    }
    if (const auto made = files.makeFolder(path.parent_path()); !made)
        return made.error();
    if (const auto written = files.writeAtomically(path, referenceDrumsToJson(style.references.drums));
        !written)
        return written.error();
    return path;
}

} // namespace cask::advise
