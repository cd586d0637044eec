// What runs: lanes in groups, steps on them, and mixes between groups. Immutable once compiled.
#pragma once

#include <array>
#include <core/base/audio_source.h>
#include <core/base/result.h>
#include <core/dsp/kernels.h>
#include <core/dsp/limiter.h>
#include <core/graph/lane_kinds.h>
#include <core/graph/moments.h>
#include <core/session/session.h>
#include <cstdint>
#include <functional>
#include <memory>
#include <variant>
#include <vector>

namespace cask::graph {

using session::Id;

/// Names a filter section of one channel across plans, so that its state can be carried over.
using StateKey = std::int64_t;
inline constexpr StateKey kNoState = 0;

/// Where a lane of an element group takes its sound from.
struct LaneInput {
    std::shared_ptr<AudioSource> source; ///< null: silence
    int channel = 0;
    Frames delayFrames = 0; ///< session frame of the source's frame 0
    float gain = 1;         ///< trim and polarity
};

struct SectionTarget {
    StateKey key = kNoState;
    dsp::SvfCoefficients coefficients; ///< passes through when the lane has no such section
};

/// What a detector hears when it is not the sound itself.
struct KeyPlan {
    std::array<LaneInput, 2> inputs; ///< of an element, as its file is
    int inputCount = 0;              ///< 0: not an element before its chain
    int group = -1;                  ///< of a bus, or of an element after its chain
    int lane = 0;
    int lanes = 2;
    int delayFrames = 0; ///< that this sound must wait
    [[nodiscard]] bool isOwn() const { return inputCount == 0 && group < 0; }
};

/// Another goal of one lane's section from a frame of the runner on.
struct SectionMoment {
    Frames frame = 0;
    int section = 0;
    int lane = 0;
    dsp::SvfCoefficients coefficients;
    int glideFrames = 0;
};

/// What comes out of a module: the sound, or for a person who sets it what its detector hears or what it
/// takes away.
enum class ModuleOutput { Sound, Detector, Removed };

/// A module on a lane, or on a pair: that lane and the next.
template <class Settings> struct LanePlan {
    int lane = 0;
    int lanes = 1;
    Id module = session::kNoId;
    bool isOn = true;
    Settings settings;
    std::vector<Moment<Settings>> moments; ///< by frame of the runner; before them the settings hold
    int waitFrames = 0;                    ///< for a key that comes late, on top of the module's own
    KeyPlan key;
    ModuleOutput output = ModuleOutput::Sound;
};

using LimiterPlan = LanePlan<dsp::LimiterSettings>;
/// Moments are of the same bands.
using DynamicPlan = LanePlan<dsp::DynamicBandDesigns>;

/// The sections of the step act on the lanes themselves.
struct OnLanes {};
/// Left lanes of pairs whose left sections act on their middle and whose right ones on their side; the other
/// lanes pass.
using OnMiddlesAndSides = std::vector<int>;
struct OnMiddleOrSide {}; ///< of one lane

template <class List> struct StepKinds;
template <class... Lanes> struct StepKinds<session::TypeList<Lanes...>> {
    /// What a step is; several modules of one sort on different lanes.
    using Steps = std::variant<OnLanes, OnMiddlesAndSides, std::vector<LimiterPlan>,
                               std::vector<LanePlan<typename Lanes::Settings>>...>;
    /// What one lane asks of a step: the same, in the same order.
    using Stages = std::variant<OnLanes, OnMiddleOrSide, LimiterPlan, LanePlan<typename Lanes::Settings>...>;
};

/// One step on a group: filters on all its lanes, or modules of one sort on some of them.
struct StepPlan {
    std::vector<std::array<SectionTarget, dsp::kLanes>> sections; ///< with modules: of their detectors
    std::vector<SectionMoment> moments;                           ///< of the sections, by frame
    StepKinds<LaneKinds>::Steps what;
};

/// Visits what the modules of a step listen to.
template <class Visit> void visitKeys(const StepPlan& step, const Visit& visit) {
    std::visit(
        [&](const auto& what) {
            if constexpr (requires { what.front().key; })
                for (const auto& one : what)
                    visit(one.key);
        },
        step.what);
}

struct GroupPlan {
    int level = 0;        ///< groups of a level depend only on groups of lower levels
    bool isInput = false; ///< of elements: it reads files, and nothing is mixed into it
    std::array<LaneInput, dsp::kLanes> inputs;
    std::array<bool, dsp::kLanes> hasInput{};
    bool shifts = false; ///< some lane is shifted by a part of a frame
    std::array<dsp::LaneFloats, dsp::kShiftTaps> shiftTaps;
    std::vector<StepPlan> steps;
};

/// Another gain from a source lane to a target lane from a frame of the runner on.
struct MixMoment {
    Frames frame = 0;
    int source = 0;
    int target = 0;
    float gain = 0;
    int glideFrames = 0;
};

/// target group += gains * source group, each source lane delayed.
struct MixPlan {
    int source = 0;
    int target = 0;
    std::array<int, dsp::kLanes> delayFrames{};
    std::array<bool, dsp::kLanes> isTaken{}; ///< source lanes with a route, be it silent
    std::array<std::array<float, dsp::kLanes>, dsp::kLanes> gain{}; ///< [source lane][target lane]
    std::vector<MixMoment> moments;                                 ///< by frame; before them the gains hold
};

/// An element or bus and where its lanes are.
struct NodePlan {
    Id id = session::kNoId;
    int group = 0;
    int lane = 0;
    int lanes = 1;
    float outputGain = 1;  ///< level after the chain, 0 when it is not heard: for display
    int outputLatency = 0; ///< frames by which its chain's output is late
};

struct Plan {
    double sampleRateHz = 48000;
    std::vector<GroupPlan> groups; ///< sorted by level
    std::vector<MixPlan> mixes;    ///< sorted by target
    std::vector<NodePlan> nodes;   ///< elements, then buses, feeders first
    int outputGroup = 0;           ///< lanes 0 and 1 are the mix; stems follow, two lanes each
    int stemCount = 0;
    int latencyFrames = 0; ///< of the mix and of every stem
    int glideFrames = 960;
    std::shared_ptr<const dsp::BeatGrid> grid; ///< of the session's frames: modules point to it
    /// Equal in two plans when one can take over the other's state as it is.
    std::vector<std::int64_t> layout;

