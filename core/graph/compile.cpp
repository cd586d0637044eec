#include "core/base/units.h"
#include "core/dsp/eq_design.h"
#include "core/dsp/fractional_delay.h"
#include "core/graph/compile_routes.h"
#include "core/graph/plan.h"
#include "core/session/routing.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <mutex>
#include <tuple>

namespace cask::graph {
namespace {

using session::Element;
using session::Module;
using session::Session;

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

constexpr int kMostSectionsPerBand = 8;

StateKey sectionKey(Id owner, int part, int channel) {
    return (static_cast<StateKey>(owner) * kMostSectionsPerBand + part) * 2 + channel + 1;
}

/// What one lane asks for: filters or a ceiling, in order.
struct LaneStage {
    bool isCeiling = false;
    std::vector<SectionTarget> sections;
    StepPlan::CeilingPair ceiling; // only on the left lane of a pair
    Id module = session::kNoId;
};

std::vector<LaneStage> stagesOf(const std::vector<Module>& chain, bool removesDc, Id owner, int channel,
                                double rate) {
    std::vector<LaneStage> stages;
    if (removesDc)
        stages.push_back({false, {{sectionKey(owner, 0, channel), dsp::designDcFilter(rate)}}, {}, owner});
    for (const auto& module : chain) {
        LaneStage stage;
        stage.module = module.id;
        if (const auto* eq = std::get_if<dsp::EqSettings>(&module.settings)) {
            for (auto band : eq->bands) {
                band.isOn = band.isOn && module.isOn;
                int part = 0;
                for (const auto& c : designs().get(band, rate))
                    stage.sections.push_back({sectionKey(band.id, part++, channel), c});
            }
            if (stage.sections.empty())
                continue;
        } else {
            stage.isCeiling = true;
            stage.ceiling = {0, false, module.id, module.isOn,
                             std::get<dsp::CeilingSettings>(module.settings)};
        }
        stages.push_back(std::move(stage));
    }
    return stages;
}

/// Merges the stages of all lanes of a group into steps: at each turn the kind that most lanes wait for.
std::vector<StepPlan> mergeStages(std::array<std::vector<LaneStage>, dsp::kLanes>& lanes) {
    std::vector<StepPlan> steps;
    std::array<std::size_t, dsp::kLanes> at{};
    for (;;) {
        int filters = 0;
        int ceilings = 0;
        for (std::size_t l = 0; l < dsp::kLanes; ++l)
            if (at[l] < lanes[l].size())
                ++(lanes[l][at[l]].isCeiling ? ceilings : filters);
        if (filters + ceilings == 0)
            return steps;
        const bool takeCeilings = ceilings > filters;
        StepPlan step;
        for (std::size_t l = 0; l < dsp::kLanes; ++l) {
            if (at[l] >= lanes[l].size() || lanes[l][at[l]].isCeiling != takeCeilings)
                continue;
            LaneStage& stage = lanes[l][at[l]++];
            if (takeCeilings) {
                if (stage.ceiling.lane >= 0) {
                    stage.ceiling.lane = static_cast<int>(l);
                    step.ceilings.push_back(stage.ceiling);
                }
                continue;
            }
            if (step.sections.size() < stage.sections.size())
                step.sections.resize(stage.sections.size());
            for (std::size_t i = 0; i < stage.sections.size(); ++i)
                step.sections[i][l] = stage.sections[i];
        }
        steps.push_back(std::move(step));
    }
}

class Compiler {
  public:
    Compiler(const Session& s, const SourceLookup& sources) : m_session(s), m_sources(sources) {
        m_plan.sampleRateHz = s.sampleRateHz;
        m_plan.glideFrames = std::max(1, static_cast<int>(std::lround(0.02 * s.sampleRateHz)));
    }

    Plan build(const std::vector<Id>& order, const std::vector<Id>& stems) {
        for (const auto& e : m_session.elements)
            placeElement(*e);
        placeBuses(order);
        m_plan.outputGroup = static_cast<int>(m_plan.groups.size());
        m_plan.stemCount = static_cast<int>(stems.size());
        const int outputLanes = 2 + 2 * m_plan.stemCount;
        for (int lane = 0; lane < outputLanes; lane += dsp::kLanes)
            openGroup(m_topLevel + 1);
        for (std::size_t g = 0; g < m_plan.groups.size(); ++g)
            m_plan.groups[g].steps = mergeStages(m_stages[g]);
        compileRoutes(m_plan, m_session, order, stems);
        writeLayout();
        return std::move(m_plan);
    }

  private:
    int openGroup(int level) {
        m_plan.groups.emplace_back();
        m_plan.groups.back().level = level;
        m_stages.emplace_back();
        m_used.push_back(0);
        return static_cast<int>(m_plan.groups.size()) - 1;
    }

    /// First group of the level with room for `lanes` lanes side by side.
    NodePlan place(Id id, int lanes, int level) {
        int group = -1;
        for (std::size_t g = 0; g < m_plan.groups.size() && group < 0; ++g)
            if (m_plan.groups[g].level == level && m_used[g] + lanes <= dsp::kLanes)
                group = static_cast<int>(g);
        if (group < 0)
            group = openGroup(level);
        NodePlan node;
        node.id = id;
        node.group = group;
        node.lane = m_used[static_cast<std::size_t>(group)];
        node.lanes = lanes;
        m_used[static_cast<std::size_t>(group)] += lanes;
        m_plan.nodes.push_back(node);
        return node;
    }

