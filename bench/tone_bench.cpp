// Times all that Tone measures of a kit of 16 elements, the price of a boost, and dynamic bands.
// Argument: minutes (default 5).
#include "bench/kit_load.h"
#include "core/dsp/dynamic_lanes.h"
#include "core/dsp/eq_design.h"
#include "core/graph/module_sections.h"
#include "core/kit_measures/mix.h"
#include "core/kit_measures/tones.h"
#include "core/measure/tone/own_spectrum.h"

#include <fmt/format.h>

#include <array>
#include <chrono>
#include <cstdlib>
#include <ctime>

namespace {

using namespace cask;

double msOf(const std::function<void()>& work) {
    const auto begun = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - begun).count();
}

/// Every element a microphone of a drum of its own, all of them struck in turn, sixteenths at 120.
advise::HitAnalysis analysisOf(const session::Session& s, double seconds) {
    advise::HitAnalysis analysis;
    const int count = static_cast<int>(s.elements.size());
    analysis.hits.inputs = count;
    for (int i = 0; i < count; ++i) {
        analysis.elements.push_back(s.elements[static_cast<std::size_t>(i)]->id);
        analysis.hits.kit.drumOf.push_back(i);
        measure::Drum drum;
        drum.role = s.elements[static_cast<std::size_t>(i)]->role;
        drum.inputs = {i};
        analysis.hits.kit.drums.push_back(drum);
    }
    int struck = 0;
    for (double t = 0.1; t < seconds - 0.5; t += 0.125, struck = (struck + 1) % 4) {
        const int stroke = static_cast<int>(analysis.hits.strokes.size());
        for (int i = 0; i < count; ++i)
            analysis.hits.heard.push_back(
                {i, struck, stroke, i % 4 == struck, t, i % 4 == struck ? -10.0 : -30.0, 1});
        analysis.hits.strokes.push_back({struck, t, -10, 1, measure::HitClass::Normal, 1, true});
    }
    return analysis;
}

void timeDynamicBands() {
    dsp::EqBand band;
    band.frequencyHz = 400;
    band.dynamics = dsp::Dynamics::Above;
    band.rangeDb = -12;
    const auto x = bench::material(3, 48000 * 20);
    for (const auto& [name, thresholdDb] :
         {std::pair{"at rest", 0.0}, std::pair{"moving all the time", -90.0}}) {
        band.thresholdDb = thresholdDb;
        dsp::DynamicBandDesign design;
        const double designMs = msOf([&] { design = dsp::designDynamicBand(band, 100, true, 48000); });
        const dsp::DynamicBandDesigns designs{design};
        dsp::DynamicLanes lanes(48000);
        for (int lane = 0; lane < dsp::kLanes; ++lane)
            lanes.place(lane, 1, designs, true, 0);
        lanes.prepare();
        dsp::LaneBuffer y(x.size() * dsp::kLanes);
        for (std::size_t n = 0; n < y.size(); ++n)
            y[n] = x[n / dsp::kLanes];
        const double ms = msOf([&] { lanes.process(nullptr, y.data(), static_cast<int>(x.size())); });
        fmt::print(
            "eight dynamic bands {}: {:.0f} times real time, {:.1f} ns a frame; one designed in {:.1f} ms\n",
            name, 20000 / ms, 1e6 * ms / static_cast<double>(x.size()), designMs);
    }
}

} // namespace

int main(int argc, char** argv) {
    const double minutes = argc > 1 ? std::atof(argv[1]) : 5;
    bench::KitParts bare;
    bare.gates = bare.sends = false;
    auto load = bench::makeKitLoad(16, 60 * minutes, bare);
    constexpr std::array kRoles = {Role::KickIn,    Role::KickOut, Role::SnareTop, Role::SnareBottom,
                                   Role::RackTom,   Role::RackTom, Role::FloorTom, Role::FloorTom,
                                   Role::ClosedHat, Role::Ride,    Role::Overhead, Role::Overhead,
                                   Role::Room,      Role::Room,    Role::Bass,     Role::Music};
    for (std::size_t i = 0; i < load.session.elements.size(); ++i)
        load.session.elements[i].edit([&](session::Element& e) { e.role = kRoles[i]; });
    const auto analysis = analysisOf(load.session, 60 * minutes);
    fmt::print("16 elements of {} min, two threads\n", minutes);
    std::vector<advise::ToneMeasure> tones;
    kit::TrackMeasures tracks;
    advise::MixMeasure mix;
    const auto processorBegun = std::clock(); // of all threads: other work on the machine counts less
    const double tonesMs = msOf([&] { tones = *kit::measureTones(load.session, analysis, load.lookup); });
    const double tracksMs = msOf([&] { tracks = *kit::measureTracks(load.session, load.lookup); });
    const double mixMs = msOf([&] { mix = kit::measureMix(load.session, tracks.cells, &analysis); });
    const auto processorDone = std::clock();
    fmt::print("own hits, partials, rings, levels, behind filters: {:.0f} ms for {} elements\n", tonesMs,
               tones.size());
    fmt::print("levels over time and band, hum: {:.0f} ms\n", tracksMs);
    fmt::print("who owns which band, {} conflicts with their moves: {:.0f} ms\n", mix.conflicts.size(),
               mixMs);
    std::size_t rings = 0;
    for (const auto& tone : tones)
        rings += tone.ringCuts.size();
    fmt::print("all: {:.1f} s, {:.1f} s of processor time; cuts tried for {} rings\n",
               0.001 * (tonesMs + tracksMs + mixMs),
               static_cast<double>(processorDone - processorBegun) / CLOCKS_PER_SEC, rings);

    const auto& spectra = tones.front().spectra;
    dsp::EqBand boost;
    int step = 0;
    const double priceMs = msOf([&] {
        for (; step < 100; ++step) {
            boost.gainDb = 0.1 * step;
            const auto sections = dsp::designBand(boost, 48000);
            const auto response = [&](double hz) { return dsp::responseDb(sections, hz, 48000); };
            (void)measure::energyChangeDb(spectra.own, response);
            (void)measure::energyChangeDb(spectra.spill, response);
            for (const auto& drum : spectra.spillOf)
                (void)measure::energyChangeDb(drum.spectrum, response);
        }
    });
    fmt::print("price of a boost, {} drums: {:.2f} ms\n", spectra.spillOf.size(), priceMs / 100);
    timeDynamicBands();
    return 0;
}
