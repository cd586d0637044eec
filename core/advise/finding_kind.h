// What kind a finding is of, by its id.
#pragma once

#include <string_view>

namespace cask::advise {

/// The entry of a table whose `kind` an id is of, the longest that fits: "punch-idle" for "punch-idle-3-7".
/// Null when none does.
template <class Table> [[nodiscard]] auto ofKind(const Table& table, std::string_view id) {
    decltype(table.data()) best = nullptr;
    for (const auto& entry : table)
        if (id.starts_with(entry.kind) && (id.size() == entry.kind.size() || id[entry.kind.size()] == '-') &&
            (best == nullptr || entry.kind.size() > best->kind.size()))
            best = &entry;
    return best;
}

} // namespace cask::advise
