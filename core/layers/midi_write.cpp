#include "core/layers/midi_write.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <memory>
#include <smf.h>

namespace cask::layers {
namespace {

constexpr int kTicksPerBeat = 480;
constexpr double kNoteBeats = 0.25;

struct Closer {
    void operator()(smf_t* smf) const { smf_delete(smf); }
};

void add(smf_track_t* track, const std::vector<unsigned char>& bytes, double beat) {
    auto* event =
        smf_event_new_from_pointer(const_cast<unsigned char*>(bytes.data()), static_cast<int>(bytes.size()));
    smf_track_add_event_pulses(track, event, static_cast<int>(std::lround(beat * kTicksPerBeat)));
}

} // namespace

Status writeMidiPattern(const Pattern& pattern, const std::filesystem::path& path, const WriteRules& rules) {
    auto file = NewFile::create(path, rules);
    if (!file)
        return file.error();
    const std::unique_ptr<smf_t, Closer> smf(smf_new());
    (void)!smf_set_ppqn(smf.get(), kTicksPerBeat);
    (void)!smf_set_format(smf.get(), 1);
    auto* times = smf_track_new();
    smf_add_track(smf.get(), times);
    const auto byte = [](unsigned value) { return static_cast<unsigned char>(value & 0xFFU); };
    for (const auto& metre : pattern.metres)
        add(times,
            {0xFF, 0x58, 4, byte(static_cast<unsigned>(metre.beats)),
             byte(static_cast<unsigned>(std::countr_zero(static_cast<unsigned>(metre.unit)))), 24, 8},
            metre.beat);
    for (const auto& tempo : pattern.tempi) {
        const auto micros = static_cast<unsigned>(std::lround(60e6 / tempo.bpm));
        add(times, {0xFF, 0x51, 3, byte(micros >> 16U), byte(micros >> 8U), byte(micros)}, tempo.beat);
    }
    auto* strokes = smf_track_new();
    smf_add_track(smf.get(), strokes);
    for (const auto& stroke : pattern.strokes) {
        const auto channel = static_cast<unsigned>(stroke.channel);
        const auto note = byte(static_cast<unsigned>(stroke.note));
        add(strokes, {byte(0x90U | channel), note, byte(static_cast<unsigned>(stroke.velocity))},
            stroke.beat);
        add(strokes, {byte(0x80U | channel), note, 0}, stroke.beat + kNoteBeats);
    }
    // The library writes by name: into the file that is held open here.
    if (smf_save(smf.get(), file->temporary().c_str()) != 0)
        return Error{ErrorCode::NotWritable, path.string() + " can't be written."};
    return file->commit();
}

} // namespace cask::layers
