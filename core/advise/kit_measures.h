// What findings rest on: everything measured of a session, by the ids of its elements and files.
#pragma once

#include <array>
#include <core/base/headroom.h>
#include <core/base/units.h>
#include <core/measure/alignment.h>
#include <core/measure/drive/comb.h>
#include <core/measure/drive/drive_change.h>
#include <core/measure/drive/push.h>
#include <core/measure/file_analysis.h>
#include <core/measure/gate/gate_search.h>
#include <core/measure/hits/spill_table.h>
#include <core/measure/hits/tempo.h>
#include <core/measure/punch/compression.h>
#include <core/measure/punch/hit_shapes.h>
#include <core/measure/stack/crowd_meter.h>
#include <core/measure/tone/conflict.h>
#include <core/measure/tone/hum.h>
#include <core/measure/tone/low_cut.h>
#include <core/measure/tone/partials.h>
#include <core/measure/tone/sympathy.h>
#include <core/session/session.h>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace cask::advise {

struct HitAnalysis {
    std::vector<session::Id> elements; ///< by input of the hits
    measure::KitHits hits;             ///< hand edits applied
    measure::SpillTable spill;
    measure::Tempo tempo;
    measure::Timing timing;

    /// Index of an element among the inputs; -1 when it is context or has no trail.
    [[nodiscard]] int inputOf(session::Id element) const;
    /// Element id of a drum: its first microphone; kNoId for a drum without one.
    [[nodiscard]] session::Id elementOf(int drum) const;
    /// What people call a drum: its first microphone, or a word where it has none.
    [[nodiscard]] std::string nameOf(int drum, const session::Session& s) const;
    /// What the owner column says of a hit: the element itself for its own hits, else the drum's first
    /// element, or a word (hat, crash ...) for a drum without a microphone.
    [[nodiscard]] std::string ownerOf(const measure::HeardHit& hit, const session::Session& s) const;
};

/// Two microphones of one drum, or a drum's first and the overheads, as the session has them now: trim,
/// level, polarity and shift count.
struct PairMeasure {
    session::Id first = session::kNoId;
    session::Id second = session::kNoId;
    bool isNear = true; ///< both stand at the drum; else the second hears all
    measure::Alignment alignment;
};

/// The two sides of a stereo element against each other, as the session has them.
struct SideMeasure {
    session::Id element = session::kNoId;
    int drums = 0;           ///< whose hits were looked at
    bool isInverted = false; ///< all of them say so
    double confidence = 0;   ///< 0-1, median of theirs
};

/// The same sound in two channels.
struct SameAudio {
    session::Id first = session::kNoId;
    session::Id second = session::kNoId; ///< the same element: both sides of a stereo element
    double laterMs = 0;                  ///< of the second against the first, as the session has them
    double levelDb = 0;                  ///< of the second against the first, trims counted
    bool isInverted = false;
};

struct FileMeasure {
    std::string problem;               ///< why the file can't be used; there are no facts then
    std::vector<std::string> warnings; ///< of the file's reader
    std::shared_ptr<const measure::FileAnalysis> analysis; ///< null until measured
};

enum class GateWayKind { Plain, Filtered, Keyed, Highs };

/// One way to gate an element, searched for the session's house style.
struct GateWay {
    GateWayKind kind = GateWayKind::Plain;
    measure::GateChoice choice;
    session::Id key = session::kNoId; ///< of Keyed
};

/// What an expander keyed by the shells does to a microphone that hears all.
struct ShellExpander {
    dsp::GateSettings settings;
    session::Id key = session::kNoId; ///< bus of the shells
    double betweenDb = 0;             ///< level between the shells' hits, after against before
    double decayBeforeMs = 0;         ///< of the shells' hits there, 20 dB
    double decayAfterMs = 0;
};

