#include "core/layers/loop_cut.h"

#include "core/measure/hits/loop_hits.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace cask::layers {
namespace {

Frames framesOf(double ms, double rateHz) {
    return static_cast<Frames>(std::llround(0.001 * ms * rateHz));
}

/// Drums in the order in which a kit is listed; others behind them.
int placeOf(const std::string& drum) {
    const auto known = measure::loopDrumFromName(drum);
    return known ? static_cast<int>(*known) : 1000;
}

bool isDropped(const LoopFit& fit, const std::string& drum) {
    return std::find(fit.dropped.begin(), fit.dropped.end(), drum) != fit.dropped.end();
}

/// The place in the grid that a beat is nearest to.
double gridBeat(double beat, const LoopFit& fit) {
    const double step = 1.0 / fit.stepsPerBeat;
    const auto lineAt = [&](double k) {
        const bool isBetween = std::fmod(std::abs(k), 2) == 1;
        return step * (k + (isBetween ? 0.02 * fit.shufflePercent - 1 : 0));
    };
    const double middle = std::round(beat / step);
    double best = lineAt(middle);
    for (const double k : {middle - 1, middle + 1})
        if (std::abs(lineAt(k) - beat) < std::abs(best - beat))
            best = lineAt(k);
    return best;
}

struct Times {
    std::vector<double> hitS;
    double periodS = 0; ///< after which it may begin again
    double ratio = 1;   ///< of its length as it is to its new one
};

Result<Times> timesOf(const std::vector<LoopPiece>& pieces, double startS, double rateHz,
                      const measure::Tempo& tempo, const LoopFit& fit) {
    if (!tempo.isKnown && (fit.bpm > 0 || fit.tightenPercent > 0))
        return Error{
            ErrorCode::NotFound,
            "The tempo of the loop is not known, so it can't be brought to a grid or another tempo."};
    Times times;
    const double endS = startS + framesToSeconds(pieces.back().to, rateHz);
    times.periodS = endS - startS;
    if (!tempo.isKnown) {
        for (const auto& piece : pieces)
            times.hitS.push_back(startS + framesToSeconds(piece.hit, rateHz));
        return times;
    }
    const double firstBeat = tempo.beatAt(startS);
    const double beats = std::max(1.0, std::round(tempo.beatAt(endS) - firstBeat));
    const double beatS = fit.bpm > 0 ? 60 / fit.bpm : (endS - startS) / (tempo.beatAt(endS) - firstBeat);
    times.periodS = beats * beatS;
    times.ratio = fit.bpm > 0 ? (tempo.beatAt(endS) - firstBeat) * beatS / (endS - startS) : 1;
    for (const auto& piece : pieces) {
        const double hitS = startS + framesToSeconds(piece.hit, rateHz);
        double beat = tempo.beatAt(hitS);
        if (!piece.drums.empty())
            beat += 0.01 * fit.tightenPercent * (gridBeat(beat, fit) - beat);
        times.hitS.push_back(fit.bpm > 0              ? startS + (beat - firstBeat) * beatS
                             : fit.tightenPercent > 0 ? tempo.timeOf(beat)
                                                      : hitS);
    }
    return times;
}

/// Notes of the pieces by name, the pieces of a name after each other.
std::vector<std::vector<std::size_t>> byName(const std::vector<LoopPiece>& pieces) {
    std::vector<std::vector<std::size_t>> groups;
    std::map<std::string, std::size_t> known;
    for (std::size_t i = 0; i < pieces.size(); ++i) {
        const auto [at, isNew] = known.emplace(pieces[i].name(), groups.size());
        if (isNew)
            groups.emplace_back();
        groups[at->second].push_back(i);
    }
    std::stable_sort(groups.begin(), groups.end(), [&](const auto& a, const auto& b) {
        const auto& first = pieces[a.front()].drums;
        const auto& second = pieces[b.front()].drums;
        const auto key = [](const auto& drums) {
            return std::pair(drums.empty() ? -1 : placeOf(drums.front()), drums.size());
        };
        return key(first) < key(second);
    });
    return groups;
}

constexpr std::size_t kMostOfKit = 128;

/// Groups that a kit has notes enough for.
std::vector<std::vector<std::size_t>> inKits(const std::vector<std::vector<std::size_t>>& groups) {
    std::vector<std::vector<std::size_t>> kits;
    for (const auto& group : groups)
        for (std::size_t from = 0; from < group.size(); from += kMostOfKit)
            kits.emplace_back(group.begin() + static_cast<std::ptrdiff_t>(from),
                              group.begin() +
                                  static_cast<std::ptrdiff_t>(std::min(group.size(), from + kMostOfKit)));
    return kits;
}

constexpr std::string_view kBeside = " beside ";

/// "hat beside kick": the kick is to be heard no more.
std::string besideName(const LoopPiece& piece, const LoopFit& fit) {
    std::vector<std::string> kept;
    std::vector<std::string> gone;
    for (const auto& drum : piece.drums)
        (isDropped(fit, drum) ? gone : kept).push_back(drum);
    return fmt::format("{}{}{}", fmt::join(kept, " + "), kBeside, fmt::join(gone, " + "));
}

LayerPurpose purposeOf(const LoopPiece& piece) {
    return !piece.drums.empty() && piece.drums.front() == "kick" ? LayerPurpose::Lows : LayerPurpose::Any;
}

} // namespace

std::string LoopPiece::name() const {
    return drums.empty() ? std::string("start") : fmt::format("{}", fmt::join(drums, " + "));
}

