#include "core/kit_measures/spread.h"

#include "core/kit_measures/node_sound.h"
#include "core/measure/integrated_loudness.h"

#include <algorithm>
#include <cmath>

namespace cask::kit {
namespace {

constexpr double kStrokeS = 0.08;
constexpr std::size_t kFewestStrokes = 2;

using Sides = std::vector<std::vector<float>>;

double integratedOf(const Sides& sides, double width, bool isMono, double rate) {
    measure::IntegratedLoudness meter(rate, 2);
    constexpr std::size_t kPiece = 8192;
    std::vector<float> piece;
    const auto same = static_cast<float>((1 + width) / 2);
    const auto other = static_cast<float>((1 - width) / 2);
    for (std::size_t at = 0; at < sides[0].size(); at += kPiece) {
        const std::size_t n = std::min(kPiece, sides[0].size() - at);
        piece.resize(2 * n);
        for (std::size_t i = 0; i < n; ++i) {
            const float l = sides[0][at + i];
            const float r = sides[1][at + i];
            piece[2 * i] = isMono ? (l + r) / 2 : same * l + other * r;
            piece[2 * i + 1] = isMono ? (l + r) / 2 : same * r + other * l;
        }
        meter.add(piece);
    }
    return meter.lufs();
}

/// Energy of middle and side after the strokes of each drum.
struct DrumPowers {
    double middle = 0;
    double side = 0;
    std::size_t strokes = 0;
};

std::vector<DrumPowers> powersOf(const Sides& sides, const measure::KitHits& hits, Frames from, double rate) {
    std::vector<DrumPowers> powers(hits.kit.drums.size());
    for (const auto& stroke : hits.strokes) {
        const Frames begin = secondsToFrames(stroke.timeS, rate) - from;
        const Frames end = begin + secondsToFrames(kStrokeS, rate);
        if (begin < 0 || end > static_cast<Frames>(sides[0].size()))
            continue;
        auto& drum = powers[static_cast<std::size_t>(stroke.drum)];
        ++drum.strokes;
        for (auto i = static_cast<std::size_t>(begin); i < static_cast<std::size_t>(end); ++i) {
            const double middle = (sides[0][i] + sides[1][i]) / 2.0;
            const double side = (sides[0][i] - sides[1][i]) / 2.0;
            drum.middle += middle * middle;
            drum.side += side * side;
        }
    }
    return powers;
}

} // namespace

double monoLossLu(const Sides& sides, double widthPercent, double rate) {
    const double stereo = integratedOf(sides, widthPercent / 100, false, rate);
    const double mono = integratedOf(sides, 1, true, rate);
    return stereo > kSilenceDb + 1 && mono > kSilenceDb + 1 ? stereo - mono : 0;
}

Result<std::vector<SpreadLoss>> measureSpread(const session::Session& s, session::Id element,
                                              const advise::HitAnalysis* hits,
                                              const graph::SourceLookup& sources,
                                              const std::vector<double>& widthsPercent, Frames from,
                                              std::size_t frames, const CancelToken& cancel) {
    const auto* e = s.element(element);
    if (e == nullptr || !e->isStereo())
        return Error{ErrorCode::BadValue, "Only a stereo element has a spread; join the pair first."};
    const auto sides = nodeSound(s, element, sources, from, frames, cancel);
    if (!sides)
        return sides.error();
    const auto powers =
        hits == nullptr ? std::vector<DrumPowers>() : powersOf(*sides, hits->hits, from, s.sampleRateHz);
    std::vector<SpreadLoss> losses;
    for (const double percent : widthsPercent) {
        const double width = percent / 100;
        SpreadLoss loss{percent, monoLossLu(*sides, percent, s.sampleRateHz), {}};
        for (std::size_t d = 0; d < powers.size(); ++d)
            if (powers[d].strokes >= kFewestStrokes && powers[d].middle > 0)
                loss.drums.push_back(
                    {hits->hits.kit.drums[d].name,
                     10 * std::log10(1 + width * width * powers[d].side / powers[d].middle)});
        std::stable_sort(loss.drums.begin(), loss.drums.end(),
                         [](const DrumLoss& a, const DrumLoss& b) { return a.lossDb > b.lossDb; });
        losses.push_back(std::move(loss));
    }
    return losses;
}

} // namespace cask::kit
