#include "core/measure/band_part.h"

#include "core/dsp/eq_design.h"
#include "core/dsp/kernels.h"

#include <algorithm>

namespace cask::measure {

dsp::SectionBank partBank(double fromHz, double toHz, double rateHz) {
    std::vector<dsp::SvfCoefficients> sections;
    const auto cut = [&](dsp::FilterKind kind, double hz) {
        if (hz > 0 && hz < 0.45 * rateHz)
            for (const auto& section : dsp::designBand({1, kind, true, hz, 0, 0.7, 24}, rateHz))
                sections.push_back(section);
    };
    cut(dsp::FilterKind::HighPass, fromHz);
    cut(dsp::FilterKind::LowPass, toHz);
    auto bank = dsp::makeBank(static_cast<int>(sections.size()));
    for (std::size_t i = 0; i < sections.size(); ++i)
        for (int lane = 0; lane < dsp::kLanes; ++lane)
            dsp::setTarget(bank.sections[i], lane, sections[i]);
    dsp::settle(bank);
    return bank;
}

std::vector<std::vector<float>> bandPart(const std::vector<std::vector<float>>& sound, double fromHz,
                                         double toHz, double rateHz) {
    auto bank = partBank(fromHz, toHz, rateHz);
    const dsp::DenormalGuard flush;
    constexpr std::size_t kPiece = 4096;
    dsp::LaneBuffer io(kPiece * dsp::kLanes, 0.0F);
    auto part = sound;
    const std::size_t frames = sound.empty() ? 0 : sound.front().size();
    for (std::size_t done = 0; done < frames; done += kPiece) {
        const std::size_t count = std::min(kPiece, frames - done);
        for (std::size_t c = 0; c < part.size(); ++c)
            for (std::size_t n = 0; n < count; ++n)
                io[n * dsp::kLanes + c] = part[c][done + n];
        dsp::kernels().filter(bank, io.data(), static_cast<int>(count));
        for (std::size_t c = 0; c < part.size(); ++c)
            for (std::size_t n = 0; n < count; ++n)
                part[c][done + n] = io[n * dsp::kLanes + c];
    }
    return part;
}

} // namespace cask::measure