std::vector<LoopPiece> cutAtHits(std::vector<CutHit> hits, Frames frames, double rateHz) {
    const Frames lead = framesOf(kCutLeadMs, rateHz);
    const Frames fade = framesOf(kCutFadeMs, rateHz);
    std::erase_if(hits, [&](const CutHit& hit) {
        return hit.timeS < 0 || secondsToFrames(hit.timeS, rateHz) >= frames;
    });
    std::stable_sort(hits.begin(), hits.end(),
                     [](const CutHit& a, const CutHit& b) { return a.timeS < b.timeS; });
    std::vector<LoopPiece> pieces;
    if (hits.empty() || secondsToFrames(hits.front().timeS, rateHz) > 2 * lead)
        pieces.push_back({0, -lead, frames, {}});
    double startS = -1;
    double topDb = 0;
    for (const auto& hit : hits) {
        const bool isNew = startS < 0 || hit.timeS - startS > kOneHitS;
        if (isNew) {
            startS = hit.timeS;
            const Frames at = secondsToFrames(hit.timeS, rateHz);
            pieces.push_back({at, at - lead, frames, {}});
        }
        auto& piece = pieces.back();
        if (std::find(piece.drums.begin(), piece.drums.end(), hit.drum) == piece.drums.end())
            piece.drums.push_back(hit.drum);
        if (isNew || hit.levelDb > topDb) {
            topDb = hit.levelDb;
            piece.hitClass = hit.hitClass;
        }
    }
    for (std::size_t i = 0; i < pieces.size(); ++i) {
        if (i + 1 < pieces.size())
            pieces[i].to = std::min(frames, pieces[i + 1].from + fade);
        std::stable_sort(pieces[i].drums.begin(), pieces[i].drums.end(),
                         [](const auto& a, const auto& b) { return placeOf(a) < placeOf(b); });
    }
    return pieces;
}

Result<LoopMade> loopStack(const std::vector<LoopPiece>& pieces, double startS, double rateHz,
                           const measure::Tempo& tempo, const LoopFit& fit,
                           const std::filesystem::path& folder) {
    if (pieces.empty() || pieces.size() > kMostPieces)
        return Error{ErrorCode::BadValue, fmt::format("The loop has {} pieces; from 1 to {} can be struck.",
                                                      pieces.size(), kMostPieces)};
    const auto times = timesOf(pieces, startS, rateHz, tempo, fit);
    if (!times)
        return times.error();
    LoopMade made;
    if (fit.isStretched)
        made.lengthPercent = std::clamp(100 * times->ratio, 25.0, 400.0);
    made.notes.resize(pieces.size());
    int note = 0;
    for (const auto& group : inKits(byName(pieces))) {
        const LoopPiece& first = pieces[group.front()];
        Layer layer;
        layer.name = first.name();
        layer.purpose = purposeOf(first);
        layer.kit = folder / fmt::format("kit {}.sfz", made.stack.layers.size() + 1);
        layer.note = 0;
        layer.noteShift = -note;
        layer.atTransient = false;
        layer.leadMs = 1000 * framesToSeconds(framesOf(kCutLeadMs, rateHz), rateHz);
        layer.fadeInMs = layer.fadeOutMs = kCutFadeMs;
        layer.lengthPercent = made.lengthPercent;
        layer.lowCutHz = fit.lowCutHz;
        layer.rule.lowNote = note;
        for (const std::size_t i : group)
            made.notes[i] = note++;
        layer.rule.highNote = note - 1;
        const auto gone = std::count_if(first.drums.begin(), first.drums.end(),
                                        [&](const std::string& drum) { return isDropped(fit, drum); });
        layer.isOn = first.drums.empty() || gone < static_cast<std::ptrdiff_t>(first.drums.size());
        if (!layer.isOn)
            made.dropped += static_cast<int>(group.size());
        if (gone > 0 && layer.isOn) {
            made.besides += static_cast<int>(group.size());
            layer.name = besideName(first, fit);
            if (first.drums.front() == "kick" && isDropped(fit, "kick"))
                layer.lowCutHz = std::max(layer.lowCutHz, fit.besideKickHz);
        }
        made.stack.layers.push_back(std::move(layer));
    }
    for (int round = 0; round < fit.repeats; ++round)
        for (std::size_t i = 0; i < pieces.size(); ++i)
            made.stack.strikes.push_back({std::max(0.0, times->hitS[i] + round * times->periodS), 127,
                                          pieces[i].hitClass, made.notes[i]});
    std::stable_sort(made.stack.strikes.begin(), made.stack.strikes.end(),
                     [](const Strike& a, const Strike& b) { return a.timeS < b.timeS; });
    return made;
}

std::vector<std::string> drumsOfLayer(const Layer& layer) {
    std::vector<std::string> drums;
    std::string_view rest = std::string_view(layer.name).substr(0, layer.name.find(kBeside));
    while (layer.rule.lowNote >= 0 && !rest.empty()) {
        const auto end = rest.find(" + ");
        const auto drum = rest.substr(0, end);
        if (!measure::loopDrumFromName(drum))
            return {};
        drums.emplace_back(drum);
        rest = end == std::string_view::npos ? std::string_view() : rest.substr(end + 3);
    }
    return drums;
}

std::string loopKit(const LoopMade& made, std::size_t layer, const std::vector<std::string>& files) {
    const Layer& of = made.stack.layers[layer];
    std::string text = "// Pieces of a loop, each at a note of its own.\n<global> loop_mode=one_shot\n";
    for (std::size_t i = 0; i < files.size(); ++i)
        if (made.notes[i] >= of.rule.lowNote && made.notes[i] <= of.rule.highNote)
            text += fmt::format("<region> key={} sample={}\n", made.notes[i] + of.noteShift, files[i]);
    return text;
}

} // namespace cask::layers
