// Values of a layer and of its rule that have a bar on the bench.
#pragma once

#include <core/layers/layer.h>
#include <core/session/parameters.h>
#include <vector>

namespace cask::app {

struct LayerValue {
    session::ParameterInfo info;
    double (*get)(const layers::Layer&);
    void (*set)(layers::Layer&, double);
    bool isMore = false; ///< folded
};
[[nodiscard]] const std::vector<LayerValue>& layerValues();

} // namespace cask::app
