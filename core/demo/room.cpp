#include "core/demo/room.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace cask::demo {
namespace {

constexpr double kSoundSpeed = 343;
/// Distance at which a close microphone hears its drum at the level it was made.
constexpr double kReferenceM = 0.1;

double distance(const Point& a, const Point& b) {
    return std::sqrt((a.x - b.x) * (a.x - b.x) + (a.y - b.y) * (a.y - b.y) + (a.z - b.z) * (a.z - b.z));
}

/// One delayed and dulled copy; parts of a frame by straight lines.
void addPath(std::span<const float> source, double delayFrames, double gain, double lowpassHz, double rate,
             std::span<float> out) {
    const auto whole = static_cast<std::size_t>(delayFrames);
    const auto part = static_cast<float>(delayFrames - static_cast<double>(whole));
    const auto a = static_cast<float>(1 - std::exp(-2 * kPi * lowpassHz / rate));
    const auto g = static_cast<float>(gain);
    float last = 0;
    float z = 0;
    for (std::size_t i = 0; i + whole < out.size() && i < source.size(); ++i) {
        const float x = source[i] * (1 - part) + last * part;
        last = source[i];
        z += a * (x - z);
        out[i + whole] += g * z;
    }
}

} // namespace

void addHeard(std::span<const float> source, const Point& place, const Microphone& mic, const RoomSize& room,
              bool own, double gain, double rate, std::span<float> out) {
    const double direct = std::max(0.04, distance(place, mic.at));
    const double level = gain * mic.closeGain * kReferenceM;
    addPath(source, direct / kSoundSpeed * rate, level / direct, own ? 18000 : mic.offAxisHz, rate, out);
    if (mic.reflections <= 0)
        return;
    const std::array<Point, 5> images = {
        Point{-place.x, place.y, place.z}, Point{2 * room.size.x - place.x, place.y, place.z},
        Point{place.x, -place.y, place.z}, Point{place.x, 2 * room.size.y - place.y, place.z},
        Point{place.x, place.y, 2 * room.size.z - place.z}};
    for (const auto& image : images) {
        const double d = distance(image, mic.at);
        addPath(source, d / kSoundSpeed * rate, level * mic.reflections * room.wall / d, 6000, rate, out);
    }
}

std::array<std::vector<float>, 2> lateSound(std::span<const float> feed, const RoomSize& room, double rate) {
    constexpr std::size_t kLines = 8;
    constexpr std::array<double, kLines> kLengthsMs = {29.7, 37.1, 41.1, 43.7, 53.3, 59.9, 67.7, 73.1};
    std::array<std::vector<float>, kLines> lines;
    std::array<std::size_t, kLines> at{};
    std::array<float, kLines> feedback{};
    std::array<float, kLines> damp{};
    for (std::size_t l = 0; l < kLines; ++l) {
        lines[l].assign(static_cast<std::size_t>(kLengthsMs[l] * 0.001 * rate), 0.0F);
        feedback[l] =
            static_cast<float>(std::pow(10.0, -3 * kLengthsMs[l] * 0.001 / room.decayS) / std::sqrt(8.0));
    }
    const auto a = static_cast<float>(1 - std::exp(-2 * kPi * 5500 / rate));
    std::array<std::vector<float>, 2> out{std::vector<float>(feed.size()), std::vector<float>(feed.size())};
    for (std::size_t n = 0; n < feed.size(); ++n) {
        std::array<float, kLines> v{};
        for (std::size_t l = 0; l < kLines; ++l) {
            damp[l] += a * (lines[l][at[l]] - damp[l]);
            v[l] = damp[l];
        }
        out[0][n] = v[0] - v[2] + v[4] - v[6];
        out[1][n] = v[1] - v[3] + v[5] - v[7];
        for (std::size_t half = 1; half < kLines; half *= 2)
            for (std::size_t i = 0; i < kLines; i += 2 * half)
                for (std::size_t j = i; j < i + half; ++j) {
                    const float x = v[j];
                    const float y = v[j + half];
                    v[j] = x + y;
                    v[j + half] = x - y;
                }
        for (std::size_t l = 0; l < kLines; ++l) {
            lines[l][at[l]] = feed[n] + feedback[l] * v[l];
            at[l] = at[l] + 1 == lines[l].size() ? 0 : at[l] + 1;
        }
    }
    return out;
}

} // namespace cask::demo
