#include "core/kit_measures/quick_effects.h"

#include "core/kit_measures/node_sound.h"
#include "core/kit_measures/spread.h"
#include "core/measure/loudness.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace cask::kit {
namespace {

using session::QuickMove;
using Sound = std::vector<std::vector<float>>;

constexpr double kAttackS = 0.010;
constexpr double kTailFromS = 0.120;
constexpr double kTailToS = 0.400;
constexpr double kLowsHz = 80;

double energyOf(const Sound& sound, std::size_t from, std::size_t to) {
    double sum = 0;
    for (const auto& channel : sound)
        for (std::size_t i = from; i < std::min(to, channel.size()); ++i)
            sum += static_cast<double>(channel[i]) * static_cast<double>(channel[i]);
    return sum;
}

double changeDbOf(double after, double before) {
    constexpr double kNothing = 1e-15;
    return 10 * std::log10(std::max(after, kNothing) / std::max(before, kNothing));
}

/// What lies under 80 Hz: two poles in a row, enough for a share.
Sound lowsOf(const Sound& sound, double rate) {
    Sound lows = sound;
    const auto c = static_cast<float>(1 - std::exp(-2 * kPi * kLowsHz / rate));
    for (auto& channel : lows) {
        float a = 0;
        float b = 0;
        for (float& x : channel) {
            a += c * (x - a);
            b += c * (a - b);
            x = b;
        }
    }
    return lows;
}

double medianOf(std::vector<double> values) {
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

/// What a window after the element's own hits gains against the whole; nothing without hits.
std::optional<double> windowGainDb(const Sound& after, const Sound& before,
                                   const std::vector<double>& onsetsS, double fromS, double toS,
                                   double rate) {
    std::vector<double> gains;
    for (std::size_t i = 0; i < onsetsS.size(); ++i) {
        // A hit that comes before ends the window; a tail that is cut short is none.
        if (i + 1 < onsetsS.size() && onsetsS[i + 1] - onsetsS[i] < toS)
            continue;
        const auto from = static_cast<std::size_t>((onsetsS[i] + fromS) * rate);
        const auto to = static_cast<std::size_t>((onsetsS[i] + toS) * rate);
        const double was = energyOf(before, from, to);
        if (to < before.front().size() && was > 1e-9)
            gains.push_back(changeDbOf(energyOf(after, from, to), was));
    }
    if (gains.empty())
        return std::nullopt;
    const std::size_t all = before.front().size();
    return medianOf(std::move(gains)) - changeDbOf(energyOf(after, 0, all), energyOf(before, 0, all));
}

std::vector<double> onsetsOf(session::Id element, const advise::HitAnalysis& hits, double fromS, double toS) {
    std::vector<double> onsets;
    const int input = hits.inputOf(element);
    for (const auto& heard : hits.hits.heard)
        if (heard.input == input && heard.isOwn && heard.timeS >= fromS && heard.timeS < toS)
            onsets.push_back(heard.timeS - fromS);
    return onsets;
}

} // namespace

Result<QuickEffects> measureQuick(const session::Session& s, session::Id element,
                                  const advise::HitAnalysis* hits, const graph::SourceLookup& sources,
                                  Frames from, std::size_t frames, const CancelToken& cancel) {
    const auto* e = s.element(element);
    if (e == nullptr)
        return Error{ErrorCode::NotFound, "There is no such element."};
    const auto now = nodeSound(s, element, sources, from, frames, cancel);
    if (!now)
        return now.error();
    QuickEffects effects;
    const double lufs = measure::integratedLufs(*now, s.sampleRateHz);
    if (lufs > kSilenceDb + 1)
        effects.db[QuickMove::Level] = lufs + e->out.levelDb;
    if (e->out.pan != 0) {
        const auto gains = graph::outputGains(e->out, e->isStereo());
        const auto power = [&](int side) {
            double sum = 0;
            for (std::size_t channel = 0; channel < now->size(); ++channel)
                sum += gains[channel][static_cast<std::size_t>(side)] *
                       gains[channel][static_cast<std::size_t>(side)] *
                       energyOf({(*now)[channel]}, 0, frames);
            return sum;
        };
        effects.db[QuickMove::Pan] = std::clamp(changeDbOf(power(0), power(1)), -99.0, 99.0);
    }
    if (e->isStereo())
        effects.db[QuickMove::Width] = monoLossLu(*now, e->out.widthPercent, s.sampleRateHz);
    const double fromS = framesToSeconds(from, s.sampleRateHz);
    const auto onsets = hits == nullptr
                            ? std::vector<double>()
                            : onsetsOf(element, *hits, fromS,
                                       fromS + framesToSeconds(static_cast<Frames>(frames), s.sampleRateHz));
    for (const QuickMove move :
         {QuickMove::HighPass, QuickMove::Attack, QuickMove::Sustain, QuickMove::Pump}) {
        const auto without = session::withoutQuickMove(s, element, move);
        if (without == s)
            continue;
        const auto before = nodeSound(without, element, sources, from, frames, cancel);
        if (!before)
            return before.error();
        if (move == QuickMove::HighPass || move == QuickMove::Pump)
            effects.db[move] = changeDbOf(energyOf(*now, 0, frames), energyOf(*before, 0, frames));
        if (move == QuickMove::HighPass)
            effects.lowsDb[move] = changeDbOf(energyOf(lowsOf(*now, s.sampleRateHz), 0, frames),
                                              energyOf(lowsOf(*before, s.sampleRateHz), 0, frames));
        const bool isAttack = move == QuickMove::Attack;
        if (isAttack || move == QuickMove::Sustain)
            if (const auto gain = windowGainDb(*now, *before, onsets, isAttack ? 0 : kTailFromS,
                                               isAttack ? kAttackS : kTailToS, s.sampleRateHz))
                effects.db[move] = *gain;
    }
    return effects;
}

namespace {

/// Without a sign on what rounds to zero.
std::string signedDb(double db) {
    return std::abs(db) < 0.05 ? "0.0" : fmt::format("{:+.1f}", db);
}

} // namespace

std::string quickWords(QuickMove move, const QuickEffects& effects) {
    const auto found = effects.db.find(move);
    if (found == effects.db.end())
        return {};
    const double db = found->second;
    switch (move) {
    case QuickMove::Level:
        return fmt::format("{:.1f} LUFS", db);
    case QuickMove::Pan:
        return fmt::format("{} {:.1f} dB", db > 0 ? "left" : "right", std::abs(db));
    case QuickMove::HighPass:
        return fmt::format("{}, lows {} dB", signedDb(db), signedDb(effects.lowsDb.at(move)));
    case QuickMove::Attack:
        return fmt::format("first 10 ms {} dB", signedDb(db));
    case QuickMove::Sustain:
        return signedDb(db) == "0.0" ? "tails unchanged" : fmt::format("tails {} dB", signedDb(db));
    case QuickMove::Pump:
        return fmt::format("{} dB on average", signedDb(db));
    case QuickMove::Width:
        break;
    }
    return fmt::format("mono {} dB", signedDb(-db));
}

} // namespace cask::kit