/// What a gate can do for a close microphone, or an expander for one that hears all.
struct GateMeasure {
    session::Id element = session::kNoId;
    measure::HitNature nature;
    std::optional<measure::GateOverlap> overlap; ///< where a threshold alone can't part them
    std::optional<ShellExpander> shells;
    double spillEnergy = 0; ///< outside of own hits, without any gate
    std::vector<GateWay> ways;
    session::Id module = session::kNoId;    ///< the gate that the session has; none of those below then
    std::optional<measure::GateReport> now; ///< what it does
    std::vector<measure::MaterialHit> hits; ///< that `now` speaks of
};

/// How loud a band gets on own hits, as a dynamic band there hears it: what a threshold is chosen by.
struct BandLevelMeasure {
    double hz = 0;
    double ownDb = 0; ///< median
};

/// A cut against a ring and what it was measured to do.
struct RingCut {
    dsp::EqBand band;
    double endsMs = 0;   ///< the ring behind it, to fall by 60 dB
    double aroundMs = 0; ///< its surroundings behind it
    double softerDb = 0; ///< what it takes off the ring 0.15 s after a hit
};

/// What a ring has become behind the element's filters.
struct RingAfter {
    double hz = 0;
    double beforeMs = 0;
    double afterMs = 0;
    double aroundMs = 0; ///< median of the surroundings, behind the filters
};

/// The element behind its filters, dynamic bands at rest.
struct ToneAfter {
    std::vector<session::Module> chain; ///< that it was measured with
    double ownDb = 0;                   ///< change of the energy of own hits
    double spillDb = 0;                 ///< and of spill
    std::vector<RingAfter> rings;
};

/// A drum in one of its microphones beside another that hears the same hits. What differs is the microphone,
/// where it stands and what was done to its sound: not the drum.
struct Beside {
    session::Id other = session::kNoId;
    bool isNear = false;          ///< the other stands at the drum too; else it hears all
    measure::Spectrum difference; ///< of the mean spectra, dB
    int hits = 0;
};

/// How an element's own hits sound before its chain. Of a microphone that hears all, "own" are the cymbals.
struct ToneMeasure {
    session::Id element = session::kNoId;
    bool hearsAll = false;
    std::vector<std::string> carried; ///< hearsAll: drums that have no microphone of their own
    measure::ToneSpectra spectra;
    measure::Partials partials;
    std::vector<RingCut> ringCuts; ///< for the first of the rings, in their order
    measure::Sympathy sympathy;
    std::optional<Beside> beside;         ///< where it may be boxy
    std::vector<BandLevelMeasure> levels; ///< at rings and humps
    std::optional<ToneAfter> after;       ///< with filters that are on
    /// Another drum that is heard better has the same note: both may be struck together, so it is not told.
    bool isNoteAnothers = false;
    [[nodiscard]] bool isNoteSure() const {
        return partials.fundamental.confidence >= 0.6 && !isNoteAnothers;
    }
    /// Below it the drum has nothing of its own that could be missed; 0 while its note is not sure.
    [[nodiscard]] double lowestOwnHz() const { return isNoteSure() ? 0.8 * partials.fundamental.hz : 0; }
    /// kSilenceDb where it was not measured.
    [[nodiscard]] double levelAt(double hz) const;
};

/// Hum of the mains in an element's file.
struct HumMeasure {
    session::Id element = session::kNoId;
    measure::Hum hum;
};

/// Two elements that mask each other, and a small move that parts them.
struct ConflictMeasure {
    session::Id first = session::kNoId;
    session::Id second = session::kNoId;
    measure::Conflict conflict; ///< indices into MixMeasure::elements
    double fromHz = 0;          ///< where it is worst
    double toHz = 0;
    session::Id yielding = session::kNoId; ///< the one of the two that has less there
    dsp::EqBand cut;                       ///< of the one that yields
    double shareAfter = 0;                 ///< in that stretch, with the cut
};

/// All elements that are heard, as they lie over each other after their equalisers and at their levels.
struct MixMeasure {
    std::vector<session::Id> elements; ///< by track of the picture
    measure::MixPicture picture;
    std::vector<ConflictMeasure> conflicts; ///< worst first; microphones that hear all are left out
};

