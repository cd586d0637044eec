#include "core/demo/built_in_kit.h"

#include "core/base/file_system.h"
#include "core/base/parallel.h"
#include "core/demo/drum_synth.h"
#include "core/demo/placements.h"
#include "core/media/audio_writer.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

namespace cask::demo {
namespace {

namespace fs = std::filesystem;
using Sound = std::vector<std::vector<float>>; // planar

constexpr double kRate = 48000;
constexpr float kCloseFull = 0.8F; // of the loudest stroke of a drum

struct KitDrum {
    Drum drum;
    std::vector<int> notes; ///< General MIDI; the first is its own
    const char* name;
    const char* choke; ///< what its regions say of chokes
};
const std::vector<KitDrum>& kitDrums() {
    static const std::vector<KitDrum> kDrums = {
        {Drum::Kick, {36, 35}, "Kick", ""},
        {Drum::Snare, {38, 40}, "Snare", ""},
        {Drum::Hat, {42, 44}, "Hat closed", "group=1 off_by=2 "},
        {Drum::OpenHat, {46}, "Hat open", "group=2 off_by=1 "},
        {Drum::RackTom, {48, 50, 47, 45}, "Rack tom", ""},
        {Drum::FloorTom, {43, 41}, "Floor tom", ""},
        {Drum::Crash, {49, 57, 52, 55}, "Crash", ""},
        {Drum::Ride, {51, 53, 59}, "Ride", ""},
    };
    return kDrums;
}
/// Up to these velocities plays a stroke of that strength.
constexpr std::array kStrengths = {60, 100, 127};
constexpr int kTakes = 2;

/// A microphone as a kit of its own.
struct KitMicrophone {
    const char* file;      ///< of the kit
    const char* sounds;    ///< word in the names of its sounds
    const char* placement; ///< see placements()
    std::vector<Drum> own; ///< of one that is close: not in its spill
};
const std::vector<KitMicrophone>& kitMicrophones() {
    static const std::vector<KitMicrophone> kMicrophones = {
        {"Overheads.sfz", "over", "Overheads", {}},
        {"Room.sfz", "room", "Room", {}},
        {"Spill Kick.sfz", "in kick", "Kick In", {Drum::Kick}},
        {"Spill Snare.sfz", "in snare", "Snare Top", {Drum::Snare}},
        {"Spill Hi-hat.sfz", "in hat", "Hat", {Drum::Hat, Drum::OpenHat}},
        {"Spill Rack tom.sfz", "in rack tom", "Rack Tom", {Drum::RackTom}},
        {"Spill Floor tom.sfz", "in floor tom", "Floor Tom", {Drum::FloorTom}},
    };
    return kMicrophones;
}

float peakOf(const std::vector<float>& sound) {
    float peak = 1e-9F;
    for (const float x : sound)
        peak = std::max(peak, std::fabs(x));
    return peak;
}

Status writeSound(const fs::path& file, Sound sound) {
    // What has fallen under -80 dBFS is not kept.
    std::size_t end = 0;
    for (const auto& channel : sound)
        for (std::size_t n = 0; n < channel.size(); ++n)
            if (std::fabs(channel[n]) > 1e-4F)
                end = std::max(end, n + 1);
    const std::size_t frames = std::max<std::size_t>(end, 480);
    std::vector<float> all(frames * sound.size());
    for (std::size_t c = 0; c < sound.size(); ++c)
        for (std::size_t n = 0; n < std::min(frames, sound[c].size()); ++n)
            all[n * sound.size() + c] = std::clamp(sound[c][n], -1.0F, 1.0F);
    media::WriteOptions options;
    options.container = file.extension() == ".flac" ? media::Container::Flac : media::Container::Wav;
    auto writer = media::AudioWriter::create(file, kRate, static_cast<int>(sound.size()), options);
    if (!writer)
        return writer.error();
    if (auto status = writer->write(all); !status)
        return status;
    return writer->commit();
}

/// A region plays as loud as its velocity asks for, whatever the strength of its stroke.
std::string region(const KitDrum& drum, std::size_t strength, int take, const std::string& file) {
    std::string text;
    for (const int note : drum.notes)
        text += fmt::format("<region> key={0} pitch_keycenter={0} lovel={1} hivel={2} seq_length={3} "
                            "seq_position={4} volume={5:.2f} {6}loop_mode=one_shot sample={7}\n",
                            note, strength == 0 ? 1 : kStrengths[strength - 1] + 1, kStrengths[strength],
                            kTakes, take, -40 * std::log10(kStrengths[strength] / 127.0), drum.choke, file);
    return text;
}

Sound heard(const std::vector<float>& stroke, Drum drum, const Placement& placement) {
    const RoomSize room;
    constexpr double kRoomTailS = 0.9;
    std::vector<float> source = stroke;
    source.resize(stroke.size() + static_cast<std::size_t>(kRoomTailS * kRate), 0.0F);
    std::vector<float> feed = source;
    for (float& x : feed)
        x *= 0.25F; // as much as the demo take has
    const auto late = lateSound(feed, room, kRate);
    Sound sound;
    for (std::size_t c = 0; c < placement.microphones.size(); ++c) {
        const auto& microphone = placement.microphones[c];
        auto& channel = sound.emplace_back(source.size(), 0.0F);
        addHeard(source, placeOf(drum), microphone, room, false, 1, kRate, channel);
        const auto amount = static_cast<float>(microphone.reverb * microphone.closeGain);
        for (std::size_t n = 0; n < channel.size(); ++n)
            channel[n] += amount * late[c][n];
        highPass(channel, kRate);
    }
    return sound;
}

/// The strokes of a drum: [strength * kTakes + take], the loudest at kCloseFull.
std::vector<std::vector<float>> strokesOf(const KitDrum& drum, Random& random) {
    std::vector<std::vector<float>> strokes;
    float loudest = 0;
    for (const int top : kStrengths)
        for (int take = 0; take < kTakes; ++take) {
            const double velocity = std::pow(top / 127.0, 2);
            strokes.push_back(synthesise({drum.drum, 0, velocity, "normal"}, {}, kRate, random).top);
            loudest = std::max(loudest, peakOf(strokes.back()));
        }
    for (auto& stroke : strokes)
        for (float& x : stroke)
            x *= kCloseFull / loudest;
    return strokes;
}

} // namespace

Status writeBuiltInKit(const fs::path& folder, const CancelToken& cancel, const ProgressFn& progress) {
    auto& files = diskFileSystem();
    if (files.exists(folder / "Kit.sfz")) // it is written last
        return Done{};
    if (auto made = files.makeFolder(folder); !made)
        return made;
    const auto microphones = kitMicrophones();
    std::map<std::string, Placement> places;
    for (auto& placement : placements())
        places[placement.name] = placement;
    std::map<std::string, std::string> kits; // text by file
    Random random(2026);
    double done = 0;
    for (const KitDrum& drum : kitDrums()) {
        const auto strokes = strokesOf(drum, random);
        std::vector<Status> written(strokes.size(), Status(Done{}));
        inParallel(strokes.size(), [&](std::size_t i) {
            const auto nameOf = [&](const char* word, const char* ending) {
                return fmt::format("{}{}{} {} {}{}", drum.name, *word == '\0' ? "" : " ", word,
                                   i / kTakes + 1, i % kTakes + 1, ending);
            };
            if (cancel.isCancelled())
                return;
            written[i] = writeSound(folder / nameOf("", ".wav"), {strokes[i]});
            for (const auto& microphone : microphones)
                if (written[i] && std::find(microphone.own.begin(), microphone.own.end(), drum.drum) ==
                                      microphone.own.end())
                    written[i] = writeSound(folder / nameOf(microphone.sounds, ".flac"),
                                            heard(strokes[i], drum.drum, places[microphone.placement]));
        });
        if (cancel.isCancelled())
            return Error{ErrorCode::Cancelled, "Stopped; the built-in kit was not written."};
        for (const auto& status : written)
            if (!status)
                return status;
        for (std::size_t i = 0; i < strokes.size(); ++i) {
            const auto strength = i / kTakes;
            const int take = static_cast<int>(i % kTakes) + 1;
            const auto add = [&](const std::string& kit, const char* word, const char* ending) {
                kits[kit] += region(drum, strength, take,
                                    fmt::format("{}{}{} {} {}{}", drum.name, *word == '\0' ? "" : " ", word,
                                                strength + 1, take, ending));
            };
            add("Kit.sfz", "", ".wav");
            for (const auto& microphone : microphones)
                if (std::find(microphone.own.begin(), microphone.own.end(), drum.drum) ==
                    microphone.own.end())
                    add(microphone.file, microphone.sounds, ".flac");
        }
        if (progress)
            progress(++done / static_cast<double>(kitDrums().size()));
    }
    const std::string own = kits.extract("Kit.sfz").mapped();
    for (const auto& [name, text] : kits)
        if (auto written = files.writeAtomically(folder / name,
                                                 "// The built-in kit as a microphone hears it.\n" + text);
            !written)
            return written;
    return files.writeAtomically(folder / "Kit.sfz",
                                 "// The built-in kit: three strengths, two takes each.\n" + own);
}

} // namespace cask::demo
