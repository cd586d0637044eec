#include "core/measure/integrated_loudness.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {

dsp::SectionBank loudnessBank(double rate) {
    const auto filters = loudnessFilters(rate);
    auto bank = dsp::makeBank(static_cast<int>(filters.size()));
    for (std::size_t i = 0; i < filters.size(); ++i)
        for (int lane = 0; lane < dsp::kLanes; ++lane)
            dsp::setTarget(bank.sections[i], lane, filters[i]);
    dsp::settle(bank);
    return bank;
}

LaneLoudness::LaneLoudness(double rate)
    : m_filter(loudnessBank(rate)), m_stepFrames(std::max(1, static_cast<int>(std::lround(rate / 10)))) {}

void LaneLoudness::add(const float* lanes, int frames) {
    for (int done = 0; done < frames;) {
        const int count = std::min({kPiece, frames - done, m_stepFrames - m_inStep});
        std::copy_n(lanes + static_cast<std::ptrdiff_t>(done) * dsp::kLanes,
                    static_cast<std::ptrdiff_t>(count) * dsp::kLanes, m_piece.begin());
        dsp::kernels().filter(m_filter, m_piece.data(), count);
        dsp::LaneLevels levels;
        dsp::kernels().levels(m_piece.data(), count, levels);
        for (std::size_t lane = 0; lane < dsp::kLanes; ++lane)
            m_sums[lane] += static_cast<double>(levels.sumSquares.v[lane]);
        m_inStep += count;
        done += count;
        if (m_inStep == m_stepFrames) {
            for (double& sum : m_sums)
                sum /= m_stepFrames;
            m_powers.push_back(m_sums);
            m_sums = {};
            m_inStep = 0;
        }
    }
}

double LaneLoudness::lufs(int lane, int channels) const {
    std::vector<double> powers;
    powers.reserve(m_powers.size());
    for (const auto& step : m_powers) {
        double power = 0;
        for (int c = lane; c < lane + channels; ++c)
            power += step[static_cast<std::size_t>(c)];
        powers.push_back(power);
    }
    return gatedLufs(powers);
}

} // namespace cask::measure
