#include "core/graph/compile_stages.h"

#include "core/base/units.h"
#include "core/dsp/eq_design.h"
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
std::vector<LaneStage> eqStages(const dsp::EqSettings& eq, bool isOn, int channel, int lanes, double rate) {
    using dsp::StereoPart;
    LaneStage both;
    LaneStage parts;
    parts.kind = LaneStage::Kind::MiddleAndSide;
    bool haveParts = false;
    for (const auto& each : eq.bands) {
        if (each.isDynamic())
            continue;
        auto band = dsp::withAmount(each, eq.amountPercent);
        band.isOn = band.isOn && isOn;
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

LaneStage lowEndStage(const Module& module, const dsp::LowEndSettings& lowEnd, int channel, double rate) {
    LaneStage stage;
    int part = 0;
    for (auto band : dsp::lowEndBands(lowEnd)) {
        band.isOn = module.isOn;
        addBand(stage, module.id, band, part, channel, rate);
    }
    return stage;
}

LaneStage bodyStage(const Module& module, const dsp::BodySettings& body, int channel, double rate) {
    auto section = dsp::designBody(body, rate);
    if (!module.isOn)
        section.m1 = 0;
    LaneStage stage;
    stage.sections = {{sectionKey(module.id, 0, channel), section}};
    return stage;
}

KeyPlan keyOf(const StageContext& c, const Module& module) {
    KeyPlan key;
    if (!c.latencies.keys.contains(module.id))
        return key;
    const KeyTiming& timing = c.latencies.keys.at(module.id);
    if (const auto* e = c.session.element(module.key)) {
        for (std::size_t channel = 0; channel < e->channels.size(); ++channel) {
            LaneInput& input = key.inputs[channel];
            input = laneInput(*e, static_cast<int>(channel), c.sources, c.session.sampleRateHz);
            input.delayFrames += timing.before;
            ++key.inputCount;
        }
    } else if (const NodePlan* bus = c.plan.node(module.key)) {
        key.group = bus->group;
        key.lane = bus->lane;
        key.delayFrames = timing.keyDelay;
    }
    return key;
}

LaneStage gateStage(const StageContext& c, const Module& module, int channel, int lanes) {
    const double rate = c.session.sampleRateHz;
    const KeyTiming& timing = c.latencies.keys.at(module.id);
    LaneStage stage;
    stage.kind = LaneStage::Kind::Gate;
    GatePlan& gate = stage.gate;
    gate.lanes = lanes;
    gate.module = module.id;
    gate.isOn = module.isOn;
    gate.settings = std::get<dsp::GateSettings>(module.settings);
    gate.output = c.listening.gate == module.id ? c.listening.output : dsp::GateOutput::Sound;
    gate.moments = gateMoments(module, c.session);
    gate.before = timing.before;
    gate.waitFrames = timing.wait;
    gate.key = keyOf(c, module);
    int part = 0;
    for (const auto& band : dsp::detectorBands(gate.settings))
        for (const auto& section : designs().get(band, rate))
            stage.sections.push_back({sectionKey(module.id, part++, channel), section});
    return stage;
}

/// Bands with nothing to act on are left out: the side of a mono sound.
LaneStage dynamicStage(const StageContext& c, const Module& module, int channel, int lanes) {
    LaneStage stage;
    stage.kind = LaneStage::Kind::Dynamics;
    DynamicPlan& dynamics = stage.dynamics;
    dynamics.lanes = lanes;
    dynamics.module = module.id;
    dynamics.key = keyOf(c, module);
    if (const auto it = c.latencies.keys.find(module.id); it != c.latencies.keys.end())
        dynamics.waitFrames = it->second.wait;
    const auto& eq = std::get<dsp::EqSettings>(module.settings);
    const auto cached = [](const dsp::EqBand& band, double rate) {
        return designs().get(band, rate).front();
    };
    for (const auto& band : eq.bands)
        if (band.isDynamic() && (lanes == 2 || band.part != dsp::StereoPart::Side))
            dynamics.bands.push_back(channel > 0 ? dsp::DynamicBandDesign{} // the left one stands for both
                                                 : dsp::designDynamicBand(band, eq.amountPercent, module.isOn,
                                                                          c.session.sampleRateHz, cached));
    return stage;
}

} // namespace

std::vector<GateMoment> gateMoments(const Module& module, const session::Session& s) {
    std::vector<GateMoment> moments;
    const auto& usual = std::get<dsp::GateSettings>(module.settings);
    for (const auto& section : s.sections)
        for (const auto& change : module.changes) {
            if (change.section != section.name)
                continue;
            const auto frameAt = [&](double t) { return std::llround(t * s.sampleRateHz); };
            const int glide = static_cast<int>(frameAt(0.001 * change.glideMs));
            const auto other = std::get<dsp::GateSettings>(session::withChange(module.settings, change));
            // A section that begins where the last one ended takes over from it.
            if (!moments.empty() && moments.back().frame == frameAt(section.startS))
                moments.pop_back();
            moments.push_back({frameAt(section.startS), other, glide});
            moments.push_back({frameAt(section.endS), usual, glide});
        }
    return moments;
}

LaneInput laneInput(const session::Element& e, int channel, const SourceLookup& sources, double rate) {
    const auto& ref = e.channels[static_cast<std::size_t>(channel)];
    LaneInput input;
    input.source = sources(ref.file);
    input.channel = ref.channel;
    input.delayFrames = e.startFrame + static_cast<Frames>(std::floor(e.input.shiftMs * 0.001 * rate + 1e-6));
    input.gain = static_cast<float>(dbToLinear(e.input.trimDb) * (e.input.isInverted ? -1 : 1));
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
    for (const auto& module : *c.session.chain(owner)) {
        LaneStage stage;
        if (const auto* eq = std::get_if<dsp::EqSettings>(&module.settings)) {
            // First: so their detectors hear the sound as it comes to the equaliser.
            if (auto dynamics = dynamicStage(c, module, channel, lanes);
                !dynamics.dynamics.bands.empty() || dynamics.dynamics.waitFrames > 0) {
                dynamics.isPartner = channel > 0;
                stages.push_back(std::move(dynamics));
            }
            for (auto& part : eqStages(*eq, module.isOn, channel, lanes, rate)) {
                part.isPartner = channel > 0;
                stages.push_back(std::move(part));
            }
            continue;
        }
        if (const auto* lowEnd = std::get_if<dsp::LowEndSettings>(&module.settings)) {
            stage = lowEndStage(module, *lowEnd, channel, rate);
        } else if (const auto* body = std::get_if<dsp::BodySettings>(&module.settings)) {
            stage = bodyStage(module, *body, channel, rate);
        } else if (const auto* ceiling = std::get_if<dsp::CeilingSettings>(&module.settings)) {
            stage.kind = LaneStage::Kind::Ceiling;
            stage.ceiling = {0, lanes == 1, module.id, module.isOn, *ceiling};
        } else if (std::holds_alternative<dsp::GateSettings>(module.settings)) {
            stage = gateStage(c, module, channel, lanes);
        } else {
            continue; // not understood: bypassed
        }
        stage.isPartner = channel > 0;
        stages.push_back(std::move(stage));
    }
    return stages;
}

std::vector<StepPlan> mergeStages(std::array<std::vector<LaneStage>, dsp::kLanes>& lanes) {
    std::vector<StepPlan> steps;
    std::array<std::size_t, dsp::kLanes> at{};
    for (;;) {
        std::array<int, LaneStage::kKinds> waiting{};
        for (std::size_t l = 0; l < dsp::kLanes; ++l)
            if (at[l] < lanes[l].size())
                ++waiting[static_cast<std::size_t>(lanes[l][at[l]].kind)];
        const auto most = std::max_element(waiting.begin(), waiting.end());
        if (*most == 0)
            return steps;
        const auto kind = static_cast<LaneStage::Kind>(most - waiting.begin());
        StepPlan step;
        for (std::size_t l = 0; l < dsp::kLanes; ++l) {
            if (at[l] >= lanes[l].size() || lanes[l][at[l]].kind != kind)
                continue;
            LaneStage& stage = lanes[l][at[l]++];
            if (step.sections.size() < stage.sections.size())
                step.sections.resize(stage.sections.size());
            for (std::size_t i = 0; i < stage.sections.size(); ++i)
                step.sections[i][l] = stage.sections[i];
            if (stage.isPartner)
                continue;
            if (kind == LaneStage::Kind::MiddleAndSide)
                step.middles.push_back(static_cast<int>(l));
            if (kind == LaneStage::Kind::Ceiling) {
                stage.ceiling.lane = static_cast<int>(l);
                step.ceilings.push_back(stage.ceiling);
            } else if (kind == LaneStage::Kind::Gate) {
                stage.gate.lane = static_cast<int>(l);
                step.gates.push_back(std::move(stage.gate));
            } else if (kind == LaneStage::Kind::Dynamics) {
                stage.dynamics.lane = static_cast<int>(l);
                step.dynamics.push_back(std::move(stage.dynamics));
            }
        }
        steps.push_back(std::move(step));
    }
}

} // namespace cask::graph
