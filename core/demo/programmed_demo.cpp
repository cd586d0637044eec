#include "core/demo/programmed_demo.h"

#include "core/base/file_system.h"
#include "core/base/hash.h"
#include "core/demo/built_in_kit.h"
#include "core/demo/random.h"
#include "core/layers/midi_write.h"
#include "core/layers/stack_file.h"
#include "core/layers/stack_source.h"
#include "core/media/audio_writer.h"
#include "core/session/edits.h"
#include "core/session/intake.h"
#include "core/session/session_store.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace cask::demo {
namespace {

namespace fs = std::filesystem;

constexpr double kRate = 48000;
constexpr double kBpm = 100;
constexpr int kBars = 8;
constexpr int kDrumChannel = 9;

Status writeSound(const fs::path& file, const std::vector<float>& sound) {
    auto writer = media::AudioWriter::create(file, kRate, 1, {});
    if (!writer)
        return writer.error();
    if (auto status = writer->write(sound); !status)
        return status;
    return writer->commit();
}

/// Layers that belong to no kit: a low tone that falls, a click, a clap of four bursts.
Status writeExtras(const fs::path& folder) {
    Random random(7);
    std::vector<float> low(static_cast<std::size_t>(0.45 * kRate));
    double phase = 0;
    for (std::size_t n = 0; n < low.size(); ++n) {
        const double t = static_cast<double>(n) / kRate;
        phase += 2 * kPi * (48 + 70 * std::exp(-t / 0.02)) / kRate;
        low[n] = static_cast<float>(0.7 * std::sin(phase) * std::exp(-t / 0.11) * std::min(1.0, t / 0.002));
    }
    std::vector<float> click(static_cast<std::size_t>(0.03 * kRate));
    for (std::size_t n = 0; n < click.size(); ++n)
        click[n] =
            0.6F * random.noise() * static_cast<float>(std::exp(-static_cast<double>(n) / (0.003 * kRate)));
    std::vector<float> clap(static_cast<std::size_t>(0.25 * kRate), 0.0F);
    for (const double at : {0.0, 0.009, 0.019, 0.028})
        for (auto n = static_cast<std::size_t>(at * kRate); n < clap.size(); ++n) {
            const double t = static_cast<double>(n) / kRate - at;
            clap[n] +=
                0.25F * random.noise() * static_cast<float>(std::exp(-t / (at < 0.028 ? 0.004 : 0.045)));
        }
    for (const auto& [name, sound] : {std::pair("Low.wav", &low), {"Click.wav", &click}, {"Clap.wav", &clap}})
        if (auto written = writeSound(folder / name, *sound); !written)
            return written;
    return Done{};
}

/// Eight bars as a machine plays them: exact, hats all alike.
layers::Pattern beat() {
    layers::Pattern pattern;
    pattern.tempi = {{0, 0, kBpm}};
    pattern.metres = {{0, 4, 4}};
    pattern.lengthBeats = 4.0 * kBars;
    const auto hit = [&](int bar, double beatInBar, int note, int velocity) {
        const double at = 4 * bar + beatInBar;
        pattern.strokes.push_back({pattern.timeOf(at), at, note, velocity, kDrumChannel});
    };
    for (int bar = 0; bar < kBars; ++bar) {
        const bool isLast = bar == kBars - 1;
        for (int eighth = 0; eighth < (isLast ? 4 : 8); ++eighth)
            hit(bar, 0.5 * eighth, bar == 3 && eighth == 7 ? 46 : 42, 92);
        for (const double at : {0.0, 1.5, 2.5})
            hit(bar, at, 36, at == 0 ? 118 : 104);
        hit(bar, 1, 38, 116);
        if (!isLast) {
            hit(bar, 3, 38, 116);
            for (const double at : {1.75, 2.25})
                hit(bar, at, 38, 38);
        } else {
            for (int sixteenth = 0; sixteenth < 8; ++sixteenth)
                hit(bar, 2 + 0.25 * sixteenth,
                    sixteenth < 2   ? 38
                    : sixteenth < 5 ? 48
                                    : 43,
                    88 + 4 * sixteenth);
        }
    }
    hit(0, 0, 49, 110);
    std::stable_sort(pattern.strokes.begin(), pattern.strokes.end(),
                     [](const auto& a, const auto& b) { return a.beat < b.beat; });
    return pattern;
}

struct Part {
    const char* name;
    Role role;
    std::vector<int> notes;
    double levelDb, pan;
    std::vector<layers::Layer> layers; ///< over the kit
};

std::vector<Part> parts(const fs::path& kit) {
    layers::Layer low;
    low.name = "Low";
    low.purpose = layers::LayerPurpose::Lows;
    low.sounds = {{kit / "Low.wav"}};
    low.gainDb = -5;
    layers::Layer click;
    click.name = "Click";
    click.purpose = layers::LayerPurpose::Impact;
    click.sounds = {{kit / "Click.wav"}};
    click.gainDb = -14;
    click.lowCutHz = 1500;
    layers::Layer clap;
    clap.name = "Clap";
    clap.purpose = layers::LayerPurpose::Texture;
    clap.sounds = {{kit / "Clap.wav"}};
    clap.gainDb = -9;
    clap.offsetMs = -10;
    clap.rule.lowVelocity = 100;
    return {
        {"Kick", Role::KickIn, {36}, -4, 0, {low, click}},   {"Snare", Role::SnareTop, {38}, -5, 0, {clap}},
        {"Hi-hat", Role::ClosedHat, {42, 46}, -12, 0.3, {}}, {"Rack tom", Role::RackTom, {48}, -6, 0.2, {}},
        {"Floor tom", Role::FloorTom, {43}, -6, -0.35, {}},  {"Crash", Role::Crash, {49}, -12, -0.3, {}}};
}

} // namespace

