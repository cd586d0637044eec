// How the shelf's rows are written and read. For its own sources.
#pragma once

#include <algorithm>
#include <cctype>
#include <core/layers/shelf.h>
#include <cstring>
#include <sqlite3.h>
#include <string>

namespace cask::layers {

/// A prepared statement, reset with each run.
class Statement {
  public:
    Statement(sqlite3* db, const std::string& text) {
        sqlite3_prepare_v2(db, text.c_str(), static_cast<int>(text.size()), &m_statement, nullptr);
    }
    Statement(const Statement&) = delete;
    Statement& operator=(const Statement&) = delete;
    ~Statement() { sqlite3_finalize(m_statement); }
    [[nodiscard]] bool isReady() const { return m_statement != nullptr; }

    void bind(int at, const std::string& text) {
        sqlite3_bind_text(m_statement, at, text.data(), static_cast<int>(text.size()), SQLITE_TRANSIENT);
    }
    void bind(int at, double value) { sqlite3_bind_double(m_statement, at, value); }
    void bind(int at, std::int64_t value) { sqlite3_bind_int64(m_statement, at, value); }
    void bind(int at, const measure::LookShape& shape) {
        sqlite3_bind_blob(m_statement, at, shape.values.data(), static_cast<int>(shape.values.size()),
                          SQLITE_TRANSIENT);
    }
    /// True while there are rows.
    bool step() {
        m_last = sqlite3_step(m_statement);
        return m_last == SQLITE_ROW;
    }
    /// Runs it to its end and makes it ready for other values.
    bool run() {
        while (step()) {
        }
        const bool isDone = m_last == SQLITE_DONE;
        sqlite3_reset(m_statement);
        return isDone;
    }
    [[nodiscard]] bool isDone() const { return m_last == SQLITE_DONE; }
    [[nodiscard]] std::string text(int column) const {
        const auto* bytes = sqlite3_column_text(m_statement, column);
        return bytes == nullptr
                   ? std::string()
                   : std::string(reinterpret_cast<const char*>(bytes),
                                 static_cast<std::size_t>(sqlite3_column_bytes(m_statement, column)));
    }
    [[nodiscard]] double number(int column) const { return sqlite3_column_double(m_statement, column); }
    [[nodiscard]] std::int64_t whole(int column) const { return sqlite3_column_int64(m_statement, column); }
    void shape(int column, measure::LookShape& shape) const {
        const void* bytes = sqlite3_column_blob(m_statement, column);
        if (static_cast<std::size_t>(sqlite3_column_bytes(m_statement, column)) == shape.values.size())
            std::memcpy(shape.values.data(), bytes, shape.values.size());
    }

  private:
    sqlite3_stmt* m_statement = nullptr;
    int m_last = SQLITE_OK;
};

/// The columns of a sound, as they are written and read.
[[nodiscard]] inline std::string shelfColumns() {
    std::string text = "path, bytes, changed, hash, words, role, held";
    for (const auto& number : shelfNumbers())
        text += ", " + std::string(number.name);
    return text;
}
inline constexpr int kFirstShelfNumber = 8; // behind the id and the others

/// As it is stored: absolute, without a slash at its end.
[[nodiscard]] inline std::filesystem::path folderAsStored(const std::filesystem::path& folder) {
    const auto path = std::filesystem::absolute(folder).lexically_normal();
    return path.has_filename() || !path.has_relative_path() ? path : path.parent_path();
}

[[nodiscard]] inline std::string inLowerCase(std::string text) {
    std::transform(text.begin(), text.end(), text.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return text;
}

} // namespace cask::layers