/// A track's levels over time and frequency, as its file is.
struct CellMeasure {
    session::Id element = session::kNoId;
    std::shared_ptr<const measure::BandCells> cells;
};

/// What an element has of a bus's gain reduction.
struct Driver {
    session::Id element = session::kNoId;
    double percent = 0;
};

/// What a compressor does to the hits of what it stands in.
struct PunchMeasure {
    session::Id owner = session::kNoId; ///< element or bus
    session::Id module = session::kNoId;
    dsp::CompressorSettings settings; ///< that it was measured with, where no section says otherwise
    bool isKeyed = false;             ///< it listens to something else: the hits are that one's
    bool isBus = false;
    bool isParallel = false; ///< a bus that is fed by sends alone
    measure::Compression compression;
    measure::ShapeChange shapes;
    double heldMs = 0;          ///< of a source whose tops were held before (HitTops); 0: they were not
    std::string spillName;      ///< of the drum whose spill is raised most
    std::string pumperName;     ///< of the drum whose hits move the gain most
    double noteHz = 0;          ///< the drum's lowest note; 0: not known
    double bentDb = kSilenceDb; ///< overtones that its gain makes of it
    /// The quickest slower release that bends it as little as the style wants, and what it makes then; 0:
    /// none.
    double unbentReleaseMs = 0;
    double unbentDb = 0;
    /// The quickest slower attack that keeps the beginnings as the style wants, and what it keeps; 0: none.
    double gentlerAttackMs = 0;
    double gentlerKeptDb = 0;
    /// The slowest quicker release that recovers as the style wants, before so many; 0: none.
    double quickerReleaseMs = 0;
    double quickerRecoveredPercent = 0;
    /// Of a bus that lowers by its own sound: who its gain reduction is due to, the most first.
    std::vector<Driver> drivers;
    double detectorCutHz = 0; ///< takes the first of them under what the style allows; 0: none, or no need
    double percentThen = 0;
};

/// An element whose own chain gives its hits punch.
struct PunchWon {
    session::Id element = session::kNoId;
    double db = 0;
};

/// What a bus, or the master, does to the punch of kick and snare (first 10 ms over 10 to 120 ms).
struct BusPunchMeasure {
    session::Id bus = session::kNoId;
    std::vector<session::Module> chain; ///< that it was measured with
    int hits = 0;
    double changeDb = 0;                 ///< median; less than 0: it takes punch back
    session::Id module = session::kNoId; ///< that takes most
    double moduleDb = 0;                 ///< and what that one does
    std::vector<PunchWon> won;           ///< that had been won before, the most first
};

/// How far the first 10 ms of a drum stand over everything else that sounds then: what decides whether it is
/// heard. Medians over its hits, at the master before its chain.
struct StandMeasure {
    session::Id element = session::kNoId; ///< the drum's first microphone
    int hits = 0;
    double overDb = 0;
    std::array<double, 3> bandDb{}; ///< under 150 Hz, up to 2 kHz, above
};

/// What is known of the punch of a kit.
struct KitPunch {
    std::vector<PunchMeasure> compressors;
    std::vector<BusPunchMeasure> buses; ///< those with modules that move the level
    std::vector<StandMeasure> stands;   ///< of kick and snare
};

/// What a saturation, clipper or crush does to what it stands in.
struct DriveMeasure {
    session::Id owner = session::kNoId; ///< element or bus
    session::Id module = session::kNoId;
    measure::DriveSettings settings; ///< that it was measured with, where no section says otherwise
    bool isBus = false;
    bool isParallel = false;
    double noteHz = 0; ///< the drum's lowest note; 0: not known
    measure::DriveChange change;
    std::string spillName;       ///< of the drum whose spill is raised most
    double aliasDb = kSilenceDb; ///< of a saturation, against what comes out
    int enoughFactor = 0; ///< least oversampling that stays under what the style allows; 0: none, or as it is
    double enoughAliasDb = kSilenceDb;
    /// Of a bus: what is new between its drums, of what comes out; kSilenceDb: none, or an element.
    double betweenDrumsDb = kSilenceDb;
};

