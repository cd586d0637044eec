// A chain as it is stored: inside a session, and by itself.
#pragma once

#include <nlohmann/json.hpp>

#include <core/session/session.h>
#include <string>
#include <vector>

namespace cask::session {

[[nodiscard]] nlohmann::ordered_json chainToJson(const std::vector<Module>& chain);
/// `list`: an array of modules; `where` stands in what BadSession says. A module that is not understood is
/// kept as it is written. Every module has an ordinal afterwards.
[[nodiscard]] std::vector<Module> chainFromJson(const nlohmann::ordered_json& list, const std::string& where);

/// Fields beside those that `json` has.
void putExtra(nlohmann::ordered_json& json, const Extra& extra);
[[nodiscard]] Extra withField(const Extra& extra, const char* key, const std::string& value);

} // namespace cask::session
