#include "core/dsp/fractional_delay.h"
#include "core/graph/compile_routes.h"
#include "core/graph/compile_stages.h"
#include "core/graph/plan.h"
#include "core/session/kinds.h"
#include "core/session/routing.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace cask::graph {
namespace {

using session::Element;
using session::Session;

class Compiler {
  public:
    Compiler(const Session& s, const SourceLookup& sources, const Listening& listening)
        : m_session(s), m_sources(sources), m_listening(listening) {
        m_plan.sampleRateHz = s.sampleRateHz;
        m_plan.glideFrames = std::max(1, static_cast<int>(std::lround(0.02 * s.sampleRateHz)));
    }

    Plan build(const std::vector<Id>& order, const std::vector<Id>& stems) {
        const auto levels = findLevels(m_session, order);
        const auto latencies = findLatencies(m_session, order, m_session.sampleRateHz);
        placeNodes(order, levels);
        int topLevel = 0;
        for (const auto& [id, level] : levels)
            topLevel = std::max(topLevel, level);
        m_plan.outputGroup = static_cast<int>(m_plan.groups.size());
        m_plan.stemCount = static_cast<int>(stems.size());
        const int outputLanes = 2 + 2 * m_plan.stemCount;
        for (int lane = 0; lane < outputLanes; lane += dsp::kLanes)
            openGroup(topLevel + 1, false);
        addSteps(latencies);
        compileRoutes(m_plan, m_session, latencies, order, stems);
        writeLayout();
        return std::move(m_plan);
    }

  private:
    int openGroup(int level, bool isInput) {
        GroupPlan& group = m_plan.groups.emplace_back();
        group.level = level;
        group.isInput = isInput;
        m_used.push_back(0);
        return static_cast<int>(m_plan.groups.size()) - 1;
    }

    /// First group of the level with room for `lanes` lanes side by side.
    NodePlan place(Id id, int lanes, int level, bool isInput) {
        int group = -1;
        for (std::size_t g = 0; g < m_plan.groups.size() && group < 0; ++g)
            if (m_plan.groups[g].level == level && m_plan.groups[g].isInput == isInput &&
                m_used[g] + lanes <= dsp::kLanes)
                group = static_cast<int>(g);
        if (group < 0)
            group = openGroup(level, isInput);
        NodePlan node;
        node.id = id;
        node.group = group;
        node.lane = m_used[static_cast<std::size_t>(group)];
        node.lanes = lanes;
        m_used[static_cast<std::size_t>(group)] += lanes;
        m_plan.nodes.push_back(node);
        return node;
    }

    void placeNodes(const std::vector<Id>& order, const std::map<Id, int>& levels) {
        // Elements in the session's order, then buses, feeders first; groups must be sorted by level.
        std::vector<Id> nodes;
        for (const auto& e : m_session.elements)
            nodes.push_back(e->id);
        for (const Id id : order)
            if (m_session.bus(id) != nullptr)
                nodes.push_back(id);
        std::stable_sort(nodes.begin(), nodes.end(), [&](Id a, Id b) { return levels.at(a) < levels.at(b); });
        for (const Id id : nodes)
            if (const auto* e = m_session.element(id))
                placeElement(*e, levels.at(id));
            else
                place(id, 2, levels.at(id), false);
    }