    void placeChain(const NodePlan& node, const std::vector<Module>& chain, bool removesDc) {
        for (int channel = 0; channel < node.lanes; ++channel) {
            auto stages = stagesOf(chain, removesDc, node.id, channel, m_plan.sampleRateHz);
            for (auto& stage : stages) {
                stage.ceiling.isMono = node.lanes == 1;
                if (channel > 0)
                    stage.ceiling.lane = -1; // the left lane stands for both
            }
            m_stages[static_cast<std::size_t>(node.group)][static_cast<std::size_t>(node.lane + channel)] =
                std::move(stages);
        }
    }

    void placeElement(const Element& e) {
        const auto node = place(e.id, static_cast<int>(e.channels.size()), 0);
        placeChain(node, e.chain, e.input.removesDc);
        GroupPlan& group = m_plan.groups[static_cast<std::size_t>(node.group)];
        const double shift = e.input.shiftMs * 0.001 * m_plan.sampleRateHz;
        const double whole = std::floor(shift + 1e-6);
        const double fraction = std::max(0.0, shift - whole);
        const bool shifts = fraction > 1e-6;
        for (int channel = 0; channel < node.lanes; ++channel) {
            const auto lane = static_cast<std::size_t>(node.lane + channel);
            const auto& ref = e.channels[static_cast<std::size_t>(channel)];
            LaneInput& input = group.inputs[lane];
            input.source = m_sources(ref.file);
            input.channel = ref.channel;
            input.delayFrames = e.startFrame + static_cast<Frames>(whole);
            input.gain = static_cast<float>(dbToLinear(e.input.trimDb) * (e.input.isInverted ? -1 : 1));
            if (input.source && input.channel >= input.source->channels())
                input.source = nullptr;
            group.hasInput[lane] = true;
            if (shifts) {
                if (!group.shifts)
                    for (int l = 0; l < dsp::kLanes; ++l)
                        group.shiftTaps[dsp::kShiftDelayFrames][l] = 1;
                group.shifts = true;
                const auto taps = dsp::designShift(fraction);
                for (std::size_t t = 0; t < taps.size(); ++t)
                    group.shiftTaps[t][static_cast<int>(lane)] = taps[t];
            }
        }
    }

    void placeBuses(const std::vector<Id>& order) {
        std::map<Id, int> depth;
        for (const Id id : order) {
            const auto& b = *m_session.bus(id);
            const int own = std::max(1, depth[id]);
            depth[id] = own;
            m_topLevel = std::max(m_topLevel, own);
            if (b.out.bus != session::kNoId)
                depth[b.out.bus] = std::max(depth[b.out.bus], own + 1);
            for (const auto& send : b.out.sends)
                depth[send.bus] = std::max(depth[send.bus], own + 1);
        }
        // Groups must be sorted by level.
        std::vector<Id> byDepth = order;
        std::stable_sort(byDepth.begin(), byDepth.end(), [&](Id a, Id b) { return depth[a] < depth[b]; });
        for (const Id id : byDepth)
            placeChain(place(id, 2, depth[id]), m_session.bus(id)->chain, false);
    }

    void writeLayout() {
        auto& layout = m_plan.layout;
        const auto put = [&](auto... values) { (layout.push_back(static_cast<std::int64_t>(values)), ...); };
        for (const auto& node : m_plan.nodes)
            put(node.id, node.group, node.lane, node.lanes);
        for (const auto& group : m_plan.groups) {
            put(group.level, group.shifts, group.steps.size());
            for (const auto& input : group.inputs)
                put(reinterpret_cast<std::intptr_t>(input.source.get()), input.channel, input.delayFrames);
            if (group.shifts)
                for (const auto& taps : group.shiftTaps)
                    for (const float tap : taps.v)
                        put(std::llround(tap * 1e7));
            for (const auto& step : group.steps) {
                put(step.sections.size(), step.ceilings.size());
                for (const auto& section : step.sections)
                    for (const auto& lane : section)
                        put(lane.key);
                for (const auto& pair : step.ceilings)
                    put(pair.lane, pair.module);
            }
        }
        for (const auto& mix : m_plan.mixes) {
            put(mix.source, mix.target);
            for (const int delay : mix.delayFrames)
                put(delay);
        }
        put(m_plan.stemCount, m_plan.latencyFrames);
    }

    const Session& m_session;
    const SourceLookup& m_sources;
    Plan m_plan;
    std::vector<std::array<std::vector<LaneStage>, dsp::kLanes>> m_stages;
    std::vector<int> m_used;
    int m_topLevel = 0;
};

} // namespace

const NodePlan* Plan::node(Id id) const {
    const auto it = std::find_if(nodes.begin(), nodes.end(), [id](const NodePlan& n) { return n.id == id; });
    return it == nodes.end() ? nullptr : &*it;
}

Result<std::shared_ptr<const Plan>> compile(const Session& session, const SourceLookup& sources,
                                            const std::vector<Id>& stems) {
    const auto order = session::busOrder(session);
    if (!order)
        return order.error();
    return std::make_shared<const Plan>(Compiler(session, sources).build(*order, stems));
}

} // namespace cask::graph
