// What the user made: a tree of plain values. An edit is a function from one session to the next.
#pragma once

#include <core/base/role.h>
#include <core/base/units.h>
#include <core/session/kind_list.h>
#include <core/session/shared.h>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <variant>
#include <vector>

namespace cask::session {

/// Unique within a session over files, elements, buses, modules and bands; never used twice.
using Id = int;
inline constexpr Id kNoId = 0;
/// Fields of a newer or foreign writer, kept so that they survive a round trip.
struct Extra {
    std::string json; ///< text of an object; empty when there is none
    friend bool operator==(const Extra&, const Extra&) = default;
};

/// A sound file. Never changed by the program.
struct SourceFile {
    Id id = kNoId;
    std::string path; ///< absolute, or relative to the session's folder
    Frames frames = 0;
    int channels = 0;
    double sampleRateHz = 0;
    std::string format;
    std::optional<Frames> timeReference; ///< broadcast time stamp, frames at the file's rate
    std::string contentHash = {};        ///< of the file when it was imported; empty in older sessions
    Extra extra = {};
    friend bool operator==(const SourceFile&, const SourceFile&) = default;
};

struct ChannelRef {
    Id file = kNoId;
    int channel = 0;
    Extra extra = {};
    friend bool operator==(const ChannelRef&, const ChannelRef&) = default;
};

/// What happens to an element before its chain.
struct InputSettings {
    double trimDb = 0;
    bool isInverted = false;
    double shiftMs = 0; ///< later is positive; parts of a frame count
    bool removesDc = false;
    // Of the right side against the left, where an element has two.
    bool isRightInverted = false;
    double rightShiftMs = 0;
    Extra extra = {};
    friend bool operator==(const InputSettings&, const InputSettings&) = default;
};

/// How one side of an element stands, everything counted; 0 is the left one, or the only one.
[[nodiscard]] inline double shiftMsOf(const InputSettings& input, int channel) {
    return input.shiftMs + (channel > 0 ? input.rightShiftMs : 0);
}
[[nodiscard]] inline bool isInverted(const InputSettings& input, int channel) {
    return input.isInverted != (channel > 0 && input.isRightInverted);
}

/// Other values for a module while a section lasts.
struct SectionChange {
    std::string section;                  ///< by name: every section that is called so
    double glideMs = 20;                  ///< from the values before, and back
    std::map<std::string, double> values; ///< by the parameter's id; of a band by "ID/parameter"
    Extra valuesExtra = {};
    Extra extra = {};
    friend bool operator==(const SectionChange&, const SectionChange&) = default;
};

/// A way of a value through time, drawn over the performance.
struct RidePoint {
    double timeS = 0;
    double change = 0; ///< in the value's unit, on top of what is set
    friend bool operator==(const RidePoint&, const RidePoint&) = default;
};
struct Ride {
    std::string value;             ///< named as in SectionChange
    std::vector<RidePoint> points; ///< by time, never two at one time; straight between them (rides.h)
    Extra extra = {};
    friend bool operator==(const Ride&, const Ride&) = default;
};

/// Where an element is listened to as a key: as its file is, or after its chain and before its level. A bus
/// is always listened to after its chain.
enum class KeyTap { Source, Chain };

struct Module {
    Id id = kNoId;
    bool isOn = true;
    ModuleSettings settings;
    /// Which one of its kind it is in its chain, from 1 on: stays the same whatever is moved or taken out.
    int ordinal = 1;
    /// The element or bus that its detectors listen to; none for the sound itself. Only of kinds that hear a
    /// key.
    Id key = kNoId;
    KeyTap keyTap = KeyTap::Source;
    std::vector<SectionChange> changes;
    std::vector<Ride> rides;
    Extra extra = {};
    std::map<Id, Extra> bandExtra; ///< of an equaliser's bands
    friend bool operator==(const Module&, const Module&) = default;
};

struct Send {
    Id bus = kNoId;
    double levelDb = 0;
    bool isBeforeLevel = false;
    Extra extra = {};
    friend bool operator==(const Send&, const Send&) = default;
};

/// Where the sound of an element or bus goes, and how strong.
struct Output {
    double levelDb = 0;
    double pan = 0;            ///< -1 left to 1 right: constant power for mono, balance for stereo
    double widthPercent = 100; ///< stereo only: 0 mono, 100 as it is, 200 side doubled
    bool isMuted = false;
    bool isAlone = false;
    bool isSoloSafe = false; ///< heard whatever else is soloed
    Id bus = kNoId;          ///< none for the master
    std::vector<Send> sends;
    std::vector<SectionChange> changes; ///< names: see movingValue(const Output&, ...)
    std::vector<Ride> rides;
    Extra extra = {};
    friend bool operator==(const Output&, const Output&) = default;
};

struct Element {
    Id id = kNoId;
    std::string name;
    Role role = Role::Unknown;
    double roleConfidence = 0;        ///< 1 once a person has said so
    std::vector<ChannelRef> channels; ///< one, or left and right
    Frames startFrame = 0;            ///< of the file's first frame, at the session rate
    InputSettings input;
    std::vector<Module> chain;
    Output out;
    Extra extra = {};
    [[nodiscard]] bool isStereo() const { return channels.size() == 2; }
    friend bool operator==(const Element&, const Element&) = default;
};

/// What makes a bus a parallel path: it stands beside an element or bus, and is fed by sends.
struct ParallelPath {
    static constexpr double kLeastCutHz = 20; ///< the low cut is off there

