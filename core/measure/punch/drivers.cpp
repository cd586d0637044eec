#include "core/measure/punch/drivers.h"

#include "core/dsp/compressor.h"
#include "core/dsp/eq_design.h"
#include "core/dsp/kernels.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace cask::measure {
namespace {

using dsp::kLanes;

constexpr int kBlock = 4096;

/// Energy in each millisecond behind the detector's cuts.
std::vector<double> heardEnergy(const Contribution& sound, const dsp::CompressorSettings& settings,
                                double rateHz, std::size_t cells) {
    std::vector<dsp::SvfCoefficients> sections;
    for (const auto& band : dsp::detectorBands(settings))
        for (const auto& section : dsp::designBand(band, rateHz))
            sections.push_back(section);
    auto filter = dsp::makeBank(static_cast<int>(sections.size()));
    for (std::size_t i = 0; i < sections.size(); ++i)
        for (int lane = 0; lane < kLanes; ++lane)
            dsp::setTarget(filter.sections[i], lane, sections[i]);
    dsp::settle(filter);
    std::vector<double> energy(cells, 0.0);
    dsp::LaneBuffer piece(static_cast<std::size_t>(kBlock) * kLanes);
    const std::size_t frames = sound.empty() ? 0 : sound.front().size();
    for (std::size_t at = 0; at < frames; at += kBlock) {
        const auto count = static_cast<int>(std::min<std::size_t>(kBlock, frames - at));
        std::fill_n(piece.begin(), count * kLanes, 0.0F);
        for (std::size_t c = 0; c < sound.size(); ++c)
            for (int n = 0; n < count; ++n)
                piece[static_cast<std::size_t>(n * kLanes) + c] = sound[c][at + static_cast<std::size_t>(n)];
        if (!filter.sections.empty())
            dsp::kernels().filter(filter, piece.data(), count);
        for (int n = 0; n < count; ++n) {
            const auto cell = static_cast<std::size_t>(
                1000 * static_cast<double>(at + static_cast<std::size_t>(n)) / rateHz);
            for (std::size_t c = 0; c < sound.size() && cell < cells; ++c) {
                const double x = piece[static_cast<std::size_t>(n * kLanes) + c];
                energy[cell] += x * x;
            }
        }
    }
    return energy;
}

} // namespace

std::vector<double> driverShares(const HitMaterial& m, const dsp::CompressorSettings& settings,
                                 const std::vector<Contribution>& contributions, const CancelToken& cancel) {
    std::vector<double> shares(contributions.size(), 0.0);
    const dsp::DenormalGuard flush;
    const auto reduction = reductionsDb(m, settings, cancel);
    std::vector<std::vector<double>> energies;
    for (const auto& sound : contributions) {
        if (cancel.isCancelled())
            return shares;
        energies.push_back(heardEnergy(sound, settings, m.rateHz, reduction.size()));
    }
    const double stays = std::exp(-1 / std::max(0.1, settings.releaseMs));
    std::vector<double> owned(contributions.size(), 0.0);
    for (std::size_t t = 0; t < reduction.size(); ++t) {
        double all = 0;
        double heard = 0;
        for (std::size_t i = 0; i < owned.size(); ++i) {
            owned[i] *= stays;
            all += owned[i];
            heard += energies[i][t];
        }
        const double now = reduction[t];
        if (now > all && heard > 0) {
            for (std::size_t i = 0; i < owned.size(); ++i)
                owned[i] += (now - all) * energies[i][t] / heard;
        } else if (all > 0) {
            for (double& part : owned)
                part *= now / all;
        }
        for (std::size_t i = 0; i < owned.size(); ++i)
            shares[i] += owned[i];
    }
    const double sum = std::accumulate(shares.begin(), shares.end(), 0.0);
    for (double& share : shares)
        share = sum > 0 ? share / sum : 0;
    return shares;
}

} // namespace cask::measure
