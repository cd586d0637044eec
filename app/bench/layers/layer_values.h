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

struct NumberRange {
    double least, most, standard, step;
};
/// What a bar shows and how it is typed. The texts must last.
[[nodiscard]] session::ParameterInfo number(std::string_view id, std::string_view words, session::Unit unit,
                                            const NumberRange& range, std::string_view help);

} // namespace cask::app
