#include "core/media/audio_writer.h"
#include "core/project/hit_files.h"
#include "core/project/measured_files.h"

#include <array>
#include <cmath>
#include <smf.h>

namespace cask::project {
namespace {

struct SmfCloser {
    void operator()(smf_t* smf) const { smf_delete(smf); }
};

constexpr int kTicksPerBeat = 480;
constexpr int kDrumChannel = 9; // the tenth
constexpr double kNoteS = 0.05;

void addEvent(smf_track_t* track, const std::vector<unsigned char>& bytes, double pulses) {
    auto* event =
        smf_event_new_from_pointer(const_cast<unsigned char*>(bytes.data()), static_cast<int>(bytes.size()));
    smf_track_add_event_pulses(track, event, static_cast<int>(std::lround(std::max(0.0, pulses))));
}

std::vector<unsigned char> tempoEvent(double bpm) {
    const auto micros = static_cast<unsigned>(std::lround(60e6 / bpm));
    return {0xFF,
            0x51,
            0x03,
            static_cast<unsigned char>(micros >> 16U),
            static_cast<unsigned char>(micros >> 8U),
            static_cast<unsigned char>(micros)};
}

std::vector<unsigned char> nameEvent(const std::string& name) {
    std::vector<unsigned char> bytes = {0xFF, 0x03,
                                        static_cast<unsigned char>(std::min<std::size_t>(name.size(), 100))};
    bytes.insert(bytes.end(), name.begin(), name.begin() + static_cast<std::ptrdiff_t>(bytes[2]));
    return bytes;
}

/// Places in ticks, with a tempo that changes from beat to beat: session time runs on before the first bar.
class Ticks {
  public:
    explicit Ticks(const measure::Tempo& tempo) : m_tempo(tempo) {
        // The first bar line falls on a whole number of beats from the start of the file.
        m_leadBeats = tempo.isKnown ? std::ceil(tempo.firstBarS * tempo.bpm / 60) : 0;
    }
    [[nodiscard]] double at(double timeS) const {
        if (!m_tempo.isKnown)
            return timeS * 120 / 60 * kTicksPerBeat;
        if (timeS < m_tempo.firstBarS && m_tempo.firstBarS > 0)
            return timeS / m_tempo.firstBarS * m_leadBeats * kTicksPerBeat;
        return (m_leadBeats + m_tempo.beatAt(timeS)) * kTicksPerBeat;
    }
    void addTempos(smf_track_t* track) const {
        if (!m_tempo.isKnown) {
            addEvent(track, tempoEvent(120), 0);
            return;
        }
        if (m_leadBeats > 0)
            addEvent(track, tempoEvent(60 * m_leadBeats / std::max(1e-3, m_tempo.firstBarS)), 0);
        double last = 0;
        for (std::size_t k = 0; k + 1 < m_tempo.beatsS.size(); ++k) {
            const double bpm = 60 / (m_tempo.beatsS[k + 1] - m_tempo.beatsS[k]);
            if (std::abs(bpm - last) > 1e-6)
                addEvent(track, tempoEvent(bpm), (m_leadBeats + static_cast<double>(k)) * kTicksPerBeat);
            last = bpm;
        }
    }

  private:
    const measure::Tempo& m_tempo;
    double m_leadBeats;
};

} // namespace

int midiNote(Role role) {
    switch (role) {
    case Role::KickIn:
    case Role::KickOut:
    case Role::SubKick:
        return 36;
    case Role::SideStick:
        return 37;
    case Role::Clap:
        return 39;
    case Role::FloorTom:
        return 43;
    case Role::RackTom:
        return 48;
    case Role::ClosedHat:
        return 42;
    case Role::OpenHat:
        return 46;
    case Role::Ride:
        return 51;
    case Role::Crash:
        return 49;
    case Role::Percussion:
        return 54;
    default:
        return 38;
    }
}

Status writeMidi(const HitAnalysis& a, const std::filesystem::path& path) {
    const std::unique_ptr<smf_t, SmfCloser> smf(smf_new());
    (void)!smf_set_ppqn(smf.get(), kTicksPerBeat);
    (void)!smf_set_format(smf.get(), 1);
    const Ticks ticks(a.tempo);
    auto* first = smf_track_new();
    smf_add_track(smf.get(), first);
    ticks.addTempos(first);
    for (std::size_t d = 0; d < a.hits.kit.drums.size(); ++d) {
        const auto& drum = a.hits.kit.drums[d];
        smf_track_t* track = nullptr;
        const auto note = static_cast<unsigned char>(midiNote(drum.role));
        for (const auto& stroke : a.hits.strokes) {
            if (stroke.drum != static_cast<int>(d))
                continue;
            if (track == nullptr) {
                track = smf_track_new();
                smf_add_track(smf.get(), track);
                addEvent(track, nameEvent(drum.name), 0);
            }
            const auto velocity =
                static_cast<unsigned char>(std::clamp(std::lround(127 * stroke.velocity), 1L, 127L));
            addEvent(track, {0x90 | kDrumChannel, note, velocity}, ticks.at(stroke.timeS));
            addEvent(track, {0x80 | kDrumChannel, note, 0},
                     std::max(ticks.at(stroke.timeS) + 1, ticks.at(stroke.timeS + kNoteS)));
        }
    }
    auto file = NewFile::create(path);
    if (!file)
        return file.error();
    // The library writes by name: into the file that is held open here.
    if (smf_save(smf.get(), file->temporary().c_str()) != 0)
        return Error{ErrorCode::NotWritable, path.string() + " can't be written."};
    return file->commit();
}

Status writeCues(const session::Session& s, const HitAnalysis& a, session::Id element,
                 const std::filesystem::path& sessionFolder, const std::filesystem::path& path) {
    const auto* e = s.element(element);
    const auto* file = s.file(e->channels.front().file);
    const auto ready = readyFile(*file, sessionFolder, s.sampleRateHz);
    if (!ready)
        return ready.error();
    auto reader = media::AudioReader::open(ready->prepared.playable);
    if (!reader)
        return reader.error();
    const auto info = reader->info();
    auto out =
        media::AudioWriter::create(path, info.sampleRateHz, info.channels,
                                   {media::Container::Wav, media::SampleFormat::Float32, false, 0, true});
    if (!out)
        return out.error();
    std::vector<Frames> cues;
    const double offsetS = framesToSeconds(e->startFrame, s.sampleRateHz) + 0.001 * e->input.shiftMs;
    const int input = a.inputOf(element);
    for (const auto& h : a.hits.heard) {
        const Frames at = secondsToFrames(h.timeS - offsetS, info.sampleRateHz);
        if (h.input == input && h.isOwn && at >= 0 && at < info.frames)
            cues.push_back(at);
    }
    if (auto status = out->setCues(cues); !status)
        return status;
    std::vector<float> block(static_cast<std::size_t>(32768 * info.channels));
    while (const Frames got = reader->read(block))
        if (auto status = out->write({block.data(), static_cast<std::size_t>(got * info.channels)}); !status)
            return status;
    if (auto state = reader->state(); !state)
        return state;
    return out->commit();
}

} // namespace cask::project
