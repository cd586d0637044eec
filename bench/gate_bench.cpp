// Times judging a gate on a long track: once measured, while a threshold is dragged, and exactly.
// Argument: minutes (default 5).
#include "bench/kit_load.h"
#include "core/advise/house_style.h"
#include "core/kit_measures/gates.h"
#include "core/measure/gate/gate_search.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cstdlib>
#include <sys/resource.h>

namespace {

using namespace cask;
using namespace cask::measure;

double msOf(const std::function<void()>& work) {
    const auto begun = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - begun).count();
}

long peakMb() {
    rusage usage{};
    getrusage(RUSAGE_SELF, &usage);
    return usage.ru_maxrss / 1024;
}

/// Times everything that the advisor does for one element of `minutes`: a snare with another microphone that
/// may serve as a key, on one thread.
double advisorMs(double minutes, const std::vector<MaterialHit>& hits) {
    bench::KitParts bare;
    bare.gates = bare.elementEq = bare.busEq = bare.sends = false;
    auto load = bench::makeKitLoad(2, 60 * minutes, bare);
    for (auto& element : load.session.elements)
        element.edit([&](session::Element& e) {
            e.role = e.id == load.session.elements[0]->id ? Role::SnareTop : Role::SnareBottom;
        });
    kit::HitAnalysis analysis;
    for (const auto& e : load.session.elements)
        analysis.elements.push_back(e->id);
    analysis.hits.inputs = 2;
    analysis.hits.kit.drumOf = {0, 0};
    for (const auto& h : hits) {
        analysis.hits.heard.push_back(
            {0, h.drum, static_cast<int>(analysis.hits.strokes.size()), h.isOwn, h.timeS, h.levelDb, 1});
        analysis.hits.strokes.push_back({h.drum, h.timeS, h.levelDb, 1, h.hitClass, 1, true});
    }
    return msOf([&] {
        const auto measured =
            kit::measureGate(load.session, load.session.elements[0]->id, analysis, load.lookup, {});
        fmt::print("{} ways of gating\n", measured ? measured->ways.size() : 0);
    });
}

} // namespace

int main(int argc, char** argv) {
    const double minutes = argc > 1 ? std::atof(argv[1]) : 5;
    HitMaterial m;
    m.rateHz = 48000;
    m.sound = {bench::material(3, static_cast<Frames>(60 * minutes * m.rateHz))};
    // Hits as dense as sixteenths at 120, half of them of other drums.
    for (double t = 0.1; t < m.endS() - 0.5; t += 0.125) {
        const bool isOwn = m.hits.size() % 2 == 0;
        m.hits.push_back(
            {t, isOwn, m.hits.size() % 4 == 0 ? HitClass::Accent : HitClass::Ghost, isOwn ? 0 : 1, -20});
    }
    const long before = peakMb();
    GateTracks tracks(m);
    dsp::GateSettings s;
    s.openDb = -30;
    s.closeDb = -36;
    fmt::print("{} min, {} hits\n", minutes, m.hits.size());
    fmt::print("measured, without a detector filter: {:.0f} ms\n", msOf([&] { (void)tracks.coarse(s); }));
    for (const bool isFiltered : {false, true}) {
        s.lowCutHz = isFiltered ? 200 : 10;
        s.highCutHz = isFiltered ? 2000 : 20000;
        if (isFiltered)
            fmt::print("measured, with both detector cuts: {:.0f} ms\n",
                       msOf([&] { (void)tracks.coarse(s); }));
        for (const auto& [name, ratio, detector] :
             {std::tuple{"hard, peak", dsp::kHardRatio, dsp::GateDetector::Peak},
              std::tuple{"ratio 3, peak", 3.0, dsp::GateDetector::Peak},
              std::tuple{"ratio 3, RMS", 3.0, dsp::GateDetector::Rms}}) {
            s.ratio = ratio;
            s.detector = detector;
            (void)tracks.coarse(s);
            std::vector<double> times;
            for (int i = 0; i < 15; ++i) {
                s.openDb = -50 + 2 * i;
                s.closeDb = s.openDb - 6;
                times.push_back(msOf([&] { (void)judgeGate(tracks, s, GatePrecision::Coarse, 150); }));
            }
            std::sort(times.begin(), times.end());
            fmt::print("  {:14} dragged: median {:.1f} ms, worst {:.1f} ms; exactly: {:.0f} ms\n", name,
                       times[times.size() / 2], times.back(),
                       msOf([&] { (void)judgeGate(tracks, s, GatePrecision::Exact, 150); }));
        }
        s.detector = dsp::GateDetector::Peak;
        s.ratio = dsp::kHardRatio;
    }
    for (const std::size_t count : {1, 8}) {
        std::vector<dsp::GateSettings> some(count, s);
        for (std::size_t i = 0; i < count; ++i)
            some[i].openDb = s.openDb - static_cast<double>(i);
        const auto& track = tracks.exact(s);
        fmt::print("{} settings side by side: gains of all frames {:.0f} ms, judged roughly {:.1f} ms\n",
                   count, msOf([&] { (void)gateGains(track, some, 0, track.cells(), {}, {}); }),
                   msOf([&] { (void)judgeGates(tracks, some, GatePrecision::Rough, 150); }));
    }
    fmt::print("1 setting in eight stretches: gain of all frames {:.0f} ms\n",
               msOf([&] { (void)gateGain(tracks.exact(s), s, {}, {}); }));
    const auto nature = measureNature(m);
    GateChoice found;
    const double searchMs = msOf([&] {
        found = searchGate(tracks, gateStart(nature), GateWants::Ghosts, {},
                           gateGridFor(tracks, gateStart(nature)), 150);
    });
    fmt::print("search for the best setting: {:.1f} s\n", searchMs / 1000);
    fmt::print("the whole advisor for one track: {:.2f} s\n", advisorMs(minutes, m.hits) / 1000);
    fmt::print("memory above the material: {} MB\n", peakMb() - before);
}
