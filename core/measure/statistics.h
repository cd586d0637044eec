// Ranks of small lists of numbers.
#pragma once

#include <algorithm>
#include <cmath>
#include <vector>

namespace cask::measure {

/// Value of the nearest rank: `share` of the values (0 to 1) lie at or under it. Reorders them; 0 without
/// any.
template <class T> [[nodiscard]] T quantile(std::vector<T>& values, double share) {
    if (values.empty())
        return T(0);
    const auto at = values.begin() +
                    static_cast<std::ptrdiff_t>(std::llround(share * static_cast<double>(values.size() - 1)));
    std::nth_element(values.begin(), at, values.end());
    return *at;
}

template <class T> [[nodiscard]] T median(std::vector<T> values) {
    return quantile(values, 0.5);
}

} // namespace cask::measure