/// A way along the blend of a parallel path: from dry alone to wet alone, at equal loudness.
struct BlendPoint {
    double percent = 0;
    double denserDb = 0;  ///< than the dry sound
    double cymbalsDb = 0; ///< raised against the shells
    double peakDb = 0;    ///< true peak against that of the dry sound
};

/// What an element has of a path, and what the path adds to it.
struct PathShare {
    session::Id element = session::kNoId;
    double sendDb = 0;
    double percent = 0; ///< of the power that comes to the path
    /// Energy of 120 to 400 ms against that of the first 120, of its own hits in the dry sound, dB; nothing
    /// where there are too few, or for what is no shell.
    std::optional<double> sustainDb;
    /// The send by which those that ring shortest get most, with the loudest send where it is now.
    std::optional<double> wantedDb;
};

/// What a low-pass in a path would make of it, at the blend it has.
struct PathLowPass {
    double hz = 0;
    double matchDb = 0, likeness = 0; ///< of the path with it
    double denserDb = 0;
    double cymbalsDb = 0;
};

/// A parallel path beside what it stands beside.
struct PathMeasure {
    session::Id path = session::kNoId;
    session::Id of = session::kNoId;
    double matchDb = 0; ///< what makes the wet sound as loud as the dry one, its own level at 0 dB
    double likeness = 0;
    double blendErrorDb = 0;       ///< loudness of both against the dry sound, as they are now
    measure::Comb comb;            ///< as they are now
    measure::DriveChange change;   ///< dry against both
    double headroomDb = 0;         ///< true peak of both over that of the dry sound
    std::vector<PathShare> shares; ///< most first
    std::vector<BlendPoint> blends;
    double kneePercent = 0;  ///< blend from which on cymbals rise more than it gets denser; 0: nowhere
    std::string combElement; ///< kick or snare at whose note the deepest dip lies
    double combNoteHz = 0;
    double combDipDb = 0;
    /// Where cymbals rise by more than the style allows: the highest low-pass that keeps them there, else the
    /// one that raises them least.
    std::optional<PathLowPass> lowPass;
};

/// How far the drums of a bus can be driven into its chain.
struct PushMeasure {
    session::Id node = session::kNoId;
    std::vector<session::Module> chain;   ///< that it was measured with
    std::vector<measure::DrumPush> drums; ///< those that break first in front
    double lowerFirstDb = 0;              ///< by which the first must come down to break with the second
};

struct KitDrive {
    std::vector<DriveMeasure> modules;
    std::vector<PathMeasure> paths;
    std::vector<PushMeasure> pushes; ///< of buses with what bends or holds the level
};

/// What is not measured yet is missing, and nothing is found on it.
/// An element muted among all that are mixed, behind their own chains, levels and pans.
struct CrowdMeasure {
    session::Id element = session::kNoId;
    measure::CrowdPart part; ///< `likest` is a place in the same list
    /// Muted, no third of an octave of the sum loses as much as kHeardDb.
    [[nodiscard]] bool changesNothing() const { return !part.isSilent && part.mostLostDb < kHeardDb; }
    /// Its level moves with another one's: both are heard as one drum.
    [[nodiscard]] bool isOneWith() const { return part.likest >= 0 && part.likeness >= kOneDrum; }
    static constexpr double kHeardDb = 1;
    static constexpr double kOneDrum = 0.9;
};

struct KitMeasures {
    std::map<session::Id, FileMeasure> files; ///< by file id
    std::shared_ptr<const HitAnalysis> hits;  ///< null until known
    std::vector<PairMeasure> pairs;
    std::vector<SideMeasure> sides;
    std::vector<SameAudio> sames;
    std::vector<GateMeasure> gates;
    std::vector<ToneMeasure> tones;
    std::vector<HumMeasure> hums;
    KitPunch punch;
    KitDrive drive;
    std::vector<CrowdMeasure> crowd;
    std::vector<CellMeasure> cells;
    std::optional<MixMeasure> mix;
    std::optional<Headroom> headroom;
};

} // namespace cask::advise
