// What compressors and buses do to the hits of a session, for people and for programs.
#pragma once

#include <nlohmann/json.hpp>

#include <core/advise/kit_measures.h>
#include <core/session/session.h>
#include <iosfwd>

namespace cask::cli {

/// docs/formats/punch.md says what stands in it.
[[nodiscard]] nlohmann::ordered_json punchAsJson(const session::Session& session,
                                                 const advise::KitMeasures& measures);
void printPunch(std::ostream& out, const session::Session& session, const advise::KitMeasures& measures);

} // namespace cask::cli
