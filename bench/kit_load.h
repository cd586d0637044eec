// The standard kit load as a session: what of it exists so far, with its material in memory.
#pragma once

#include <cmath>
#include <core/graph/plan.h>
#include <core/media/offline_source.h>
#include <core/session/edits.h>
#include <core/session/intake.h>
#include <map>
#include <random>

namespace cask::bench {

struct KitLoad {
    session::Session session;
    graph::SourceLookup lookup;
    Frames frames = 0;
};

/// Decaying bursts at varied intervals over -50 dBFS noise, so that no path is skipped.
inline std::vector<float> material(unsigned seed, Frames frames) {
    std::mt19937 random(seed);
    const auto uniform = [&] { return static_cast<double>(random()) / 4294967296.0; };
    std::vector<float> x(static_cast<std::size_t>(frames));
    for (float& v : x)
        v = static_cast<float>(0.00316 * (2 * uniform() - 1));
    for (double at = 0.05; at * 48000 < static_cast<double>(frames); at += 0.1 + 0.5 * uniform()) {
        const auto start = static_cast<std::size_t>(at * 48000);
        const double hz = 50 + 3000 * uniform() * uniform();
        const std::size_t end = std::min(x.size(), start + 14400);
        for (std::size_t i = start; i < end; ++i) {
            const double t = static_cast<double>(i - start) / 48000;
            x[i] += static_cast<float>(0.6 * std::exp(-t / 0.06) * std::sin(2 * kPi * hz * t));
        }
    }
    return x;
}

/// Of the standard load there is: high-pass 24 dB/oct, 4 bells and a gate per element, pan and level to
/// Shells or Cymbals, send to a parallel bus, 4-band EQ on Shells, Cymbals and Kit, a true-peak ceiling on
/// the master. Compressors, transient shapers and saturations (4 times oversampled, on all elements, Crush
/// and Kit) can be added: then it is all of it.
struct KitParts {
    bool elementEq = true;
    bool gates = true;
    bool busEq = true;
    bool ceiling = true;
    bool sends = true;
    bool compressors = false; ///< of elements and buses
    bool shapers = false;
    bool saturations = false; ///< of elements and buses
    bool gateExtras = false;  ///< a detector filter on every fourth gate
    bool dynamicBands = false;
};

inline dsp::CompressorSettings compressor(double thresholdDb, double ratio, double attackMs, double releaseMs,
                                          double makeupDb) {
    dsp::CompressorSettings s;
    s.thresholdDb = thresholdDb;
    s.ratio = ratio;
    s.attackMs = attackMs;
    s.releaseMs = releaseMs;
    s.makeupDb = makeupDb;
    return s;
}

inline dsp::SaturationSettings saturation(double driveDb) {
    dsp::SaturationSettings s;
    s.driveDb = driveDb;
    return s;
}

inline KitLoad makeKitLoad(int elements, double seconds, const KitParts& parts = {}) {
    KitLoad load;
    load.frames = static_cast<Frames>(seconds * 48000);
    std::vector<session::IntakeFile> files;
    for (int i = 0; i < elements; ++i) {
        const std::string name = (i % 3 == 2 ? "Crash " : "Snare ") + std::to_string(i);
        files.push_back({"/memory/" + name, name + ".wav", load.frames, 1, 48000, "memory", std::nullopt});
    }
    load.session = session::withFiles(session::emptySession(), files);
    auto& s = load.session;
    // A handful of different sounds is enough: memory traffic is that of separate files up to 8.
    std::vector<std::shared_ptr<AudioSource>> sounds;
    for (unsigned i = 0; i < 8; ++i)
        sounds.push_back(std::make_shared<media::MemorySource>(
            std::vector<std::vector<float>>{material(i + 1, load.frames)}));
    std::map<session::Id, std::shared_ptr<AudioSource>> map;
    const auto crush = session::addBus(s, "Crush", s.master().id);
    for (int i = 0; i < elements; ++i) {
        const auto id = s.elements[static_cast<std::size_t>(i)]->id;
        map[s.files[static_cast<std::size_t>(i)]->id] = sounds[static_cast<std::size_t>(i) % sounds.size()];
        if (parts.elementEq)
            session::addBand(s, id, {0, dsp::FilterKind::HighPass, true, 30.0 + i, 0, 1, 24});
        for (const double hz : {120.0, 400.0, 2500.0, 8000.0})
            if (parts.elementEq)
                session::addBand(
                    s, id, {0, dsp::FilterKind::Bell, true, hz + 7 * i, hz == 400 ? -4.0 : 2.0, 1.2, 24});
        if (parts.gates) {
            dsp::GateSettings gate;
            gate.openDb = -30;
            gate.closeDb = -36;
            gate.attackMs = 0.3;
            gate.holdMs = 20;
            gate.releaseMs = 80;
            gate.floorDb = -40;
            gate.lookAheadMs = 2;
            if (parts.gateExtras && i % 4 == 0) {
                gate.lowCutHz = 80;
                gate.highCutHz = 6000;
            }
            session::addModule(s, id, gate);
        }
        if (parts.compressors)
            session::addModule(s, id, compressor(-20 - 0.3 * i, 4, 20, 120, 4));
        if (parts.shapers) {
            dsp::TransientSettings shaper;
            shaper.attackPercent = 30 - i;
            shaper.sustainPercent = i % 2 == 0 ? -20 : 20;
            session::addModule(s, id, shaper);
        }
        if (parts.saturations)
            session::addModule(s, id, saturation(6 + 0.5 * i));
        if (parts.dynamicBands) {
            dsp::EqBand band{0, dsp::FilterKind::Bell, true, 400.0 + 20 * i, 0, 1.2, 24};
            band.dynamics = dsp::Dynamics::Above;
            band.thresholdDb = -30;
            band.rangeDb = -6;
            session::addBand(s, id, band);
        }
        s = session::withOutput(std::move(s), id, [&](session::Output& out) {
            out.pan = (i % 9 - 4) / 5.0;
            out.levelDb = -6;
        });
        if (parts.sends)
            s = *session::withSend(std::move(s), id, {crush, -12, false, {}});
    }
    for (const auto& bus : std::vector(s.buses))
        for (const double hz : {80.0, 350.0, 3000.0, 10000.0})
            if (parts.busEq && (bus->name == "Shells" || bus->name == "Cymbals" || bus->name == "Kit"))
                session::addBand(s, bus->id, {0, dsp::FilterKind::Bell, true, hz, 1.5, 0.8, 24});
    if (parts.compressors)
        for (const auto& bus : std::vector(s.buses)) {
            if (bus->name == "Shells" || bus->name == "Cymbals")
                session::addModule(s, bus->id, compressor(-16, 4, 20, 120, 2));
            if (bus->name == "Crush")
                session::addModule(s, bus->id, compressor(-28, 20, 0.3, 60, 8));
            if (bus->name == "Kit")
                session::addModule(s, bus->id, compressor(-12, 2, 30, 150, 1.5));
        }
    if (parts.saturations)
        for (const auto& bus : std::vector(s.buses))
            if (bus->name == "Crush" || bus->name == "Kit")
                session::addModule(s, bus->id, saturation(bus->name == "Kit" ? 6 : 12));
    if (parts.ceiling) {
        session::Module ceiling;
        ceiling.id = s.nextId++;
        ceiling.settings = dsp::LimiterSettings{-1, 80};
        s = session::withChain(std::move(s), s.master().id, [&](auto& chain) { chain.push_back(ceiling); });
    }
    load.lookup = [map](session::Id id) { return map.at(id); };
    return load;
}

} // namespace cask::bench
