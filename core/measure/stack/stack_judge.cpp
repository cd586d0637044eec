#include "core/measure/stack/stack_judge.h"

#include "core/base/units.h"
#include "core/dsp/kernels.h"
#include "core/measure/drive/driven_sound.h"
#include "core/measure/integrated_loudness.h"
#include "core/measure/real_fft.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <numeric>

namespace cask::measure {
namespace {

constexpr double kLowestThirdHz = 25;
constexpr int kThirds = 30; // to 20 kHz
constexpr double kBodyEndS = 0.120;
constexpr double kLowAttackS = 0.050;
constexpr double kLowestHeardHz = 20;
constexpr double kNoLowsDb = -50; // of all energy: less is no low end

/// Energies of a sound, channels added: in bands of frequency, and all of it as loudness weighs it.
struct Energies {
    std::vector<double> thirds = std::vector<double>(kThirds, 0);
    double low = 0, all = 0, weighted = 0;
};

double energyOf(std::span<const float> x) {
    return std::transform_reduce(x.begin(), x.end(), 0.0, std::plus<>(),
                                 [](float v) { return static_cast<double>(v) * v; });
}

} // namespace

double weightedEnergy(const Sound& sound, double rateHz) {
    constexpr std::size_t kPiece = 256;
    auto bank = loudnessBank(rateHz);
    dsp::LaneBuffer io(kPiece * dsp::kLanes);
    const std::size_t channels = std::min<std::size_t>(sound.size(), dsp::kLanes);
    double energy = 0;
    for (std::size_t at = 0; at < sound.front().size(); at += kPiece) {
        const std::size_t n = std::min(kPiece, sound.front().size() - at);
        for (std::size_t i = 0; i < n; ++i)
            for (std::size_t c = 0; c < channels; ++c)
                io[i * dsp::kLanes + c] = sound[c][at + i];
        dsp::kernels().filter(bank, io.data(), static_cast<int>(n));
        for (std::size_t i = 0; i < n; ++i)
            energy += energyOf(std::span(io).subspan(i * dsp::kLanes, channels));
    }
    return energy;
}

namespace {

Energies energiesOf(const Sound& sound, double rateHz) {
    Energies e;
    if (sound.empty() || sound.front().empty())
        return e;
    RealFft fft(std::bit_ceil(std::max<std::size_t>(sound.front().size(), 4096)));
    const double binHz = rateHz / static_cast<double>(fft.size());
    for (auto channel : sound) {
        // An offset owns no lows: neither itself nor the step where it ends.
        const auto offset = static_cast<float>(std::accumulate(channel.begin(), channel.end(), 0.0) /
                                               static_cast<double>(channel.size()));
        for (float& x : channel)
            x -= offset;
        const auto spectrum = fft.forward(channel);
        for (std::size_t k = 1; k < spectrum.size(); ++k) {
            const double hz = static_cast<double>(k) * binHz;
            const auto power = static_cast<double>(std::norm(spectrum[k]));
            e.all += power;
            if (hz >= kLowestHeardHz && hz <= StackJudgement::kLowHz)
                e.low += power;
            const auto third = std::lround(3 * std::log2(hz / kLowestThirdHz));
            if (third >= 0 && third < kThirds)
                e.thirds[static_cast<std::size_t>(third)] += power;
        }
    }
    e.weighted = weightedEnergy(sound, rateHz);
    return e;
}

/// One channel alone stands in all.
std::vector<Sound> withAsManyChannels(std::vector<Sound> layers) {
    std::size_t channels = 1;
    for (const auto& layer : layers)
        channels = std::max(channels, layer.size());
    for (auto& layer : layers)
        layer.resize(channels, layer.empty() ? std::vector<float>() : layer.front());
    return layers;
}

/// Layers added, each moved by so many frames (all made later so that none begins before the first frame),
/// one left out or none (-1). REQUIRES: as many channels in all.
Sound sumOf(const std::vector<Sound>& layers, const std::vector<std::ptrdiff_t>& moved,
            const std::vector<bool>& inverted, int without = -1) {
    const auto earliest = *std::min_element(moved.begin(), moved.end());
    std::size_t frames = 0;
    for (std::size_t i = 0; i < layers.size(); ++i)
        frames = std::max(frames, layers[i].front().size() + static_cast<std::size_t>(moved[i] - earliest));
    Sound sum(layers.front().size(), std::vector<float>(frames, 0.0F));
    for (std::size_t i = 0; i < layers.size(); ++i) {
        if (static_cast<int>(i) == without)
            continue;
        const auto from = static_cast<std::size_t>(moved[i] - earliest);
        const float gain = inverted[i] ? -1.0F : 1.0F;
        for (std::size_t c = 0; c < sum.size(); ++c)
            for (std::size_t n = 0; n < layers[i][c].size(); ++n)
                sum[c][from + n] += gain * layers[i][c][n];
    }
    return sum;
}

/// Energy of a stretch from a frame on, below a frequency where that is more than 0.
double attackEnergy(const Sound& sound, std::ptrdiff_t from, double seconds, double belowHz, double rateHz) {
    const auto frames = static_cast<std::size_t>(seconds * rateHz);
    double energy = 0;
    for (const auto& channel : sound) {
        std::vector<float> x(frames, 0.0F);
        for (std::size_t n = 0; n < frames; ++n) {
            const auto at = from + static_cast<std::ptrdiff_t>(n);
            if (at >= 0 && at < static_cast<std::ptrdiff_t>(channel.size()))
                x[n] = channel[static_cast<std::size_t>(at)];
        }
        if (belowHz <= 0) {
            energy += energyOf(x);
            continue;
        }
        RealFft fft(std::bit_ceil(4 * frames));
        const auto spectrum = fft.forward(x);
        const double binHz = rateHz / static_cast<double>(fft.size());
        for (std::size_t k = 1; k < spectrum.size() && static_cast<double>(k) * binHz <= belowHz; ++k)
            energy += static_cast<double>(std::norm(spectrum[k]));
    }
    return energy;
}

double ratioDb(double a, double b) {
    return b <= 0 ? 0 : a > 0 ? powerToDb(a / b) : kSilenceDb;
}

/// From the onset until 10 ms no longer reach 40 dB under the loudest 10 ms.
double lengthMsOf(const std::vector<float>& mono, double onsetS, double rateHz) {
    constexpr double kStepS = 0.010;
    constexpr double kUnderDb = -40;
    const auto step = static_cast<std::size_t>(kStepS * rateHz);
    const auto from = static_cast<std::size_t>(onsetS * rateHz);
    std::vector<double> powers;
    for (std::size_t at = from; at + step <= mono.size(); at += step)
        powers.push_back(energyOf(std::span(mono).subspan(at, step)));
    if (powers.empty())
        return 1000 * static_cast<double>(mono.size() - from) / rateHz;
    const double enough = *std::max_element(powers.begin(), powers.end()) * dbToPower(kUnderDb);
    const auto last = std::find_if(powers.rbegin(), powers.rend(), [=](double p) { return p >= enough; });
    return 1000 * kStepS * static_cast<double>(powers.rend() - last);
}

class Judge {
  public:
    Judge(std::vector<Sound> layers, double rateHz)
        : m_layers(withAsManyChannels(std::move(layers))), m_rateHz(rateHz) {}

