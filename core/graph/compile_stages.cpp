#include "core/graph/compile_stages.h"

#include "core/base/units.h"
#include "core/dsp/eq_design.h"
#include "core/graph/timeline.h"
#include "core/session/kinds.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <mutex>
#include <tuple>

namespace cask::graph {
namespace {

using session::Module;

/// Designs of bands seen lately: a drag changes one band, all others are looked up. Thread-safe.
class DesignCache {
  public:
    std::vector<dsp::SvfCoefficients> get(const dsp::EqBand& band, double rate) {
        const Key key{static_cast<int>(band.kind), band.isOn, band.frequencyHz, band.gainDb, band.q,
                      band.slopeDbPerOct,          rate};
        const std::lock_guard lock(m_mutex);
        if (const auto it = m_designs.find(key); it != m_designs.end())
            return it->second;
        if (m_designs.size() > kMost)
            m_designs.clear();
        return m_designs.emplace(key, dsp::designBand(band, rate)).first->second;
    }

  private:
    static constexpr std::size_t kMost = 4096;
    using Key = std::tuple<int, bool, double, double, double, double, double>;
    std::mutex m_mutex;
    std::map<Key, std::vector<dsp::SvfCoefficients>> m_designs;
};

DesignCache& designs() {
    static DesignCache cache;
    return cache;
}

constexpr int kMostSectionsPerOwner = 8; // of a band, or of a gate's detector

StateKey sectionKey(Id owner, int part, int channel) {
    return (static_cast<StateKey>(owner) * kMostSectionsPerOwner + part) * 2 + channel + 1;
}

void addBand(LaneStage& stage, Id owner, const dsp::EqBand& band, int& part, int channel, double rate) {
    for (const auto& section : designs().get(band, rate))
        stage.sections.push_back({sectionKey(owner, part++, channel), section});
}

/// Bands for both sides, then those for the middle and the side. Which comes first is the same: all are
/// linear, and a filter of both sides is one of the middle and the side.
std::vector<LaneStage> sectionStages(const Module& module, const dsp::EqSettings& eq, int channel, int lanes,
                                     double rate) {
    using dsp::StereoPart;
    LaneStage both;
    LaneStage parts;
    parts.what = OnMiddleOrSide{};
    bool haveParts = false;
    for (const auto& each : eq.bands) {
        if (each.isDynamic())
            continue;
        auto band = dsp::withAmount(each, eq.amountPercent);
        band.isOn = band.isOn && module.isOn;
        int part = 0;
        if (each.part == StereoPart::Both || (lanes == 1 && each.part == StereoPart::Middle)) {
            addBand(both, band.id, band, part, channel, rate);
        } else if (lanes == 2) {
            haveParts = true;
            if (each.part == (channel == 0 ? StereoPart::Middle : StereoPart::Side))
                addBand(parts, band.id, band, part, channel, rate);
        }
    }
    std::vector<LaneStage> stages;
    if (!both.sections.empty())
        stages.push_back(std::move(both));
    if (haveParts)
        stages.push_back(std::move(parts));
    return stages;
}

std::vector<LaneStage> sectionStages(const Module& module, const dsp::LowEndSettings& lowEnd, int channel,
                                     int /*lanes*/, double rate) {
    LaneStage stage;
    int part = 0;
    for (auto band : dsp::lowEndBands(lowEnd)) {
        band.isOn = module.isOn;
        addBand(stage, module.id, band, part, channel, rate);
    }
    return {std::move(stage)};
}

/// A module's moments as the runner counts frames: later by as much as its sound is late.
template <class Settings>
std::vector<Moment<Settings>> lateMomentsOf(const StageContext& c, const Module& module) {
    std::vector<Moment<Settings>> moments;
    const int before = c.latencies.modules.at(module.id).before;
    for (const auto& moment : momentsOf(module, c.session))
        moments.push_back({moment.frame + before, std::get<Settings>(moment.value), moment.glideFrames});
    return moments;
}

/// The stages of a module that is nothing but filters, with what they are in sections of the song.
template <class Settings>
std::vector<LaneStage> filterStages(const StageContext& c, const Module& module, int channel, int lanes) {
    const double rate = c.session.sampleRateHz;
    auto stages = sectionStages(module, std::get<Settings>(module.settings), channel, lanes, rate);
    for (const auto& moment : lateMomentsOf<Settings>(c, module)) {
        // What glides changes neither the number of stages nor of sections.
        const auto then = sectionStages(module, moment.value, channel, lanes, rate);
        for (std::size_t s = 0; s < stages.size(); ++s)
            for (std::size_t i = 0; i < stages[s].sections.size(); ++i)
                stages[s].moments.push_back({moment.frame, static_cast<int>(i), 0,
                                             then[s].sections[i].coefficients, moment.glideFrames});
    }
    return stages;
}

KeyPlan keyOf(const StageContext& c, const Module& module) {
    KeyPlan key;
    const ModuleTiming& timing = c.latencies.modules.at(module.id);
    if (const auto* e = c.session.element(module.key); e != nullptr && !listensToChain(c.session, module)) {
        for (std::size_t channel = 0; channel < e->channels.size(); ++channel) {
            LaneInput& input = key.inputs[channel];
            input = laneInput(*e, static_cast<int>(channel), c.sources, c.session.sampleRateHz);
            input.delayFrames += timing.before;
            ++key.inputCount;
        }
    } else if (const NodePlan* node = c.plan.node(module.key)) {
        key.group = node->group;
        key.lane = node->lane;
        key.lanes = node->lanes;
        key.delayFrames = timing.keyDelay;
    }
    return key;
}

/// A module as its kind's plan; its lane is not known yet.
template <class Plan, class Settings> Plan lanePlan(const StageContext& c, const Module& module, int lanes) {
    Plan plan;
    plan.lanes = lanes;
    plan.module = module.id;
    plan.isOn = module.isOn;
    plan.settings = std::get<Settings>(module.settings);
    plan.moments = lateMomentsOf<Settings>(c, module);
    if constexpr (std::is_same_v<Settings, dsp::PumpSettings>) {
        const auto standOnGrid = [&](dsp::PumpSettings& pump) {
            pump.grid = c.plan.grid.get();
            pump.lateFrames = c.latencies.modules.at(module.id).before;
        };
        standOnGrid(plan.settings);
        for (auto& moment : plan.moments)
            standOnGrid(moment.value);
    }
    plan.waitFrames = c.latencies.modules.at(module.id).wait;
    plan.key = keyOf(c, module);
    if (c.listening.module == module.id)
        plan.output = c.listening.output;
    return plan;
}

/// With the filter of its detector.
template <class Plan, class Bands>
LaneStage detectorStage(const StageContext& c, const Module& module, int channel, Plan plan,
                        const Bands& detectorBands) {
    LaneStage stage;
    int part = 0;
    for (const auto& band : detectorBands(plan.settings))
        for (const auto& section : designs().get(band, c.session.sampleRateHz))
            stage.sections.push_back({sectionKey(module.id, part++, channel), section});
    stage.what = std::move(plan);
    return stage;
}

/// Bands with nothing to act on are left out: the side of a mono sound.
dsp::DynamicBandDesigns dynamicBands(const Module& module, const dsp::EqSettings& eq, int channel, int lanes,
                                     double rate) {
    dsp::DynamicBandDesigns bands;
    const auto cached = [](const dsp::EqBand& band, double r) { return designs().get(band, r).front(); };
    for (const auto& band : eq.bands)
        if (band.isDynamic() && (lanes == 2 || band.part != dsp::StereoPart::Side))
            bands.push_back(channel > 0 // the left one stands for both
                                ? dsp::DynamicBandDesign{}
                                : dsp::designDynamicBand(band, eq.amountPercent, module.isOn, rate, cached));
    return bands;
}

DynamicPlan dynamicPlan(const StageContext& c, const Module& module, int channel, int lanes) {
    const double rate = c.session.sampleRateHz;
    DynamicPlan dynamics;
    dynamics.lanes = lanes;
    dynamics.module = module.id;
    dynamics.key = keyOf(c, module);
    dynamics.waitFrames = c.latencies.modules.at(module.id).wait;
    dynamics.settings =
        dynamicBands(module, std::get<dsp::EqSettings>(module.settings), channel, lanes, rate);
    if (channel == 0 && !dynamics.settings.empty())
        for (const auto& moment : lateMomentsOf<dsp::EqSettings>(c, module))
            dynamics.moments.push_back(
                {moment.frame, dynamicBands(module, moment.value, channel, lanes, rate), moment.glideFrames});
    return dynamics;
}

/// Switched off, it is only its delay.
dsp::LimiterSettings inUse(const Module& module, const dsp::LimiterSettings& settings) {
    constexpr double kNeverReachedDb = 200;
    auto used = settings;
    used.ceilingDb = module.isOn ? settings.ceilingDb : kNeverReachedDb;
    return used;
}

LimiterPlan limiterPlan(const StageContext& c, const Module& module, int lanes) {
    auto limiter = lanePlan<LimiterPlan, dsp::LimiterSettings>(c, module, lanes);
    limiter.settings = inUse(module, limiter.settings);
    for (auto& moment : limiter.moments)
        moment.value = inUse(module, moment.value);
    return limiter;
}

/// What stands before the chain of a parallel path: its low cut, which glides, and its pitch.
std::vector<LaneStage> pathStages(const StageContext& c, const session::Bus& bus, int channel, int lanes) {
    constexpr double kSlope = 24;
    const auto& path = *bus.path;
    dsp::EqBand cut;
    cut.kind = dsp::FilterKind::HighPass;
    cut.frequencyHz = path.lowCutHz;
    cut.slopeDbPerOct = kSlope;
    cut.isOn = path.lowCutHz > session::ParallelPath::kLeastCutHz;
    std::vector<LaneStage> stages(1);
    int part = 0;
    addBand(stages.front(), bus.id, cut, part, channel, c.session.sampleRateHz);
    if (path.pitchCents != 0) {
        LanePlan<dsp::PitchSettings> pitch;
        pitch.lanes = lanes;
        pitch.module = bus.id;
        pitch.settings = {path.pitchCents};
        stages.emplace_back().what = std::move(pitch);
        stages.back().isPartner = channel > 0;
    }
    return stages;
}

/// What a module asks for on one channel: an overload for each kind.
class ModuleStages {
  public:
    ModuleStages(const StageContext& context, const Module& module, int channel, int lanes)
        : m_context(context), m_module(module), m_channel(channel), m_lanes(lanes) {}

