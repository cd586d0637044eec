#include "core/layers/stack_look.h"

#include "core/layers/stack_source.h"
#include "core/measure/look/sound_look.h"

#include <algorithm>
#include <cmath>

namespace cask::layers {
namespace {

std::size_t strikeToLookAt(const Stack& stack) {
    std::vector<int> playing(stack.strikes.size(), 0);
    for (const auto& layer : stack.layers)
        if (layer.isOn)
            for (const std::size_t i : strikesOf(layer.rule, stack.strikes))
                ++playing[i];
    const auto own = ownStrikes(stack); // not those of which it has the spill alone
    std::size_t best = own.empty() ? 0 : own.front();
    for (const std::size_t i : own)
        if (playing[i] > playing[best] ||
            (playing[i] == playing[best] && stack.strikes[i].velocity > stack.strikes[best].velocity))
            best = i;
    return best;
}

/// Everything of a source, mono.
std::vector<float> monoOf(StackSource& source) {
    measure::Sound sound(static_cast<std::size_t>(source.channels()),
                         std::vector<float>(static_cast<std::size_t>(source.frames())));
    for (std::size_t c = 0; c < sound.size(); ++c)
        (void)source.read(static_cast<int>(c), 0, sound[c]);
    return measure::monoOf(sound);
}

std::vector<float> sumOf(const std::vector<measure::Sound>& sounds) {
    std::vector<float> sum;
    for (const auto& sound : sounds) {
        if (sound.empty())
            continue;
        const auto mono = measure::monoOf(sound);
        sum.resize(std::max(sum.size(), mono.size()), 0.0F);
        for (std::size_t n = 0; n < mono.size(); ++n)
            sum[n] += mono[n];
    }
    return sum;
}

/// A layer that plays other notes than a strike's: the loudest that it plays.
Strike ownStrike(const Stack& stack, const Layer& layer, Strike strike) {
    if (meansNote(layer.rule, strike.note))
        return strike;
    const Strike* loudest = nullptr;
    for (const auto& other : stack.strikes)
        if (meansNote(layer.rule, other.note) && (loudest == nullptr || other.velocity > loudest->velocity))
            loudest = &other;
    if (loudest != nullptr)
        strike.note = loudest->note;
    return strike;
}

} // namespace

StackLook lookAtStack(const Stack& stack, double rateHz) {
    StackLook look;
    look.rateHz = rateHz;
    if (stack.strikes.empty())
        return look;
    look.strike = strikeToLookAt(stack);
    Strike strike = stack.strikes[look.strike];
    strike.timeS = 0.001 * StackLook::kBeforeMs;
    std::vector<measure::Sound> judged;
    for (auto layer : stack.layers) {
        look.sounds.emplace_back();
        look.extents.emplace_back();
        look.notesHz.push_back(0);
        const Strike own = ownStrike(stack, layer, strike);
        const bool isStruck = meansNote(layer.rule, strike.note); // one that is not is seen, but in no sum
        layer.rule = {};
        layer.levelSpreadDb = 0;
        const auto source =
            layer.isOn ? StackSource::make(
                             {{own}, 0.001 * (StackLook::kBeforeMs + StackLook::kAfterMs), {layer}}, rateHz)
                       : Error{ErrorCode::Empty, {}};
        if (source && !(*source)->voices().empty()) {
            auto& sound = look.sounds.back();
            sound.assign(static_cast<std::size_t>((*source)->channels()),
                         std::vector<float>(static_cast<std::size_t>((*source)->frames())));
            for (std::size_t c = 0; c < sound.size(); ++c)
                (void)(*source)->read(static_cast<int>(c), 0, sound[c]);
            const auto& voice = (*source)->voices().front();
            const auto& played = (*source)->sounds()[voice.sound].sound.front();
            const double from = 1000 * framesToSeconds(voice.start, rateHz) - StackLook::kBeforeMs;
            look.extents.back() = {from, from + 1000 * static_cast<double>(played.size()) / rateHz};
            if (const auto its = measure::lookOf(sound, rateHz))
                look.notesHz.back() = its->fundamentalHz;
        }
        // A silent layer keeps its place.
        judged.push_back(
            look.sounds.back().empty() || !isStruck
                ? measure::Sound(1, std::vector<float>(static_cast<std::size_t>(0.1 * rateHz), 0.0F))
                : look.sounds.back());
    }
    if (judged.empty())
        return look;
    look.judged = measure::judgeStack(judged, rateHz);
    look.halfLengthDb = measure::attackOfHalfLengthDb(sumOf(judged), rateHz);
    return look;
}

std::optional<PurposeVerdict> purposeVerdict(LayerPurpose purpose, const measure::StackJudgement& judged,
                                             std::size_t layer) {
    if (purpose == LayerPurpose::Any || layer >= judged.layers.size() ||
        judged.layers[layer].thirdShares.empty())
        return std::nullopt;
    const auto& own = judged.layers[layer];
    if (purpose == LayerPurpose::Texture)
        return PurposeVerdict{1 - dbToPower(-own.mostLostDb),
                              own.mostLostHz >= kTextureHz && own.mostLostDb >= 1};
    const auto shareOf = [&](const measure::LayerPart& part) {
        return purpose == LayerPurpose::Impact ? part.attackShare
               : purpose == LayerPurpose::Lows ? part.lowShare
               : purpose == LayerPurpose::Body ? part.bodyShare
                                               : part.tailShare;
    };
    const double share = shareOf(own);
    return PurposeVerdict{share, std::all_of(judged.layers.begin(), judged.layers.end(), [&](const auto& p) {
                              return p.thirdShares.empty() || shareOf(p) <= share;
                          })};
}

double centsFromOctave(double hz, double ofHz) {
    const double cents = 1200 * std::log2(hz / ofHz);
    return cents - 1200 * std::round(cents / 1200);
}

Result<std::optional<measure::LayerPlace>> bestPlaceOf(const Stack& stack, std::size_t layer, double rateHz,
                                                       const CancelToken& cancel) {
    Stack alone = stack;
    alone.layers = {stack.layers[layer]};
    alone.layers.front().isOn = true;
    Stack others = stack;
    others.layers.erase(others.layers.begin() + static_cast<std::ptrdiff_t>(layer));
    const auto own = StackSource::make(alone, rateHz, cancel);
    if (!own)
        return own.error();
    const auto rest = StackSource::make(others, rateHz, cancel);
    if (!rest)
        return rest.error();
    std::vector<double> strikesS;
    for (const std::size_t i : strikesOf(stack.layers[layer].rule, stack.strikes))
        strikesS.push_back(stack.strikes[i].timeS);
    return measure::bestPlace(monoOf(**rest), monoOf(**own), strikesS, rateHz, cancel);
}

Layer placed(Layer layer, const measure::LayerPlace& place) {
    layer.offsetMs = std::round(1000 * (layer.offsetMs + place.shiftMs)) / 1000;
    layer.isInverted = layer.isInverted != place.isInverted;
    return layer;
}

} // namespace cask::layers