    StackJudgement run(const CancelToken& cancel) {
        for (const auto& layer : m_layers)
            addLayer(layer);
        if (cancel.isCancelled() || m_layers.empty())
            return m_result;
        findShares();
        findAttack();
        for (std::size_t i = 0; i < m_layers.size() && !cancel.isCancelled(); ++i) {
            findLoss(i);
            findLowCut(i);
        }
        return m_result;
    }

  private:
    [[nodiscard]] std::ptrdiff_t framesOf(double ms) const { return std::llround(ms / 1000 * m_rateHz); }

    void addLayer(const Sound& layer) {
        auto& part = m_result.layers.emplace_back();
        auto& energies = m_energies.emplace_back(energiesOf(layer, m_rateHz));
        m_monos.push_back(monoOf(layer));
        const auto& mono = m_monos.back();
        const auto onset = oneShotOnset(mono, m_rateHz);
        m_isHeard.push_back(onset.has_value());
        if (!onset)
            return;
        part.onsetMs = 1000 * *onset;
        part.lengthMs = lengthMsOf(mono, *onset, m_rateHz);
        float peak = 0;
        for (const auto& channel : layer)
            for (const float x : channel)
                peak = std::max(peak, std::abs(x));
        part.peakDb = linearToDb(static_cast<double>(peak));
        if (m_energies.front().weighted > 0)
            part.gainDb = ratioDb(m_energies.front().weighted, energies.weighted);
        if (m_result.layers.size() > 1)
            if (const auto alignment = alignOneShots(m_monos.front(), mono, m_rateHz))
                part.alignment = *alignment;
        const auto from = static_cast<std::size_t>(*onset * m_rateHz);
        const auto at = [&](double s) {
            return std::min(mono.size(), from + static_cast<std::size_t>(s * m_rateHz));
        };
        const auto between = [&](std::size_t a, std::size_t b) {
            double sum = 0;
            for (const auto& channel : layer)
                sum += energyOf(std::span(channel).subspan(a, b - a));
            return sum;
        };
        part.attackShare = between(from, at(StackJudgement::kAttackS));
        part.bodyShare = between(at(StackJudgement::kAttackS), at(kBodyEndS));
        part.tailShare = between(at(kBodyEndS), mono.size());
    }

