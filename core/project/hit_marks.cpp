#include "core/project/hit_files.h"
#include "core/project/offline_sources.h"
#include "core/session/session_store.h"

#include <sndfile.h>

#include <array>
#include <cmath>
#include <cstddef>
#include <cstring>
#include <smf.h>

namespace cask::project {
namespace {

struct SmfCloser {
    void operator()(smf_t* smf) const { smf_delete(smf); }
};
struct SoundCloser {
    void operator()(SNDFILE* file) const { sf_close(file); }
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
    auto temporary = path;
    temporary += ".part";
    if (smf_save(smf.get(), temporary.c_str()) != 0)
        return Error{ErrorCode::NotWritable, path.string() + " can't be written."};
    std::error_code failed;
    std::filesystem::rename(temporary, path, failed);
    if (failed)
        return Error{ErrorCode::NotWritable, path.string() + " can't be written: " + failed.message() + "."};
    return Done{};
}

Status writeCues(const session::Session& s, const HitAnalysis& a, session::Id element,
                 const std::filesystem::path& sessionFolder, const std::filesystem::path& path) {
    const auto* e = s.element(element);
    const auto* file = s.file(e->channels.front().file);
    const auto prepared = prepareFile(*file, sessionFolder, s.sampleRateHz);
    if (!prepared)
        return prepared.error();
    auto reader = media::AudioReader::open(prepared->playable);
    if (!reader)
        return reader.error();
    const auto info = reader->info();
    SF_INFO format{};
    format.samplerate = static_cast<int>(std::lround(info.sampleRateHz));
    format.channels = info.channels;
    format.format = SF_FORMAT_WAV | SF_FORMAT_FLOAT;
    auto temporary = path;
    temporary += ".part";
    const Error failed{ErrorCode::NotWritable, path.string() + " can't be written."};
    std::unique_ptr<SNDFILE, SoundCloser> out(sf_open(temporary.c_str(), SFM_WRITE, &format));
    if (!out)
        return failed;
    std::vector<SF_CUE_POINT> points;
    const double offsetS = framesToSeconds(e->startFrame, s.sampleRateHz) + 0.001 * e->input.shiftMs;
    const int input = a.inputOf(element);
    for (const auto& h : a.hits.heard) {
        const Frames at = secondsToFrames(h.timeS - offsetS, info.sampleRateHz);
        if (h.input != input || !h.isOwn || at < 0 || at >= info.frames)
            continue;
        SF_CUE_POINT cue{};
        cue.indx = static_cast<std::int32_t>(points.size() + 1);
        cue.position = static_cast<std::uint32_t>(at);
        cue.sample_offset = static_cast<std::uint32_t>(at);
        std::memcpy(&cue.fcc_chunk, "data", 4);
        points.push_back(cue);
    }
    // The library takes a count with as many points behind it; its own struct has room for a hundred.
    const auto count = static_cast<std::uint32_t>(points.size());
    std::vector<char> cues(std::max(sizeof(SF_CUES), sizeof count + count * sizeof(SF_CUE_POINT)));
    std::memcpy(cues.data(), &count, sizeof count);
    if (count > 0)
        std::memcpy(cues.data() + offsetof(SF_CUES, cue_points), points.data(), count * sizeof(SF_CUE_POINT));
    if (count > 0 &&
        sf_command(out.get(), SFC_SET_CUE, cues.data(), static_cast<int>(cues.size())) != SF_TRUE)
        return failed;
    std::vector<float> block(static_cast<std::size_t>(32768 * info.channels));
    while (const Frames got = reader->read(block))
        if (sf_writef_float(out.get(), block.data(), got) != got)
            return failed;
    out.reset();
    std::error_code error;
    std::filesystem::rename(temporary, path, error);
    return error ? Status(failed) : Status(Done{});
}

} // namespace cask::project
