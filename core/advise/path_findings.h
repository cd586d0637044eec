// What is told of parallel paths: holes, cymbals, sends, a path that only makes it louder.
#pragma once

#include <core/advise/finding.h>
#include <core/advise/house_style.h>
#include <core/advise/kit_measures.h>
#include <vector>

namespace cask::advise {

void addPathFindings(const session::Session& session, const std::vector<PathMeasure>& paths,
                     const HouseStyle& style, std::vector<Finding>& findings);

} // namespace cask::advise