    /// Energies become parts of those of all layers.
    void findShares() {
        Energies all;
        for (const auto& e : m_energies) {
            all.low += e.low;
            all.all += e.all;
            for (std::size_t t = 0; t < kThirds; ++t)
                all.thirds[t] += e.thirds[t];
        }
        const auto share = [](double part, double whole) { return whole > 0 ? part / whole : 0; };
        for (std::size_t i = 0; i < m_energies.size(); ++i) {
            auto& part = m_result.layers[i];
            part.lowShare = share(m_energies[i].low, all.low);
            for (std::size_t t = 0; t < kThirds; ++t)
                part.thirdShares.push_back(share(m_energies[i].thirds[t], all.thirds[t]));
        }
        for (double LayerPart::*value :
             {&LayerPart::attackShare, &LayerPart::bodyShare, &LayerPart::tailShare}) {
            double whole = 0;
            for (const auto& part : m_result.layers)
                whole += part.*value;
            if (value == &LayerPart::attackShare && whole > 0)
                m_result.strongest =
                    static_cast<int>(std::max_element(m_result.layers.begin(), m_result.layers.end(),
                                                      [](const auto& a, const auto& b) {
                                                          return a.attackShare < b.attackShare;
                                                      }) -
                                     m_result.layers.begin());
            for (auto& part : m_result.layers)
                part.*value = share(part.*value, whole);
        }
        if (all.low > all.all * dbToPower(kNoLowsDb))
            m_result.lowEndOwner = static_cast<int>(
                std::max_element(m_result.layers.begin(), m_result.layers.end(),
                                 [](const auto& a, const auto& b) { return a.lowShare < b.lowShare; }) -
                m_result.layers.begin());
    }

    void findAttack() {
        if (m_result.strongest < 0)
            return;
        const auto strongest = static_cast<std::size_t>(m_result.strongest);
        for (const auto& part : m_result.layers) {
            m_moved.push_back(framesOf(part.alignment.shiftMs));
            m_inverted.push_back(part.alignment.isInverted);
        }
        const std::vector<std::ptrdiff_t> still(m_layers.size(), 0);
        const std::vector<bool> upright(m_layers.size(), false);
        const auto onset = framesOf(m_result.layers[strongest].onsetMs);
        const auto& alone = m_layers[strongest];
        const auto asTheyAre = sumOf(m_layers, still, upright);
        const auto inLine = sumOf(m_layers, m_moved, m_inverted);
        const auto [lineAttack, lineLowAttack] = attackOf(m_layers);
        const auto aloneIn = [&](double seconds, double belowHz) {
            return attackEnergy(alone, onset, seconds, belowHz, m_rateHz);
        };
        const double own = aloneIn(StackJudgement::kAttackS, 0);
        const double ownLow = aloneIn(kLowAttackS, StackJudgement::kLowAttackHz);
        m_result.attackDb =
            ratioDb(attackEnergy(asTheyAre, onset, StackJudgement::kAttackS, 0, m_rateHz), own);
        m_result.lowAttackDb = ratioDb(
            attackEnergy(asTheyAre, onset, kLowAttackS, StackJudgement::kLowAttackHz, m_rateHz), ownLow);
        m_result.attackInLineDb = ratioDb(lineAttack, own);
        m_result.lowAttackInLineDb = ratioDb(lineLowAttack, ownLow);
        m_whole = energiesOf(inLine, m_rateHz);
    }