Result<fs::path> writeProgrammedDemo(const fs::path& wanted, const CancelToken& cancel,
                                     const ProgressFn& progress) {
    auto& files = diskFileSystem();
    const fs::path folder = fs::absolute(wanted).lexically_normal();
    session::SessionStore store(files, folder);
    const auto lock = store.lock();
    if (!lock)
        return lock.error();
    if (files.exists(store.sessionFile()))
        return Error{ErrorCode::NotWritable,
                     folder.string() + " holds a session already; it was left as it is."};
    for (const char* name : {"kit", "layers"})
        if (auto made = files.makeFolder(folder / name); !made)
            return made.error();
    if (auto written = writeBuiltInKit(folder / "kit", cancel, progress); !written)
        return written.error();
    if (auto written = writeExtras(folder / "kit"); !written)
        return written.error();
    const auto pattern = beat();
    if (auto written = layers::writeMidiPattern(pattern, folder / "Beat.mid", {IfExists::Replace, nullptr});
        !written)
        return written.error();
    auto s = session::emptySession(kRate);
    s.name = "Demo - programmed kit";
    s.tempo.bpm = kBpm;
    s.tempo.firstBarS = 0;
    for (const Part& part : parts(folder / "kit")) {
        layers::Stack stack;
        stack.lengthS = pattern.timeOf(pattern.lengthBeats) + 2;
        for (const auto& stroke : pattern.strokes)
            if (std::find(part.notes.begin(), part.notes.end(), stroke.note) != part.notes.end())
                stack.strikes.push_back({stroke.timeS, static_cast<double>(stroke.velocity),
                                         stroke.velocity < 60    ? "ghost"
                                         : stroke.velocity > 110 ? "accent"
                                                                 : "normal",
                                         stroke.note});
        layers::Layer played;
        played.name = "Kit";
        played.kit = folder / "kit" / "Kit.sfz";
        played.note = part.notes.front();
        played.atTransient = false;
        stack.layers = part.layers;
        stack.layers.insert(stack.layers.begin(), played);
        const auto source = layers::StackSource::make(stack, kRate, cancel);
        if (!source)
            return source.error();
        const fs::path file =
            folder / "layers" / (std::string(part.name) + std::string(layers::kStackEnding));
        if (auto written = files.writeAtomically(file, layers::toJson(stack, file.parent_path())); !written)
            return written.error();
        auto hash = hashFile(file);
        if (!hash)
            return hash.error();
        auto with = session::withMadeElement(std::move(s),
                                             {session::storedPath(file, folder),
                                              std::string(part.name) + ".wav",
                                              (*source)->frames(),
                                              (*source)->channels(),
                                              kRate,
                                              session::kStackFormat,
                                              {},
                                              *hash},
                                             {part.name, part.role, session::kNoId, 0});
        const session::Id bus = session::startingBus(with.session, part.role);
        s = session::withOutput(std::move(with.session), with.element, [&](session::Output& out) {
            out.levelDb = part.levelDb;
            out.pan = part.pan;
            out.bus = bus;
        });
    }
    if (auto status = store.save(s); !status)
        return status.error();
    return folder;
}

} // namespace cask::demo
