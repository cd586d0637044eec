#include "core/measure/look/shot_ear.h"

#include "core/measure/hits/shipped_ears.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr std::string_view kTitle = "shot-ear 1";

float musical(double value, double least) {
    return static_cast<float>(std::log2(std::max(value, least)));
}

} // namespace

std::array<float, kShotNumbers> shotNumbers(const SoundLook& look) {
    std::array<float, kShotNumbers> numbers{};
    const auto shape = look.shape.values.begin();
    auto at =
        std::transform(shape, shape + LookShape::kCells + LookShape::kLow, numbers.begin(),
                       [](std::uint8_t value) { return static_cast<float>(value * LookShape::kStepDb); });
    const bool hasNote = look.fundamentalHz > 0;
    for (const float number : {musical(look.lengthMs, 5), musical(look.attackMs, 0.1),
                               musical(look.decayMs, 5), musical(look.brightnessHz, 30),
                               static_cast<float>(look.noisiness), static_cast<float>(look.lowShare),
                               hasNote ? 1.0F : 0.0F, hasNote ? musical(look.fundamentalHz, 20) : 0.0F,
                               hasNote ? musical(look.fromHz / look.fundamentalHz, 0.5) : 0.0F,
                               hasNote ? musical(look.fallMs, 1) : 0.0F})
        *at++ = number;
    return numbers;
}

ShotShares shotShares(const std::vector<StrokeNet>& ear, const SoundLook& look) {
    ShotShares shares{};
    if (ear.empty())
        return shares;
    const auto numbers = shotNumbers(look);
    const auto average = averageShares(ear, numbers);
    std::copy_n(average.begin(), kShotKinds, shares.begin());
    return shares;
}

Result<std::vector<StrokeNet>> parseShotEar(std::string_view text) {
    auto nets = parseNets(kTitle, text);
    if (nets && std::any_of(nets->begin(), nets->end(), [](const StrokeNet& net) {
            return net.inputs() != kShotNumbers || net.outputs() != kShotKinds;
        }))
        return Error{ErrorCode::BadFormat,
                     "The trained ear for one-shots hears other numbers than this program has."};
    return nets;
}

std::string writeShotEar(const std::vector<StrokeNet>& ear) {
    return writeNets(kTitle, ear);
}

const std::vector<StrokeNet>& shippedShotEar() {
    static const std::vector<StrokeNet> ear = [] {
        auto parsed = parseShotEar(shippedShotEarText());
        return parsed ? *parsed : std::vector<StrokeNet>{};
    }();
    return ear;
}

} // namespace cask::measure
