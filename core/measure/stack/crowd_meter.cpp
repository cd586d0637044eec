#include "core/measure/stack/crowd_meter.h"

#include "core/base/units.h"
#include "core/measure/real_fft.h"
#include "core/measure/stack/stack_judge.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>

namespace cask::measure {
namespace {

constexpr std::size_t kWindow = 4096;
constexpr std::size_t kHop = kWindow / 2;
constexpr double kLevelStepS = 0.005;

} // namespace

struct CrowdMeter::Impl {
    Impl(double rate, std::size_t sounds)
        : rateHz(rate), fft(kWindow), thirdsHz(stackThirdsHz()), waiting(sounds), frames(sounds),
          levels(sounds) {
        for (std::size_t n = 0; n < kWindow; ++n)
            hann.push_back(
                static_cast<float>(0.5 - 0.5 * std::cos(2 * kPi * static_cast<double>(n) / kWindow)));
        const double side = std::exp2(1.0 / 6);
        for (std::size_t k = 0; k < fft.bins(); ++k) {
            const double hz = static_cast<double>(k) * rateHz / kWindow;
            int third = -1;
            for (std::size_t t = 0; t < thirdsHz.size(); ++t)
                if (hz >= thirdsHz[t] / side && hz < thirdsHz[t] * side)
                    third = static_cast<int>(t);
            thirdOf.push_back(third);
        }
    }
    /// Of one window: power of a sound, and by third what the sum has with and without it.
    struct Frame {
        double power = 0;
        std::vector<float> with, without;
    };

    void run() {
        const std::size_t sounds = waiting.size();
        const auto hasWindow = [](const std::vector<float>& w) { return w.size() >= 2 * kWindow; };
        while (!waiting.empty() && std::all_of(waiting.begin(), waiting.end(), hasWindow)) {
            std::vector<Frame> now(sounds);
            std::vector<float> with(thirdsHz.size(), 0.0F);
            std::vector<std::vector<float>> without(sounds, with);
            for (std::size_t side = 0; side < 2; ++side) {
                std::vector<std::vector<std::complex<float>>> spectra;
                std::vector<std::complex<float>> sum(fft.bins());
                for (std::size_t i = 0; i < sounds; ++i) {
                    std::vector<float> x(kWindow);
                    for (std::size_t n = 0; n < kWindow; ++n)
                        x[n] = hann[n] * waiting[i][2 * n + side];
                    const auto spectrum = fft.forward(x);
                    spectra.emplace_back(spectrum.begin(), spectrum.end());
                    for (std::size_t k = 0; k < sum.size(); ++k) {
                        sum[k] += spectrum[k];
                        now[i].power += static_cast<double>(std::norm(spectrum[k]));
                    }
                }
                for (std::size_t k = 0; k < sum.size(); ++k) {
                    if (thirdOf[k] < 0)
                        continue;
                    const auto third = static_cast<std::size_t>(thirdOf[k]);
                    with[third] += std::norm(sum[k]);
                    for (std::size_t i = 0; i < sounds; ++i)
                        without[i][third] += std::norm(sum[k] - spectra[i][k]);
                }
            }
            for (std::size_t i = 0; i < sounds; ++i) {
                now[i].with = with;
                now[i].without = std::move(without[i]);
                frames[i].push_back(std::move(now[i]));
                waiting[i].erase(waiting[i].begin(), waiting[i].begin() + 2 * kHop);
            }
        }
    }

