#include "core/measure/punch/wishes.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

using dsp::CompressorSettings;
using dsp::LimiterSettings;
using dsp::PumpSettings;
using dsp::TransientSettings;

/// As people write a number: three digits.
double threeDigits(double x) {
    if (x == 0)
        return 0;
    const double unit = std::pow(10.0, std::floor(std::log10(std::abs(x))) - 2);
    return std::round(x / unit) * unit;
}

double within(double x, double from, double to) {
    return std::clamp(threeDigits(x), from, to);
}

/// The way with `change` made to all its modules of a kind.
template <class Settings, class Change> WishWay changed(WishWay way, const Change& change) {
    for (auto& module : way.modules)
        if (auto* settings = std::get_if<Settings>(&module))
            change(*settings);
    return way;
}

void addCompressors(std::vector<WishWay>& ways, const WishWay& way, const CompressorSettings& at,
                    double step) {
    constexpr double kThresholdDb = 3;
    constexpr double kRatioOctaves = 0.6;
    constexpr double kTimeOctaves = 0.8;
    constexpr double kRangeDb = 2;
    constexpr double kCornerOctaves = 0.4;
    const double most = CompressorSettings().rangeDb;
    for (const double by : {-step, step}) {
        const auto with = [&](const auto& change) {
            ways.push_back(changed<CompressorSettings>(way, change));
        };
        with([&](CompressorSettings& s) {
            s.thresholdDb = within(s.thresholdDb + by * kThresholdDb, -80, 0);
        });
        with([&](CompressorSettings& s) {
            s.ratio = within(s.ratio * std::exp2(by * kRatioOctaves), 1.1, 20);
        });
        with([&](CompressorSettings& s) {
            s.attackMs = within(s.attackMs * std::exp2(by * kTimeOctaves), 0.02, 200);
        });
        with([&](CompressorSettings& s) {
            s.releaseMs = within(s.releaseMs * std::exp2(by * kTimeOctaves), 8, 2000);
        });
        // Further from what lies under the part, or nearer.
        if (at.reach == dsp::GateReach::Between)
            with([&](CompressorSettings& s) {
                s.fromHz = within(s.fromHz * std::exp2(by * kCornerOctaves), 1000, 0.7 * s.toHz);
            });
        if (at.rangeDb < most)
            with([&](CompressorSettings& s) { s.rangeDb = within(s.rangeDb + by * kRangeDb, 0.5, most); });
    }
}

void addShapers(std::vector<WishWay>& ways, const WishWay& way, const TransientSettings& at, double step) {
    constexpr double kPercent = 15;
    constexpr double kTimeOctaves = 0.7;
    for (const double by : {-step, step}) {
        const auto with = [&](const auto& change) {
            ways.push_back(changed<TransientSettings>(way, change));
        };
        if (at.attackPercent != 0) {
            with([&](TransientSettings& s) {
                s.attackPercent = std::clamp(std::round(s.attackPercent + by * kPercent), -100.0, 100.0);
            });
            with([&](TransientSettings& s) {
                s.attackMs = within(s.attackMs * std::exp2(by * kTimeOctaves), 1, 100);
            });
        }
        if (at.sustainPercent != 0) {
            with([&](TransientSettings& s) {
                s.sustainPercent = std::clamp(std::round(s.sustainPercent + by * kPercent), -100.0, 100.0);
            });
            with([&](TransientSettings& s) {
                s.sustainMs = within(s.sustainMs * std::exp2(by * kTimeOctaves), 50, 5000);
            });
        }
    }
}

/// Depth, and where in the note it is open again.
void addPumps(std::vector<WishWay>& ways, const WishWay& way, double step) {
    constexpr double kDepthDb = 2;
    constexpr double kPlacePercent = 12;
    for (const double by : {-step, step}) {
        ways.push_back(changed<PumpSettings>(
            way, [&](PumpSettings& s) { s.depthDb = within(s.depthDb + by * kDepthDb, 0.5, 24); }));
        ways.push_back(changed<PumpSettings>(way, [&](PumpSettings& s) {
            s.points.back().placePercent =
                std::clamp(std::round(s.points.back().placePercent + by * kPlacePercent), 5.0, 95.0);
        }));
    }
}

void addLimiters(std::vector<WishWay>& ways, const WishWay& way, double step) {
    constexpr double kCeilingDb = 2;
    constexpr double kTimeOctaves = 0.8;
    for (const double by : {-step, step}) {
        ways.push_back(changed<LimiterSettings>(
            way, [&](LimiterSettings& s) { s.ceilingDb = within(s.ceilingDb + by * kCeilingDb, -60, 0); }));
        ways.push_back(changed<LimiterSettings>(way, [&](LimiterSettings& s) {
            s.releaseMs = within(s.releaseMs * std::exp2(by * kTimeOctaves), 5, 2000);
        }));
    }
}

} // namespace

std::vector<WishWay> waysNear(const WishWay& way, double step) {
    std::vector<WishWay> ways;
    if (const auto* compressor = std::get_if<CompressorSettings>(&way.modules.front()))
        addCompressors(ways, way, *compressor, step);
    else if (const auto* shaper = std::get_if<TransientSettings>(&way.modules.front()))
        addShapers(ways, way, *shaper, step);
    else if (std::holds_alternative<LimiterSettings>(way.modules.front()))
        addLimiters(ways, way, step);
    else
        addPumps(ways, way, step);
    return ways;
}

} // namespace cask::measure
