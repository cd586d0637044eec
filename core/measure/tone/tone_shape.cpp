#include "core/measure/tone/tone_shape.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kLeastWidthDb = 6;
constexpr double kHeardDb = 40;
constexpr int kLeastThirds = 3;

/// The value at a rank from 0 to 1, between the nearest two.
double ranked(std::vector<double> values, double rank) {
    std::sort(values.begin(), values.end());
    const double at = rank * static_cast<double>(values.size() - 1);
    const auto i = static_cast<std::size_t>(at);
    const double next = values[std::min(i + 1, values.size() - 1)];
    return values[i] + (at - static_cast<double>(i)) * (next - values[i]);
}

} // namespace

double thirdHz(int third) {
    return 1000 * std::exp2((third - 14) / 3.0);
}

std::optional<ToneShape> shapeOf(const Spectrum& own) {
    if (own.bandDb.empty())
        return std::nullopt;
    std::vector<double> levels;
    levels.reserve(kThirds);
    for (int i = 0; i < kThirds; ++i)
        levels.push_back(own.thirdOctaveDb(thirdHz(i)));
    const double middle = ranked(levels, 0.5);
    ToneShape shape{};
    std::transform(levels.begin(), levels.end(), shape.begin(),
                   [middle](double db) { return static_cast<float>(db - middle); });
    return shape;
}

ToneRange rangeOf(std::span<const ToneShape> shapes) {
    // Of a few, none is cast out.
    const double edge = shapes.size() < 10 ? 0 : 0.1;
    ToneRange range;
    for (std::size_t i = 0; i < kThirds; ++i) {
        std::vector<double> values;
        for (const auto& shape : shapes)
            values.push_back(shape[i]);
        const double from = ranked(values, edge);
        const double to = ranked(values, 1 - edge);
        const double more = std::max(0.0, 0.5 * (kLeastWidthDb - (to - from)));
        range.fromDb[i] = static_cast<float>(from - more);
        range.toDb[i] = static_cast<float>(to + more);
    }
    return range;
}

double offsetDb(const ToneShape& shape, const ToneRange& range) {
    std::vector<double> distances;
    for (std::size_t i = 0; i < kThirds; ++i)
        distances.push_back(shape[i] - 0.5 * (range.fromDb[i] + range.toDb[i]));
    return ranked(distances, 0.5);
}

std::vector<OutOfRange> outOfRange(const ToneShape& shape, const ToneRange& range, double leastDb,
                                   double lowestHz) {
    const double offset = offsetDb(shape, range);
    const double heardDb = *std::max_element(shape.begin(), shape.end()) - kHeardDb;
    const auto excessOf = [&](std::size_t i) {
        const double from = range.fromDb[i] + offset;
        const double to = range.toDb[i] + offset;
        if (std::max<double>(shape[i], to) < heardDb)
            return 0.0;
        const bool isMissed = thirdHz(static_cast<int>(i)) >= lowestHz;
        return shape[i] > to ? shape[i] - to : isMissed ? std::min(0.0, shape[i] - from) : 0.0;
    };
    std::vector<OutOfRange> found;
    for (std::size_t i = 0; i < kThirds;) {
        const double first = excessOf(i);
        double sum = 0;
        std::size_t end = i;
        while (end < kThirds && excessOf(end) * first > 0)
            sum += excessOf(end++);
        const auto count = end - i;
        if (count >= kLeastThirds && std::abs(sum) >= leastDb * static_cast<double>(count)) {
            const double half = std::exp2(1.0 / 6);
            found.push_back({thirdHz(static_cast<int>(i)) / half, thirdHz(static_cast<int>(end) - 1) * half,
                             sum / static_cast<double>(count)});
        }
        i = std::max(end, i + 1);
    }
    const auto weight = [](const OutOfRange& o) {
        return std::abs(o.excessDb) * std::log2(o.toHz / o.fromHz);
    };
    std::sort(found.begin(), found.end(),
              [&](const auto& a, const auto& b) { return weight(a) > weight(b); });
    return found;
}

} // namespace cask::measure