    Id of = kNoId;                 ///< whose sound is the dry one
    double lowCutHz = kLeastCutHz; ///< of what comes in, before its chain
    double pitchCents = 0;
    bool isInverted = false;  ///< its polarity, where it meets the dry sound
    bool isEqualGain = false; ///< dry and wet together stay as loud as the dry sound (parallel_path.h)
    double blendPercent = 30; ///< where that is so: wet of both
    double matchDb = 0;       ///< as measured: what makes the wet sound as loud as the dry one
    double likeness = 0;      ///< as measured: correlation of both as loudness weighs them, -1 to 1
    Extra extra = {};
    friend bool operator==(const ParallelPath&, const ParallelPath&) = default;
};

struct Bus {
    Id id = kNoId;
    std::string name;
    bool isMaster = false;
    std::optional<ParallelPath> path;
    std::vector<Module> chain;
    Output out;
    Extra extra = {};
    friend bool operator==(const Bus&, const Bus&) = default;
};

/// A named stretch of the performance.
struct Section {
    std::string name;
    double startS = 0;
    double endS = 0;
    Extra extra = {};
    friend bool operator==(const Section&, const Section&) = default;
};

/// A named instant of the performance.
struct Marker {
    std::string name;
    double timeS = 0;
    Extra extra = {};
    friend bool operator==(const Marker&, const Marker&) = default;
};

/// A person's word on a hit; it stands whatever a new analysis finds.
struct HitEdit {
    enum class Kind { Add, Remove, Move, Class, Owner };
    Kind kind = Kind::Add;
    Id element = kNoId;   ///< a microphone of the drum
    double timeS = 0;     ///< of the hit, session time
    double toS = 0;       ///< Move
    std::string hitClass; ///< Class: accent, normal, ghost, flam, roll
    Id toElement = kNoId; ///< Owner: the drum that made it
    /// Where the element is a loop: which of its drums (kick, snare, hat, tom, ride, crash), and of Owner
    /// which one made it.
    std::string drum = {};
    std::string toDrum = {};
    Extra extra = {};
    friend bool operator==(const HitEdit&, const HitEdit&) = default;
};

/// What a person says about the tempo; the rest is measured.
struct TempoSettings {
    double bpm = 0;        ///< 0: measured
    int beatsPerBar = 0;   ///< 0: four
    double firstBarS = -1; ///< -1: measured
    /// Time of every quarter note from the first bar's on, as it was kept for modules that follow the grid
    /// (pump); empty: they take a steady one from bpm and first bar.
    std::vector<double> beatsS = {};
    Extra extra = {};
    friend bool operator==(const TempoSettings&, const TempoSettings&) = default;
};

/// A finding that a person has laid aside, by its stable id.
struct Dismissal {
    std::string finding;
    std::string reason;
    Extra extra = {};
    friend bool operator==(const Dismissal&, const Dismissal&) = default;
};

struct Session;

/// How the session was mixed when somebody kept that under a name (states.h).
struct NamedState {
    std::string name;
    std::shared_ptr<const Session> session; ///< never null; has no states of its own
    friend bool operator==(const NamedState& a, const NamedState& b);
};

struct Session {
    std::string name = "Untitled";
    double sampleRateHz = 48000;
    std::vector<Shared<SourceFile>> files;
    std::vector<Shared<Element>> elements;
    std::vector<Shared<Bus>> buses; ///< the master is always there, last
    std::vector<Section> sections;
    std::vector<Marker> markers; ///< by time
    TempoSettings tempo;
    std::vector<HitEdit> hitEdits; ///< in the order in which they were made
    std::vector<Dismissal> dismissals;
    std::vector<std::vector<Id>> links; ///< elements and buses whose edits go together (spread_edit.h)
    std::string houseStyle;             ///< id; empty for the standard one
    std::vector<NamedState> states;     ///< in the order in which they were kept
    std::string letter; ///< of the two that are compared the one that is heard: A, B; or empty
    Id nextId = 1;
    Extra extra = {};
    friend bool operator==(const Session&, const Session&) = default;

    [[nodiscard]] const Element* element(Id id) const;
    [[nodiscard]] const Bus* bus(Id id) const;
    [[nodiscard]] const SourceFile* file(Id id) const;
    [[nodiscard]] const Bus& master() const;
    [[nodiscard]] const Output* output(Id elementOrBus) const;
    /// Chain of an element or bus; null when there is none of that id.
    [[nodiscard]] const std::vector<Module>* chain(Id elementOrBus) const;
    [[nodiscard]] std::string nameOf(Id elementOrBus) const;
    /// End of the last element, frames at the session rate.
    [[nodiscard]] Frames lengthFrames() const;
};

/// A session with nothing in it but the kit's buses: Shells, Cymbals, Rooms into Kit, Kit into Master.
[[nodiscard]] Session emptySession(double sampleRateHz = 48000);

/// The module of a kind with this ordinal.
template <class Settings>
[[nodiscard]] const Module* findModule(const std::vector<Module>& chain, int ordinal) {
    for (const auto& module : chain)
        if (module.ordinal == ordinal && std::holds_alternative<Settings>(module.settings))
            return &module;
    return nullptr;
}
/// The module of a kind with the lowest ordinal.
template <class Settings> [[nodiscard]] const Module* findModule(const std::vector<Module>& chain) {
    const Module* first = nullptr;
    for (const auto& module : chain)
        if (std::holds_alternative<Settings>(module.settings) &&
            (first == nullptr || module.ordinal < first->ordinal))
            first = &module;
    return first;
}

/// The equalisers of a chain, by ordinal: what is wrong is mended before the dynamics, colour comes after
/// them.
enum class EqPlace { Repair = 1, Colour = 2 };
[[nodiscard]] inline const Module* findEq(const std::vector<Module>& chain, EqPlace place) {
    return findModule<dsp::EqSettings>(chain, static_cast<int>(place));
}

} // namespace cask::session