    [[nodiscard]] const NodePlan* node(Id id) const;
    /// Group and lane of a stem's left channel.
    [[nodiscard]] std::pair<int, int> stemPlace(int stem) const {
        const int lane = 2 + 2 * stem;
        return {outputGroup + lane / dsp::kLanes, lane % dsp::kLanes};
    }
};

/// Opens the source of a file; null makes it silent.
using SourceLookup = std::function<std::shared_ptr<AudioSource>(Id file)>;

/// Where an element's channel comes from: its file with trim, polarity and shift, to the whole frame.
[[nodiscard]] LaneInput laneInput(const session::Element& element, int channel, const SourceLookup& sources,
                                  double sampleRateHz);

/// The settings that hold from the start and the end of each section that a module changes in, by frame of
/// the session.
[[nodiscard]] std::vector<Moment<session::ModuleSettings>> momentsOf(const session::Module& module,
                                                                     const session::Session& session);

/// The beats that are kept, or a steady grid of what was said about the tempo; else none. Frames of the
/// session.
[[nodiscard]] dsp::BeatGrid beatGridOf(const session::Session& session);

/// Visits every place that a plan reads sound from: lanes and what detectors listen to.
void visitInputs(const Plan& plan, const std::function<void(const LaneInput&)>& visit);

/// What a person listens to while setting a module, instead of the sound.
struct Listening {
    Id module = session::kNoId;
    ModuleOutput output = ModuleOutput::Sound;
    friend bool operator==(const Listening&, const Listening&) = default;
};

/// Every edit compiles a plan; any thread. `stems`: elements or buses whose output is wanted beside the mix.
/// The only error is a route that feeds itself.
[[nodiscard]] Result<std::shared_ptr<const Plan>> compile(const session::Session& session,
                                                          const SourceLookup& sources,
                                                          const std::vector<Id>& stems = {},
                                                          const Listening& listening = {});

/// Gains of a channel into left and right: constant power for mono, balance and width for stereo.
/// [channel][side]
[[nodiscard]] std::array<std::array<double, 2>, 2> outputGains(const session::Output& out, bool isStereo);

} // namespace cask::graph
