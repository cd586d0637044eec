// How the Drive bench says a change.
#pragma once

#include "app/theme/theme.h"

namespace cask::app {

/// "+1.2", "-0.4".
[[nodiscard]] inline QString signedDb(double db) {
    return (db >= 0.05 ? QStringLiteral("+") : QString()) + dbText(db);
}

} // namespace cask::app
