#include "core/layers/layer.h"

#include "core/layers/chance.h"

#include <algorithm>
#include <cmath>

namespace cask::layers {

bool meansNote(const LayerRule& rule, int note) {
    return note >= rule.lowNote && note <= rule.highNote &&
           (rule.notes.empty() || std::find(rule.notes.begin(), rule.notes.end(), note) != rule.notes.end());
}

double velocityOf(double levelDb) {
    return std::clamp(127 * std::pow(10, levelDb / 40), 1.0, 127.0);
}
double levelDbOf(double velocity) {
    return 40 * std::log10(velocity / 127);
}

Layer layerOf(const std::vector<std::filesystem::path>& files) {
    Layer layer;
    layer.name = files.empty() ? std::string() : files.front().stem().string();
    for (const auto& file : files)
        if (file.extension() == ".sfz") {
            layer.kit = file;
            layer.atTransient = false; // a kit says itself where its sounds begin
        } else {
            layer.sounds.push_back({file});
        }
    return layer;
}

bool hasSpill(const Stack& stack) {
    return std::any_of(stack.layers.begin(), stack.layers.end(),
                       [](const Layer& layer) { return layer.isOn && layer.isSpill; });
}

std::vector<std::size_t> ownStrikes(const Stack& stack) {
    const auto isOwnLayer = [](const Layer& layer) { return !layer.isSpill; };
    const bool hasOwn = std::any_of(stack.layers.begin(), stack.layers.end(), isOwnLayer);
    std::vector<std::size_t> own;
    for (std::size_t i = 0; i < stack.strikes.size(); ++i) {
        const int note = stack.strikes[i].note;
        if (!hasOwn || std::any_of(stack.layers.begin(), stack.layers.end(), [&](const Layer& layer) {
                return isOwnLayer(layer) && meansNote(layer.rule, note);
            }))
            own.push_back(i);
    }
    return own;
}

bool isInRoll(const std::vector<Strike>& strikes, std::size_t i) {
    if (strikes[i].hitClass == "roll")
        return true;
    return i > 0 && i + 1 < strikes.size() && strikes[i].timeS - strikes[i - 1].timeS < kRollGapS &&
           strikes[i + 1].timeS - strikes[i].timeS < kRollGapS;
}

std::vector<std::size_t> strikesOf(const LayerRule& rule, const std::vector<Strike>& strikes) {
    const auto isWanted = [&](std::size_t i) {
        const Strike& s = strikes[i];
        const bool isOfKind = rule.kind == StrikeKind::All ||
                              (rule.kind == StrikeKind::Accents && s.hitClass == "accent") ||
                              (rule.kind == StrikeKind::NoGhosts && s.hitClass != "ghost") ||
                              (rule.kind == StrikeKind::Ghosts && s.hitClass == "ghost");
        const bool isThen = s.timeS >= rule.fromS && (rule.toS <= 0 || s.timeS < rule.toS);
        return isOfKind && isThen && meansNote(rule, s.note) && s.velocity >= rule.lowVelocity &&
               s.velocity <= rule.highVelocity && !(rule.neverInRolls && isInRoll(strikes, i));
    };
    std::vector<std::size_t> chosen;
    int left = 0;
    for (std::size_t i = 0; i < strikes.size(); ++i)
        if (isWanted(i) && (++left - rule.first) % std::max(1, rule.every) == 0 && left >= rule.first &&
            100 * chanceOf(rule.seed, i) < rule.chancePercent)
            chosen.push_back(i);
    return chosen;
}

} // namespace cask::layers