    double rateHz;
    RealFft fft;
    std::vector<double> thirdsHz;
    std::vector<int> thirdOf;
    std::vector<float> hann;
    std::vector<std::vector<float>> waiting; ///< interleaved, by sound
    std::vector<std::vector<Frame>> frames;
    std::vector<std::vector<float>> levels; ///< RMS of kLevelStepS
    std::vector<std::pair<double, std::size_t>> step;
};

CrowdMeter::CrowdMeter(double rateHz, std::size_t sounds) : m_impl(std::make_unique<Impl>(rateHz, sounds)) {
    m_impl->step.assign(sounds, {0, 0});
    // What begins at the first frame lies in the middle of a window too.
    for (auto& waiting : m_impl->waiting)
        waiting.assign(2 * kHop, 0.0F);
}
CrowdMeter::~CrowdMeter() = default;
CrowdMeter::CrowdMeter(CrowdMeter&&) noexcept = default;
CrowdMeter& CrowdMeter::operator=(CrowdMeter&&) noexcept = default;

void CrowdMeter::add(std::size_t sound, std::span<const float> interleaved) {
    auto& m = *m_impl;
    m.waiting[sound].insert(m.waiting[sound].end(), interleaved.begin(), interleaved.end());
    auto& [power, count] = m.step[sound];
    const auto stepFrames = static_cast<std::size_t>(kLevelStepS * m.rateHz);
    for (std::size_t n = 0; n + 1 < interleaved.size(); n += 2) {
        power += static_cast<double>(interleaved[n]) * interleaved[n] +
                 static_cast<double>(interleaved[n + 1]) * interleaved[n + 1];
        if (++count == stepFrames) {
            m.levels[sound].push_back(static_cast<float>(std::sqrt(power / static_cast<double>(count))));
            power = 0;
            count = 0;
        }
    }
    m.run();
}

namespace {

double correlation(const std::vector<float>& a, const std::vector<float>& b) {
    const std::size_t n = std::min(a.size(), b.size());
    double sa = 0, sb = 0, saa = 0, sbb = 0, sab = 0;
    for (std::size_t i = 0; i < n; ++i) {
        const double x = static_cast<double>(a[i]);
        const double y = static_cast<double>(b[i]);
        sa += x;
        sb += y;
        saa += x * x;
        sbb += y * y;
        sab += x * y;
    }
    const auto count = static_cast<double>(n);
    const double spread = (count * saa - sa * sa) * (count * sbb - sb * sb);
    return spread <= 0 ? 0 : (count * sab - sa * sb) / std::sqrt(spread);
}

} // namespace

std::vector<CrowdPart> CrowdMeter::parts() {
    auto& m = *m_impl;
    for (auto& waiting : m.waiting) // the last window
        waiting.resize(std::max(waiting.size(), 2 * kWindow), 0.0F);
    m.run();
    std::vector<CrowdPart> parts(m.frames.size());
    for (std::size_t i = 0; i < parts.size(); ++i) {
        auto& part = parts[i];
        double most = 0;
        for (const auto& frame : m.frames[i])
            most = std::max(most, frame.power);
        part.isSilent = most < 1e-12;
        if (part.isSilent)
            continue;
        std::vector<double> with(m.thirdsHz.size(), 0);
        std::vector<double> without(m.thirdsHz.size(), 0);
        for (const auto& frame : m.frames[i])
            if (frame.power >= most * dbToPower(-kPlaysDb))
                for (std::size_t t = 0; t < with.size(); ++t) {
                    with[t] += static_cast<double>(frame.with[t]);
                    without[t] += static_cast<double>(frame.without[t]);
                }
        const double least = *std::max_element(with.begin(), with.end()) * dbToPower(-kCountsDb);
        for (std::size_t t = 0; t < with.size(); ++t) {
            if (with[t] <= least)
                continue;
            const double lost = without[t] > 0 ? powerToDb(with[t] / without[t]) : -kSilenceDb;
            if (lost > part.mostLostDb) {
                part.mostLostDb = lost;
                part.mostLostHz = m.thirdsHz[t];
            }
        }
        for (std::size_t j = 0; j < parts.size(); ++j)
            if (j != i) {
                const double r = correlation(m.levels[i], m.levels[j]);
                if (part.likest < 0 || r > part.likeness) {
                    part.likest = static_cast<int>(j);
                    part.likeness = r;
                }
            }
    }
    return parts;
}

} // namespace cask::measure