    /// Of the sum in line: its first 10 ms, and the lows of the first 50.
    [[nodiscard]] std::pair<double, double> attackOf(const std::vector<Sound>& layers) const {
        const auto strongest = static_cast<std::size_t>(m_result.strongest);
        const auto from = framesOf(m_result.layers[strongest].onsetMs) + m_moved[strongest] -
                          *std::min_element(m_moved.begin(), m_moved.end());
        const auto sum = sumOf(layers, m_moved, m_inverted);
        return {attackEnergy(sum, from, StackJudgement::kAttackS, 0, m_rateHz),
                attackEnergy(sum, from, kLowAttackS, StackJudgement::kLowAttackHz, m_rateHz)};
    }

    void findLowCut(std::size_t i) {
        constexpr std::array kCornersHz = {60.0, 80.0, 100.0, 125.0, 160.0, 200.0, 250.0, 300.0, 350.0};
        auto& part = m_result.layers[i];
        if (m_result.lowEndOwner < 0 || static_cast<int>(i) == m_result.lowEndOwner ||
            m_result.strongest < 0 || part.lowShare <= LayerPart::kSparedShare)
            return;
        const double allLows = std::accumulate(m_energies.begin(), m_energies.end(), 0.0,
                                               [](double sum, const Energies& e) { return sum + e.low; });
        const auto [attack, lowAttack] = attackOf(m_layers);
        auto layers = m_layers;
        for (const double hz : kCornersHz) {
            dsp::EqBand band;
            band.kind = dsp::FilterKind::HighPass;
            band.frequencyHz = hz;
            layers[i] = filteredSound(m_layers[i], band, m_rateHz);
            const double left = energiesOf(layers[i], m_rateHz).low;
            const double others = allLows - m_energies[i].low;
            if (left > LayerPart::kSparedShare * (others + left))
                continue;
            const auto [cutAttack, cutLowAttack] = attackOf(layers);
            const double db = ratioDb(cutAttack, attack);
            if (!part.lowCut || db > part.lowCut->attackDb)
                part.lowCut = {hz, db, ratioDb(cutLowAttack, lowAttack)};
        }
    }

    void findLoss(std::size_t i) {
        if (!m_isHeard[i] || m_result.strongest < 0 || m_layers.size() < 2)
            return;
        constexpr double kHeardDb = -50; // of the loudest third: less is not heard
        const auto rest = energiesOf(sumOf(m_layers, m_moved, m_inverted, static_cast<int>(i)), m_rateHz);
        auto& part = m_result.layers[i];
        const auto lossDb = [](double whole, double without) {
            return powerToDb(whole / std::max(without, 1e-9 * whole));
        };
        part.lostDb = m_whole.weighted > 0 ? lossDb(m_whole.weighted, rest.weighted) : 0;
        const double loudest = *std::max_element(m_whole.thirds.begin(), m_whole.thirds.end());
        const auto hz = stackThirdsHz();
        for (std::size_t t = 0; t < kThirds; ++t) {
            if (m_whole.thirds[t] <= loudest * dbToPower(kHeardDb))
                continue;
            if (const double db = lossDb(m_whole.thirds[t], rest.thirds[t]); db > part.mostLostDb) {
                part.mostLostDb = db;
                part.mostLostHz = hz[t];
            }
        }
    }

    std::vector<Sound> m_layers;
    double m_rateHz;
    std::vector<std::vector<float>> m_monos;
    std::vector<Energies> m_energies;
    std::vector<bool> m_isHeard;
    std::vector<std::ptrdiff_t> m_moved;
    std::vector<bool> m_inverted;
    Energies m_whole; ///< of the sum in line
    StackJudgement m_result;
};

} // namespace

std::vector<double> stackThirdsHz() {
    std::vector<double> hz;
    for (int t = 0; t < kThirds; ++t)
        hz.push_back(kLowestThirdHz * std::exp2(t / 3.0));
    return hz;
}

StackJudgement judgeStack(const std::vector<Sound>& layers, double rateHz, const CancelToken& cancel) {
    return Judge(layers, rateHz).run(cancel);
}

} // namespace cask::measure
