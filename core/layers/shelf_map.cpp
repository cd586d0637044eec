#include "core/layers/shelf_map.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace cask::layers {
namespace {

using measure::LookShape;

constexpr std::size_t kMostForPlane = 3000;
constexpr std::size_t kCells = LookShape::kCells;
using Shape = std::array<double, kCells>;

/// Numbers that may name an axis; those over a wide range by their logarithm, 0 of which is none.
struct Naming {
    std::string_view number;
    bool isLogarithm;
};
constexpr std::array kNamings = {Naming{"brightness_hz", true},  Naming{"length_ms", true},
                                 Naming{"noisiness", false},     Naming{"low_share", false},
                                 Naming{"fundamental_hz", true}, Naming{"attack_ms", true},
                                 Naming{"decay_ms", true},       Naming{"width_percent", false}};

double dot(const Shape& a, const Shape& b) {
    return std::inner_product(a.begin(), a.end(), b.begin(), 0.0);
}

Shape shapeOf(const ShelfSound& sound, const Shape& mean) {
    Shape x;
    for (std::size_t i = 0; i < kCells; ++i)
        x[i] = LookShape::kStepDb * sound.look.shape.values[i] - mean[i];
    return x;
}

/// The direction of the greatest spread, by power iteration; those of `without` are left out.
Shape mainDirection(const std::vector<Shape>& rows, const std::vector<Shape>& without) {
    constexpr int kRounds = 100;
    Shape direction;
    for (std::size_t i = 0; i < kCells; ++i) // no shape of sounds is square to it
        direction[i] = 1 + static_cast<double>((7 * i + 3 * without.size()) % 5);
    for (int round = 0; round < kRounds; ++round) {
        for (const auto& other : without) {
            const double part = dot(direction, other);
            for (std::size_t i = 0; i < kCells; ++i)
                direction[i] -= part * other[i];
        }
        Shape next{};
        for (const auto& row : rows) {
            const double part = dot(row, direction);
            for (std::size_t i = 0; i < kCells; ++i)
                next[i] += part * row[i];
        }
        for (const auto& other : without) {
            const double part = dot(next, other);
            for (std::size_t i = 0; i < kCells; ++i)
                next[i] -= part * other[i];
        }
        const double size = std::sqrt(dot(next, next));
        if (size < 1e-9)
            return {}; // no spread is left
        for (std::size_t i = 0; i < kCells; ++i)
            direction[i] = next[i] / size;
    }
    return direction;
}

/// Pearson's, over the sounds that have the number; 0 where there are too few.
double correlation(std::span<const ShelfSound> sounds, const std::vector<double>& places,
                   const Naming& naming) {
    constexpr double kLeastShare = 0.25; // of all, must have it
    const auto number = std::find_if(shelfNumbers().begin(), shelfNumbers().end(),
                                     [&](const auto& n) { return n.name == naming.number; });
    double n = 0, sx = 0, sy = 0, sxx = 0, syy = 0, sxy = 0;
    for (std::size_t i = 0; i < sounds.size(); ++i) {
        const double value = sounds[i].look.*number->value;
        if (naming.isLogarithm && value <= 0)
            continue;
        const double y = naming.isLogarithm ? std::log(value) : value;
        const double x = places[i];
        n += 1;
        sx += x;
        sy += y;
        sxx += x * x;
        syy += y * y;
        sxy += x * y;
    }
    const double spread = (n * sxx - sx * sx) * (n * syy - sy * sy);
    return n < 3 || n < kLeastShare * static_cast<double>(sounds.size()) || spread <= 1e-12
               ? 0
               : (n * sxy - sx * sy) / std::sqrt(spread);
}

void fitToOne(std::vector<double>& places) {
    // A few far ones may lie on the rim.
    std::vector<double> sizes(places.size());
    std::transform(places.begin(), places.end(), sizes.begin(), [](double x) { return std::abs(x); });
    const auto at = sizes.begin() + static_cast<std::ptrdiff_t>(0.99 * static_cast<double>(sizes.size() - 1));
    std::nth_element(sizes.begin(), at, sizes.end());
    const double most = std::max(1e-9, 1.05 * *at);
    for (double& x : places)
        x = std::clamp(x / most, -1.0, 1.0);
}

} // namespace

ShelfMap mapOf(std::span<const ShelfSound> sounds) {
    ShelfMap map;
    if (sounds.empty())
        return map;
    const std::size_t step = 1 + (sounds.size() - 1) / kMostForPlane;
    Shape mean{};
    std::size_t count = 0;
    for (std::size_t i = 0; i < sounds.size(); i += step, ++count)
        for (std::size_t k = 0; k < kCells; ++k)
            mean[k] += LookShape::kStepDb * sounds[i].look.shape.values[k];
    for (double& x : mean)
        x /= static_cast<double>(count);
    std::vector<Shape> rows;
    rows.reserve(count);
    double spread = 0;
    for (std::size_t i = 0; i < sounds.size(); i += step) {
        rows.push_back(shapeOf(sounds[i], mean));
        spread += dot(rows.back(), rows.back());
    }
    const Shape first = mainDirection(rows, {});
    const Shape second = mainDirection(rows, {first});
    double kept = 0;
    for (const auto& row : rows)
        kept += std::pow(dot(row, first), 2) + std::pow(dot(row, second), 2);
    map.keptShare = spread > 0 ? kept / spread : 1;

    std::vector<double> x(sounds.size());
    std::vector<double> y(sounds.size());
    double xx = 0, yy = 0;
    for (std::size_t i = 0; i < sounds.size(); ++i) {
        const Shape shape = shapeOf(sounds[i], mean);
        x[i] = dot(shape, first);
        y[i] = dot(shape, second);
        xx += x[i] * x[i];
        yy += y[i] * y[i];
    }
    // Turned: a turn leaves every distance as it is. Along the slope of brightness over both directions.
    const double alongX = xx > 0 ? correlation(sounds, x, kNamings[0]) / std::sqrt(xx) : 0;
    const double alongY = yy > 0 ? correlation(sounds, y, kNamings[0]) / std::sqrt(yy) : 0;
    if (const double size = std::hypot(alongX, alongY); size > 0) {
        const double c = alongX / size, s = alongY / size;
        for (std::size_t i = 0; i < sounds.size(); ++i) {
            const double turned = c * x[i] + s * y[i];
            y[i] = c * y[i] - s * x[i];
            x[i] = turned;
        }
    }
    if (correlation(sounds, y, kNamings[1]) < 0)
        for (double& v : y)
            v = -v;
    for (std::size_t axis = 0; axis < 2; ++axis) {
        auto& along = map.axes[axis].along;
        for (const auto& naming : kNamings)
            if (const double r = correlation(sounds, axis == 0 ? x : y, naming);
                std::abs(r) >= MapAxis::kLeastCorrelation)
                along.push_back({naming.number, r});
        std::stable_sort(along.begin(), along.end(), [](const auto& a, const auto& b) {
            return std::abs(a.correlation) > std::abs(b.correlation);
        });
    }
    fitToOne(x);
    fitToOne(y);
    map.places.resize(sounds.size());
    for (std::size_t i = 0; i < sounds.size(); ++i)
        map.places[i] = {static_cast<float>(x[i]), static_cast<float>(y[i])};
    return map;
}

} // namespace cask::layers
