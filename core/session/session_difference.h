// What differs between two mixes, in words.
#pragma once

#include <core/session/session.h>
#include <string>
#include <vector>

namespace cask::session {

/// A line for each: "Kick in: level -3.0 dB, now -1.5 dB", "Snare top: compressor added". `from` is how it
/// was. Elements and buses are told apart by their ids, modules by kind and number.
[[nodiscard]] std::vector<std::string> differencesInWords(const Session& from, const Session& to);

} // namespace cask::session
