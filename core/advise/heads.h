// A finding in a few words, for lists.
#pragma once

#include "core/advise/finding.h"

namespace cask::advise {

/// Characters (UTF-8 code points) that a head has at most, so that a list shows it whole.
inline constexpr int kLongestHead = 46;

/// What a finding says in at most kLongestHead characters, without the element's name: "Ring 417 Hz, 0.87 s
/// against 0.26 s". Made of its numbers; the begin of its sentence where its kind has no words of its own.
[[nodiscard]] std::string headOf(const Finding& finding, const session::Session& s);

} // namespace cask::advise