    void placeElement(const Element& e, int level) {
        const auto node = place(e.id, static_cast<int>(e.channels.size()), level, true);
        GroupPlan& group = m_plan.groups[static_cast<std::size_t>(node.group)];
        for (int channel = 0; channel < node.lanes; ++channel) {
            const double shift = session::shiftMsOf(e.input, channel) * 0.001 * m_plan.sampleRateHz;
            const double fraction = std::max(0.0, shift - std::floor(shift + 1e-6));
            const bool shifts = fraction > 1e-6;
            const auto lane = static_cast<std::size_t>(node.lane + channel);
            group.inputs[lane] = laneInput(e, channel, m_sources, m_plan.sampleRateHz);
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

    /// Once all nodes are placed: gates listen to buses by their places.
    void addSteps(const Latencies& latencies) {
        std::vector<std::array<std::vector<LaneStage>, dsp::kLanes>> stages(m_plan.groups.size());
        m_plan.grid = std::make_shared<const dsp::BeatGrid>(beatGridOf(m_session));
        const StageContext context{m_session, latencies, m_sources, m_plan, m_listening};
        for (const auto& node : m_plan.nodes)
            for (int channel = 0; channel < node.lanes; ++channel)
                stages[static_cast<std::size_t>(node.group)][static_cast<std::size_t>(node.lane + channel)] =
                    stagesOf(context, node.id, channel, node.lanes);
        for (std::size_t g = 0; g < m_plan.groups.size(); ++g)
            m_plan.groups[g].steps = mergeStages(stages[g]);
    }

    template <class... T> void put(T... values) {
        (m_plan.layout.push_back(static_cast<std::int64_t>(values)), ...);
    }

    void putKey(const KeyPlan& key) {
        put(key.inputCount, key.group, key.lane, key.lanes, key.delayFrames);
        for (const auto& input : key.inputs)
            put(reinterpret_cast<std::intptr_t>(input.source.get()), input.channel, input.delayFrames);
    }

    // What of a module's settings can't glide.
    /// By the description: all that does not glide. Cuts of a detector are sections, which do; whether there
    /// are any is seen by their number.
    template <class Settings> void putSettings(const LanePlan<Settings>& plan) {
        put(LanesOf<Settings>::latencyFrames(plan.settings, m_plan.sampleRateHz));
        for (const auto& f : session::fieldsOf<Settings>())
            if (!f.info.glides && !isOfDetectorCuts(f.info.id))
                put(std::llround(1000 * f.get(plan.settings)));
    }
    void putSettings(const LanePlan<dsp::PitchSettings>& pitch) {
        put(std::llround(1000 * pitch.settings.cents));
    }
    static bool isOfDetectorCuts(std::string_view id) {
        return id == "low_cut_hz" || id == "high_cut_hz" || id == "cut_slope_db_per_oct";
    }
    void putSettings(const LimiterPlan& limiter) {
        put(dsp::Limiter::latencyFrames(limiter.settings, m_plan.sampleRateHz), limiter.settings.release);
    }
    void putSettings(const DynamicPlan& dynamics) {
        put(dynamics.settings.size());
        for (const auto& design : dynamics.settings)
            put(design.band.id, design.band.kind, design.band.part, design.band.isKeyed);
    }

    void putWhat(const OnLanes& /*all*/) {}
    void putWhat(const OnMiddlesAndSides& lanes) {
        for (const int lane : lanes)
            put(lane);
    }
    template <class Plan> void putWhat(const std::vector<Plan>& modules) {
        put(modules.size());
        for (const auto& module : modules) {
            put(module.lane, module.lanes, module.module, module.waitFrames, module.output);
            putKey(module.key);
            putSettings(module);
        }
    }

    void writeLayout() {
        for (const auto& node : m_plan.nodes)
            put(node.id, node.group, node.lane, node.lanes);
        for (const auto& group : m_plan.groups) {
            put(group.level, group.isInput, group.shifts, group.steps.size());
            for (const auto& input : group.inputs)
                put(reinterpret_cast<std::intptr_t>(input.source.get()), input.channel, input.delayFrames);
            if (group.shifts)
                for (const auto& taps : group.shiftTaps)
                    for (const float tap : taps.v)
                        put(std::llround(tap * 1e7));
            for (const auto& step : group.steps) {
                put(step.sections.size(), step.what.index());
                for (const auto& section : step.sections)
                    for (const auto& lane : section)
                        put(lane.key);
                std::visit([&](const auto& what) { putWhat(what); }, step.what);
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
    const Listening& m_listening;
    Plan m_plan;
    std::vector<int> m_used;
};

} // namespace

const NodePlan* Plan::node(Id id) const {
    const auto it = std::find_if(nodes.begin(), nodes.end(), [id](const NodePlan& n) { return n.id == id; });
    return it == nodes.end() ? nullptr : &*it;
}

Result<std::shared_ptr<const Plan>> compile(const Session& session, const SourceLookup& sources,
                                            const std::vector<Id>& stems, const Listening& listening) {
    const auto order = session::nodeOrder(session);
    if (!order)
        return order.error();
    return std::make_shared<const Plan>(Compiler(session, sources, listening).build(*order, stems));
}

} // namespace cask::graph
