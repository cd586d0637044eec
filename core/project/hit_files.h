// Hits in open formats: CSV, JSON, MIDI, text labels, WAV cue marks.
#pragma once

#include <core/base/new_file.h>
#include <core/kit_measures/hit_analysis.h>
#include <filesystem>
#include <string>
#include <vector>

namespace cask::project {

using kit::HitAnalysis;

/// One line of the table: a hit as one element heard it.
struct HitRow {
    std::string element;
    std::string role;
    double timeS = 0; ///< from the start of the session
    double levelDb = 0;
    double velocity = 0;
    std::string hitClass;
    std::string owner; ///< see HitAnalysis::ownerOf
    double confidence = 0;
    bool isOwn = false;
};

/// By time. Without `ownOnly` spill is there too, with the class and velocity of the stroke that made it.
[[nodiscard]] std::vector<HitRow> hitRows(const session::Session& s, const HitAnalysis& a, bool ownOnly);

/// element,role,time_s,level_db,velocity,class,owner,confidence; names are quoted (RFC 4180).
[[nodiscard]] std::string hitsToCsv(const std::vector<HitRow>& rows);
[[nodiscard]] std::string hitsToJson(const session::Session& s, const HitAnalysis& a,
                                     const std::vector<HitRow>& rows);
/// A few lines for people: tempo, then each drum with its counts and feel.
[[nodiscard]] std::string hitsInWords(const session::Session& s, const HitAnalysis& a);
/// Start, end and name of each own hit of an element, tab between, seconds.
[[nodiscard]] std::string hitsToLabels(const HitAnalysis& a, session::Id element);
/// Standard MIDI file, format 1, 480 ticks a beat, General MIDI drum notes on channel 10, a track per drum,
/// the tempo of each bar as found (120 when there is none).
[[nodiscard]] Status writeMidi(const HitAnalysis& a, const std::filesystem::path& path);
/// A 32-bit float copy of an element's first file, as it plays, with cue marks at its own hits. The source is
/// only read.
[[nodiscard]] Status writeCues(const session::Session& s, const HitAnalysis& a, session::Id element,
                               const std::filesystem::path& sessionFolder, const std::filesystem::path& path);

/// hits.csv, hits.json, hits.mid, "NAME - hits.txt" for each element, with cues "NAME - hits.wav": all of
/// them or none. Returns what was written.
[[nodiscard]] Result<std::vector<std::filesystem::path>>
writeHitFiles(const session::Session& s, const HitAnalysis& a, const std::filesystem::path& sessionFolder,
              const std::filesystem::path& folder, bool cues, IfExists ifExists = IfExists::Refuse,
              const CancelToken& cancel = {});

/// General MIDI note of a drum.
[[nodiscard]] int midiNote(Role role);

} // namespace cask::project
