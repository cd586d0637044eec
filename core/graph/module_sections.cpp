#include "core/graph/module_sections.h"

#include "core/dsp/eq_design.h"

namespace cask::graph {

using dsp::StereoPart;

std::vector<dsp::SvfCoefficients> sectionsOf(const session::Module& module, StereoPart part, double rate,
                                             const MovedDb& movedDb) {
    std::vector<dsp::SvfCoefficients> sections;
    if (!module.isOn)
        return sections;
    const auto add = [&](const dsp::EqBand& band) {
        if (band.part == StereoPart::Both || band.part == part)
            for (const auto& c : dsp::designBand(band, rate))
                sections.push_back(c);
    };
    if (const auto* eq = std::get_if<dsp::EqSettings>(&module.settings))
        for (const auto& each : eq->bands) {
            auto band = dsp::withAmount(each, eq->amountPercent);
            if (band.isDynamic() && movedDb)
                band.gainDb += movedDb(band.id);
            add(band);
        }
    else if (const auto* lowEnd = std::get_if<dsp::LowEndSettings>(&module.settings))
        for (const auto& band : dsp::lowEndBands(*lowEnd))
            add(band);
    else if (const auto* body = std::get_if<dsp::BodySettings>(&module.settings))
        sections.push_back(dsp::designBody(*body, rate));
    return sections;
}

std::vector<dsp::SvfCoefficients> sectionsOf(const std::vector<session::Module>& chain, StereoPart part,
                                             double rate, const MovedDb& movedDb) {
    std::vector<dsp::SvfCoefficients> all;
    for (const auto& module : chain)
        for (const auto& section : sectionsOf(module, part, rate, movedDb))
            all.push_back(section);
    return all;
}

} // namespace cask::graph
