// What a house style holds to be the usual sound of a role: ranges that ship with it, and drums of the user's
// own that were kept as references.
#pragma once

#include <nlohmann/json_fwd.hpp>

#include <core/base/result.h>
#include <core/base/role.h>
#include <core/measure/tone/tone_shape.h>
#include <map>
#include <string>
#include <vector>

namespace cask::advise {

/// A drum kept as a reference.
struct ToneReference {
    Role role = Role::Unknown;
    std::string name; ///< of the session and the element: keeping it again takes its place
    measure::ToneShape shape{};
    friend bool operator==(const ToneReference&, const ToneReference&) = default;
};

struct ToneReferences {
    /// So many drums of a role make a range of their own; before, the style's stands.
    static constexpr int kEnough = 3;

    std::map<Role, measure::ToneRange> ranges; ///< of the style itself
    std::vector<ToneReference> drums;

    struct Range {
        measure::ToneRange range;
        int drums = 0; ///< of the user's own that it is of; 0: the style's
    };
    /// Nothing for a role that has neither.
    [[nodiscard]] std::optional<Range> of(Role role) const;
    [[nodiscard]] const ToneReference* find(Role role, const std::string& name) const;
    /// Adds a drum, in the place of one with the same role and name.
    void keep(ToneReference drum);
    void forget(Role role, const std::string& name);
    friend bool operator==(const ToneReferences&, const ToneReferences&) = default;
};

/// Writes "tone_ranges" of a house style.
void writeToneRanges(const ToneReferences& references, nlohmann::ordered_json& json);
/// Reads them; none when there is no such field. The error says what is wrong, as part of a sentence.
[[nodiscard]] Result<std::map<Role, measure::ToneRange>> readToneRanges(const nlohmann::ordered_json& json);

/// The drums as a file of their own (docs/formats/house-style.md). Errors name `where` and the entry.
[[nodiscard]] std::string referenceDrumsToJson(const std::vector<ToneReference>& drums);
[[nodiscard]] Result<std::vector<ToneReference>> referenceDrumsFromJson(std::string_view text,
                                                                        const std::string& where);

} // namespace cask::advise
