#include "core/project/outbox.h"

#include "core/base/file_system.h"

#include <fmt/format.h>

namespace cask::project {

namespace fs = std::filesystem;

Outbox::Outbox(fs::path folder, WriteRules rules, StagingFolder staging)
    : m_folder(std::move(folder)), m_rules(rules), m_staging(std::move(staging)) {}

Result<Outbox> Outbox::open(const fs::path& folder, const WriteRules& rules) {
    if (auto made = diskFileSystem().makeFolder(folder); !made)
        return made.error();
    removeStaleParts(folder);
    auto staging = StagingFolder::create(folder);
    if (!staging)
        return staging.error();
    return Outbox(folder, rules, std::move(*staging));
}

Result<fs::path> Outbox::place(const std::string& name) {
    if (auto allowed = mayWrite(m_folder / name, m_rules); !allowed)
        return allowed.error();
    m_names.push_back(name);
    return m_staging.path() / name;
}

Status Outbox::deliver() {
    for (std::size_t i = 0; i < m_names.size(); ++i) {
        auto moved = moveIntoPlace(m_staging.path() / m_names[i], m_folder / m_names[i], m_rules);
        if (moved)
            continue;
        Error error = moved.error();
        if (i > 0)
            error.message +=
                fmt::format(" {} of {} files are in {}: {}.", i, m_names.size(), m_folder.string(),
                            fmt::join(m_names.begin(), m_names.begin() + static_cast<long>(i), ", "));
        return error;
    }
    return Done{};
}

std::vector<fs::path> Outbox::paths() const {
    std::vector<fs::path> paths;
    for (const auto& name : m_names)
        paths.push_back(m_folder / name);
    return paths;
}

} // namespace cask::project