    std::vector<LaneStage> operator()(const dsp::EqSettings&) const {
        auto stages = filterStages<dsp::EqSettings>(m_context, m_module, m_channel, m_lanes);
        // First: so their detectors hear the sound as it comes to the equaliser.
        if (auto dynamics = dynamicPlan(m_context, m_module, m_channel, m_lanes);
            !dynamics.settings.empty() || dynamics.waitFrames > 0)
            stages.insert(stages.begin(), {std::move(dynamics), false, {}, {}});
        return stages;
    }
    template <class Settings> std::vector<LaneStage> operator()(const Settings&) const {
        if constexpr (RunsInLanes<Settings>)
            return {detectorStage(m_context, m_module, m_channel,
                                  lanePlan<LanePlan<Settings>, Settings>(m_context, m_module, m_lanes),
                                  LanesOf<Settings>::detectorBands)};
        else
            return filterStages<Settings>(m_context, m_module, m_channel, m_lanes);
    }
    std::vector<LaneStage> operator()(const dsp::LimiterSettings&) const {
        return {{limiterPlan(m_context, m_module, m_lanes), false, {}, {}}};
    }
    std::vector<LaneStage> operator()(const session::UnknownModule&) const { return {}; } // bypassed

  private:
    const StageContext& m_context;
    const Module& m_module;
    int m_channel;
    int m_lanes;
};

} // namespace

std::vector<Moment<session::ModuleSettings>> momentsOf(const Module& module, const session::Session& s) {
    return timelineOf(s, module.settings, module.changes, module.rides);
}

dsp::BeatGrid beatGridOf(const session::Session& s) {
    constexpr double kSecondsPerMinute = 60;
    dsp::BeatGrid grid;
    if (s.tempo.beatsPerBar > 0)
        grid.beatsPerBar = s.tempo.beatsPerBar;
    for (const double beatS : s.tempo.beatsS)
        grid.beatFrames.push_back(beatS * s.sampleRateHz);
    if (!grid.isKnown() && s.tempo.bpm > 0) {
        const double firstS = std::max(0.0, s.tempo.firstBarS);
        grid.beatFrames = {firstS * s.sampleRateHz,
                           (firstS + kSecondsPerMinute / s.tempo.bpm) * s.sampleRateHz};
    }
    return grid;
}

void visitInputs(const Plan& plan, const std::function<void(const LaneInput&)>& visit) {
    const auto visitKey = [&](const KeyPlan& key) {
        for (int i = 0; i < key.inputCount; ++i)
            visit(key.inputs[static_cast<std::size_t>(i)]);
    };
    for (const auto& group : plan.groups) {
        for (const auto& input : group.inputs)
            visit(input);
        for (const auto& step : group.steps)
            visitKeys(step, visitKey);
    }
}

LaneInput laneInput(const session::Element& e, int channel, const SourceLookup& sources, double rate) {
    const auto& ref = e.channels[static_cast<std::size_t>(channel)];
    LaneInput input;
    input.source = sources(ref.file);
    input.channel = ref.channel;
    const double shift = session::shiftMsOf(e.input, channel) * 0.001 * rate;
    input.delayFrames = e.startFrame + static_cast<Frames>(std::floor(shift + 1e-6));
    input.gain =
        static_cast<float>(dbToLinear(e.input.trimDb) * (session::isInverted(e.input, channel) ? -1 : 1));
    if (input.source && input.channel >= input.source->channels())
        input.source = nullptr;
    return input;
}

std::vector<LaneStage> stagesOf(const StageContext& c, Id owner, int channel, int lanes) {
    const double rate = c.session.sampleRateHz;
    std::vector<LaneStage> stages;
    const auto* element = c.session.element(owner);
    if (element != nullptr && element->input.removesDc)
        stages.emplace_back().sections = {{sectionKey(owner, 0, channel), dsp::designDcFilter(rate)}};
    if (const auto* bus = c.session.bus(owner); bus != nullptr && bus->path)
        for (auto& stage : pathStages(c, *bus, channel, lanes))
            stages.push_back(std::move(stage));
    for (const auto& module : *c.session.chain(owner))
        for (auto& stage : std::visit(ModuleStages(c, module, channel, lanes), module.settings)) {
            stage.isPartner = channel > 0;
            stages.push_back(std::move(stage));
        }
    return stages;
}

namespace {

void addTo(StepPlan& step, int /*lane*/, OnLanes&& what) {
    step.what = what;
}

void addTo(StepPlan& step, int lane, OnMiddleOrSide&& /*what*/) {
    if (!std::holds_alternative<OnMiddlesAndSides>(step.what))
        step.what = OnMiddlesAndSides{};
    std::get<OnMiddlesAndSides>(step.what).push_back(lane);
}

template <class Plan> void addTo(StepPlan& step, int lane, Plan&& plan) {
    using Plans = std::vector<std::remove_cvref_t<Plan>>;
    if (!std::holds_alternative<Plans>(step.what))
        step.what = Plans{};
    plan.lane = lane;
    std::get<Plans>(step.what).push_back(std::forward<Plan>(plan));
}

} // namespace

std::vector<StepPlan> mergeStages(std::array<std::vector<LaneStage>, dsp::kLanes>& lanes) {
    std::vector<StepPlan> steps;
    std::array<std::size_t, dsp::kLanes> at{};
    for (;;) {
        std::array<int, std::variant_size_v<decltype(LaneStage::what)>> waiting{};
        for (std::size_t l = 0; l < dsp::kLanes; ++l)
            if (at[l] < lanes[l].size())
                ++waiting[lanes[l][at[l]].what.index()];
        const auto most = std::max_element(waiting.begin(), waiting.end());
        if (*most == 0)
            return steps;
        const auto turn = static_cast<std::size_t>(most - waiting.begin());
        StepPlan step;
        for (std::size_t l = 0; l < dsp::kLanes; ++l) {
            if (at[l] >= lanes[l].size() || lanes[l][at[l]].what.index() != turn)
                continue;
            LaneStage& stage = lanes[l][at[l]++];
            if (step.sections.size() < stage.sections.size())
                step.sections.resize(stage.sections.size());
            for (std::size_t i = 0; i < stage.sections.size(); ++i)
                step.sections[i][l] = stage.sections[i];
            for (auto& moment : stage.moments) {
                moment.lane = static_cast<int>(l);
                step.moments.push_back(moment);
            }
            if (!stage.isPartner)
                std::visit([&](auto& what) { addTo(step, static_cast<int>(l), std::move(what)); },
                           stage.what);
        }
        std::stable_sort(step.moments.begin(), step.moments.end(),
                         [](const SectionMoment& a, const SectionMoment& b) { return a.frame < b.frame; });
        steps.push_back(std::move(step));
    }
}

} // namespace cask::graph
