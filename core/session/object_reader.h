// Reads a JSON object field by field and remembers what nobody asked for. Only for the session's reader.
#pragma once

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <core/session/parameters.h>
#include <core/session/session.h>
#include <set>
#include <stdexcept>
#include <string>

namespace cask::session {

using Json = nlohmann::ordered_json;

/// What can be wrong inside a file; turned into an Error at the boundary.
struct BadSession : std::runtime_error {
    using std::runtime_error::runtime_error;
};

/// Reads an object field by field and keeps what nobody asked for.
class ObjectReader {
  public:
    ObjectReader(const Json& json, std::string where) : m_json(json), m_where(std::move(where)) {
        if (!json.is_object())
            throw BadSession(m_where + " is no object");
    }
    [[nodiscard]] const Json* find(const char* key) {
        m_known.insert(key);
        const auto it = m_json.find(key);
        return it == m_json.end() || it->is_null() ? nullptr : &*it;
    }
    [[nodiscard]] double number(const char* key, double fallback) {
        const Json* value = find(key);
        if (value == nullptr)
            return fallback;
        if (!value->is_number())
            throw BadSession(m_where + "/" + key + " is no number");
        return value->get<double>();
    }
    [[nodiscard]] std::int64_t whole(const char* key, std::int64_t fallback) {
        const double value = number(key, static_cast<double>(fallback));
        if (!(std::abs(value) < 9e15))
            throw BadSession(m_where + "/" + key + " is out of range");
        return static_cast<std::int64_t>(value);
    }
    [[nodiscard]] int small(const char* key, int fallback) {
        const std::int64_t value = whole(key, fallback);
        if (value < -1'000'000'000 || value > 1'000'000'000)
            throw BadSession(m_where + "/" + key + " is out of range");
        return static_cast<int>(value);
    }
    [[nodiscard]] std::string text(const char* key) {
        const Json* value = find(key);
        if (value == nullptr)
            return {};
        if (!value->is_string())
            throw BadSession(m_where + "/" + key + " is no text");
        return value->get<std::string>();
    }
    [[nodiscard]] bool flag(const char* key, bool fallback) {
        const Json* value = find(key);
        if (value != nullptr && !value->is_boolean())
            throw BadSession(m_where + "/" + key + " is neither true nor false");
        return value == nullptr ? fallback : value->get<bool>();
    }
    template <class Each> void list(const char* key, Each each) {
        const Json* value = find(key);
        if (value == nullptr)
            return;
        if (!value->is_array())
            throw BadSession(m_where + "/" + key + " is no list");
        int index = 0;
        for (const auto& item : *value)
            each(item, fmt::format("{}/{}/{}", m_where, key, index++));
    }
    template <class T> void fields(std::span<const Field<T>> table, T& target) {
        for (const auto& f : table) {
            const std::string key(f.info.id);
            const Json* value = find(key.c_str());
            if (value == nullptr)
                continue;
            if (f.info.kind == ParameterKind::Switch && value->is_boolean())
                f.set(target, value->get<bool>() ? 1 : 0);
            else if (f.info.kind == ParameterKind::Choice && value->is_string())
                f.set(target, choiceIndex(f.info, value->get<std::string>()));
            else if (f.info.kind == ParameterKind::Number && value->is_number())
                f.set(target, clampValue(f.info, value->get<double>()));
            else if (f.info.kind == ParameterKind::Number && value->is_string() &&
                     !f.info.mostWords.empty() && value->get<std::string>() == f.info.mostWords)
                f.set(target, f.info.most); // "infinite"
            else
                throw BadSession(m_where + "/" + key + " has the wrong type");
        }
    }
    /// What nobody asked for.
    [[nodiscard]] Extra rest() const {
        Json extra = Json::object();
        for (const auto& [key, value] : m_json.items())
            if (!m_known.contains(key))
                extra[key] = value;
        return {extra.empty() ? std::string() : extra.dump(-1, ' ', false, Json::error_handler_t::replace)};
    }

  private:
    double choiceIndex(const ParameterInfo& info, const std::string& name) const {
        const auto it = std::find(info.choices.begin(), info.choices.end(), name);
        if (it == info.choices.end())
            throw BadSession(fmt::format("{}/{} is \"{}\", which is not known", m_where, info.id, name));
        return static_cast<double>(it - info.choices.begin());
    }

    const Json& m_json;
    std::string m_where;
    std::set<std::string> m_known;
};

} // namespace cask::session
