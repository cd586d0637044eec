// Each hot kernel against its plain scalar form on the same data, and the analysis of files.
#include "bench/kit_load.h"
#include "core/dsp/eq_design.h"
#include "core/dsp/kernels.h"
#include "core/dsp/layer_filter.h"
#include "core/measure/hits/band_trail.h"
#include "core/measure/level_meter.h"
#include "core/measure/loudness.h"
#include "core/measure/spectrum.h"

#include <benchmark/benchmark.h>

namespace {

using namespace cask;

void BM_Filter(benchmark::State& state) {
    const auto& kernels = *dsp::allKernels()[static_cast<std::size_t>(state.range(0))];
    auto bank = dsp::makeBank(6);
    for (std::size_t s = 0; s < 6; ++s)
        for (int lane = 0; lane < dsp::kLanes; ++lane)
            setTarget(bank.sections[s], lane,
                      dsp::designBand(
                          {1, dsp::FilterKind::Bell, true, 100.0 * static_cast<double>(s + 1), 3, 1, 24},
                          48000)[0]);
    settle(bank);
    dsp::LaneBuffer io(512 * dsp::kLanes, 0.1F);
    const dsp::DenormalGuard flush;
    for (auto _ : state)
        kernels.filter(bank, io.data(), 512);
    state.SetLabel(std::string(kernels.name) + ", 6 sections, 8 channels");
    state.SetItemsProcessed(state.iterations() * 512);
}
BENCHMARK(BM_Filter)->DenseRange(0, static_cast<int>(dsp::allKernels().size()) - 1);

/// Sound far larger than any cache: what filtering it costs against merely moving it.
constexpr int kLongFrames = 1 << 21; // 64 MB of eight channels

void BM_FilterMemory(benchmark::State& state) {
    auto bank = dsp::makeBank(static_cast<int>(state.range(0)));
    for (auto& section : bank.sections)
        for (int lane = 0; lane < dsp::kLanes; ++lane)
            setTarget(section, lane,
                      dsp::designBand({1, dsp::FilterKind::Bell, true, 400, 3, 1, 24}, 48000)[0]);
    settle(bank);
    dsp::LaneBuffer io(static_cast<std::size_t>(kLongFrames * dsp::kLanes), 0.1F);
    const dsp::DenormalGuard flush;
    for (auto _ : state)
        for (int at = 0; at < kLongFrames; at += 512)
            dsp::kernels().filter(bank, io.data() + at * dsp::kLanes, 512);
    state.SetLabel("filter in memory, sections: " + std::to_string(state.range(0)));
    state.SetBytesProcessed(state.iterations() * 2LL * kLongFrames * dsp::kLanes * 4); // read and written
}
BENCHMARK(BM_FilterMemory)->Arg(1)->Arg(6)->Unit(benchmark::kMillisecond);

void BM_CopyMemory(benchmark::State& state) {
    const dsp::LaneBuffer from(static_cast<std::size_t>(kLongFrames * dsp::kLanes), 0.1F);
    dsp::LaneBuffer to(from.size());
    for (auto _ : state) {
        std::copy(from.begin(), from.end(), to.begin());
        benchmark::ClobberMemory();
    }
    state.SetLabel("copy in memory");
    state.SetBytesProcessed(state.iterations() * 2LL * kLongFrames * dsp::kLanes * 4);
}
BENCHMARK(BM_CopyMemory)->Unit(benchmark::kMillisecond);

void BM_Mix(benchmark::State& state) {
    const auto& kernels = *dsp::allKernels()[static_cast<std::size_t>(state.range(0))];
    dsp::MixMatrix m;
    m.isUsed.fill(true);
    const dsp::LaneBuffer in(512 * dsp::kLanes, 0.1F);
    dsp::LaneBuffer out(512 * dsp::kLanes, 0.1F);
    for (auto _ : state)
        kernels.mix(m, in.data(), out.data(), 512, true);
    state.SetLabel(std::string(kernels.name) + ", 8 to 8 channels");
    state.SetItemsProcessed(state.iterations() * 512);
}
BENCHMARK(BM_Mix)->DenseRange(0, static_cast<int>(dsp::allKernels().size()) - 1);

void BM_LayerDrive(benchmark::State& state) {
    dsp::LayerFilter filter(48000, state.range(0) == 4 ? dsp::Oversampling::Four : dsp::Oversampling::Eight);
    for (int lane = 0; lane < dsp::kLanes; ++lane)
        filter.set(lane, {dsp::FilterKind::LowPass, 4000, 24, 6, 18});
    dsp::LaneBuffer io(512 * dsp::kLanes, 0.1F);
    const dsp::DenormalGuard flush;
    for (auto _ : state)
        filter.process(io.data(), 512);
    state.SetLabel("driven layers, 8 channels, oversampled " + std::to_string(state.range(0)) + " times");
    state.SetItemsProcessed(state.iterations() * 512);
}
BENCHMARK(BM_LayerDrive)->Arg(4)->Arg(8);

void BM_DesignBand(benchmark::State& state) {
    double hz = 100;
    for (auto _ : state)
        benchmark::DoNotOptimize(
            dsp::designBand({1, dsp::FilterKind::Bell, true, hz += 0.1, 4, 1.2, 24}, 48000));
}
BENCHMARK(BM_DesignBand);

void BM_CompileKit16(benchmark::State& state) {
    auto load = bench::makeKitLoad(16, 0.1);
    for (auto _ : state)
        benchmark::DoNotOptimize(graph::compile(load.session, load.lookup));
}
BENCHMARK(BM_CompileKit16)->Unit(benchmark::kMicrosecond);

template <class Meter> void measureFile(benchmark::State& state) {
    const auto x = bench::material(1, 48000 * 10);
    for (auto _ : state) {
        Meter meter(48000, 1);
        meter.add(x);
        benchmark::DoNotOptimize(meter.result());
    }
    state.counters["x_real_time"] =
        benchmark::Counter(10.0 * static_cast<double>(state.iterations()), benchmark::Counter::kIsRate);
}
BENCHMARK(measureFile<measure::LevelMeter>)->Unit(benchmark::kMillisecond);
BENCHMARK(measureFile<measure::LoudnessMeter>)->Unit(benchmark::kMillisecond);
BENCHMARK(measureFile<measure::SpectrumMeter>)->Unit(benchmark::kMillisecond);
void BM_BandTrail(benchmark::State& state) {
    const auto x = bench::material(1, 48000 * 10);
    for (auto _ : state) {
        measure::BandTrailMeter meter(48000);
        meter.add(x);
        benchmark::DoNotOptimize(meter.take());
    }
    state.counters["x_real_time"] =
        benchmark::Counter(10.0 * static_cast<double>(state.iterations()), benchmark::Counter::kIsRate);
}
BENCHMARK(BM_BandTrail)->Unit(benchmark::kMillisecond);

} // namespace

BENCHMARK_MAIN();
