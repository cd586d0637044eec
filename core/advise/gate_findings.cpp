#include "core/advise/advise.h"
#include "core/advise/words.h"
#include "core/session/edits.h"

#include <algorithm>
#include <cmath>

namespace cask::advise {
namespace {

using measure::GateCounts;
using session::Id;
using session::Session;

std::string dbText(double db) {
    return fmt::format("{:.0f} dB", db);
}

/// What the detector's cuts leave: " above 7000 Hz"; nothing without cuts.
std::string rangeText(const dsp::GateSettings& g) {
    const bool hasLow = g.lowCutHz > 10.5;
    const bool hasHigh = g.highCutHz < 19900;
    return hasLow && hasHigh ? fmt::format(" from {:.0f} to {:.0f} Hz", g.lowCutHz, g.highCutHz)
           : hasLow          ? fmt::format(" above {:.0f} Hz", g.lowCutHz)
           : hasHigh         ? fmt::format(" below {:.0f} Hz", g.highCutHz)
                             : std::string();
}

std::string wayWords(const Session& s, const GateWay& way) {
    switch (way.kind) {
    case GateWayKind::Plain:
        return "a plain gate";
    case GateWayKind::Filtered:
        return "a gate that listens" + rangeText(way.choice.settings);
    case GateWayKind::Keyed:
        return fmt::format("a gate that listens to {}{}", s.nameOf(way.key), rangeText(way.choice.settings));
    case GateWayKind::Highs:
        return fmt::format("a gate on what lies above {:.0f} Hz", way.choice.settings.fromHz);
    }
    return {};
}

/// "keeps 126 of 128 hits, 14 of 16 ghosts, lets 3 of 90 spill hits through, spill 9 dB down"
std::string countsText(const GateCounts& c) {
    std::string text = fmt::format("keeps {} of {} hits", c.ownKept(), c.own());
    if (c.ghosts > 0)
        text += fmt::format(", {} of {} ghosts", c.ghostsKept, c.ghosts);
    text += fmt::format(", lets {} of {} spill hits through, spill {} down", c.spillPassing, c.spill,
                        dbText(-c.spillChangeDb()));
    return text;
}

int wantedLost(const GateCounts& c, measure::GateWants wants) {
    int lost = c.accents - c.accentsKept;
    if (wants != measure::GateWants::Accents)
        lost += c.normals - c.normalsKept;
    if (wants == measure::GateWants::Ghosts)
        lost += c.ghosts - c.ghostsKept;
    return lost;
}

std::vector<EvidenceNumber> numbersOf(const GateCounts& c) {
    return {{"hits", static_cast<double>(c.own()), ""},
            {"kept", static_cast<double>(c.ownKept()), ""},
            {"ghosts", static_cast<double>(c.ghosts), ""},
            {"ghosts kept", static_cast<double>(c.ghostsKept), ""},
            {"spill hits", static_cast<double>(c.spill), ""},
            {"let through", static_cast<double>(c.spillPassing), ""},
            {"opened by spill", static_cast<double>(c.spillOpening), ""},
            {"spill change", c.spillChangeDb(), "dB"},
            {"tail lost", c.tailLostDb, "dB"}};
}

class GateFindings {
  public:
    GateFindings(const Session& s, const HitAnalysis& hits, const HouseStyle& style, const GateMeasure& gate)
        : m_session(s), m_hits(hits), m_style(style), m_gate(gate) {}

    void addTo(std::vector<Finding>& findings) const {
        if (m_gate.now) {
            addLost(findings);
            addOpened(findings);
            addClicks(findings);
            addBridged(findings);
        } else if (m_gate.shells) {
            addShells(findings);
        } else if (isWorthIt()) {
            addProposal(findings);
        }
    }

  private:
    [[nodiscard]] std::string name() const { return m_session.nameOf(m_gate.element); }
    [[nodiscard]] Finding finding(const char* what, Severity severity, std::string sentence) const {
        Finding f;
        f.id = fmt::format("{}-{}", what, m_gate.element);
        f.stage = Stage::Clean;
        f.element = m_gate.element;
        f.severity = severity;
        f.sentence = std::move(sentence);
        return f;
    }

    /// Spill that is soft enough needs no gate.
    [[nodiscard]] bool isWorthIt() const {
        const int input = m_hits.inputOf(m_gate.element);
        if (input < 0 || m_gate.ways.empty())
            return false;
        const auto& room = m_hits.spill.rooms[static_cast<std::size_t>(input)];
        return room.spillDrum >= 0 && room.spillDb - room.ownDb >= m_style.gateWorthDb;
    }

    [[nodiscard]] const GateWay* best(bool highs) const {
        const GateWay* found = nullptr;
        for (const auto& way : m_gate.ways)
            if ((way.kind == GateWayKind::Highs) == highs &&
                (found == nullptr || way.choice.loss < found->choice.loss - 0.02))
                found = &way;
        return found;
    }

    [[nodiscard]] std::string schoolText() const {
        switch (m_style.gateSchool) {
        case GateSchool::Hard:
            return "hard gate";
        case GateSchool::Gentle:
            return "gentle floor";
        case GateSchool::Highs:
            return "expander on the highs only";
        case GateSchool::None:
            break;
        }
        return "no gate";
    }

    [[nodiscard]] std::string overlapText() const {
        if (!m_gate.overlap)
            return {};
        const auto& o = *m_gate.overlap;
        return fmt::format("Own {} and {} overlap by {} between {:.0f} and {:.0f} dBFS. ",
                           o.areGhosts ? "ghosts" : "hits", drumName(o.drum), dbText(o.overlapDb()), o.lowDb,
                           o.highDb);
    }

    [[nodiscard]] std::string drumName(int drum) const {
        if (drum < 0)
            return "spill";
        return m_hits.nameOf(drum, m_session);
    }

    void addProposal(std::vector<Finding>& findings) const {
        const GateWay* way = best(m_style.gateSchool == GateSchool::Highs);
        if (way == nullptr)
            return;
        const auto& c = way->choice.counts;
        const int lost = wantedLost(c, m_style.gateKeeps);
        constexpr double kWorthDb = 1;
        const Role role = m_session.element(m_gate.element)->role;
        const bool isHat = role == Role::ClosedHat || role == Role::OpenHat;
        if (isHat && !isSafeForHat(c))
            return;
        std::string sentence =
            isHat ? "Few people gate a hat's microphone, but here one would be safe. " : "";
        if (way->kind != GateWayKind::Plain)
            sentence += overlapText();
        const bool helps = -c.spillChangeDb() >= kWorthDb;
        if (m_style.gateSchool == GateSchool::None || !helps) {
            sentence += helps ? fmt::format("{} at {:.0f} dBFS {}.", capital(wayWords(m_session, *way)),
                                            way->choice.settings.openDb, countsText(c))
                              : fmt::format("No gate keeps the hits of {} that this style keeps and lowers "
                                            "spill: leave it open.",
                                            name());
        } else {
            sentence += fmt::format("{} at {:.0f} dBFS with a floor of {:.0f} dB {}.",
                                    capital(wayWords(m_session, *way)), way->choice.settings.openDb,
                                    way->choice.settings.floorDb, countsText(c));
        }
        for (const auto& other : m_gate.ways)
            if (&other != way && m_gate.overlap)
                sentence += fmt::format(" {}: {}.", capital(wayWords(m_session, other)),
                                        shortText(other.choice.counts));
        const bool isProposed = helps && m_style.gateSchool != GateSchool::None;
        auto f = finding("gate", isProposed && lost == 0 && !isHat ? Severity::Advice : Severity::Note,
                         std::move(sentence));
        f.numbers = numbersOf(c);
        if (m_gate.overlap)
            f.numbers.push_back({"overlap", m_gate.overlap->overlapDb(), "dB"});
        f.school = schoolText();
        f.hearing = Hearing{{m_gate.element}, 0, 8};
        if (isProposed)
            f.proposal = Proposal{
                fmt::format("Gate {}", name()),
                [element = m_gate.element, settings = way->choice.settings, key = way->key](Session s) {
                    const Id module = session::addModule(s, element, settings);
                    if (key != session::kNoId)
                        if (auto keyed = session::withKey(s, element, module, key))
                            return *keyed;
                    return s;
                }};
        findings.push_back(std::move(f));
    }

    /// Hats are soft, and hidden under other drums: a gate there must have room to all of them.
    [[nodiscard]] bool isSafeForHat(const GateCounts& c) const {
        constexpr int kFewest = 12;
        constexpr double kMostNear = 0.05;
        constexpr double kSpillDb = -6;
        return m_style.gateSchool != GateSchool::None && c.own() >= kFewest && c.ownKept() == c.own() &&
               c.accentsNear + c.normalsNear + c.ghostsNear <= kMostNear * c.own() &&
               c.spillChangeDb() <= kSpillDb;
    }

    /// A microphone that hears all: cymbals between the shells' hits.
    void addShells(std::vector<Finding>& findings) const {
        const auto& e = *m_gate.shells;
        constexpr double kWorthDb = 2;
        if (-e.betweenDb < kWorthDb)
            return;
        auto f = finding(
            "shells", Severity::Note,
            fmt::format("An expander in {} that {} opens takes what sounds between their hits down by {}; "
                        "the hits fall by 20 dB within {:.0f} instead of {:.0f} ms.",
                        name(), m_session.nameOf(e.key), dbText(-e.betweenDb), e.decayAfterMs,
                        e.decayBeforeMs));
        f.numbers = {{"between", e.betweenDb, "dB"},
                     {"decay before", e.decayBeforeMs, "ms"},
                     {"decay after", e.decayAfterMs, "ms"}};
        f.hearing = Hearing{{m_gate.element}, 0, 8};
        f.proposal = Proposal{fmt::format("Expander keyed by {}, {}", m_session.nameOf(e.key), name()),
                              [element = m_gate.element, settings = e.settings, key = e.key](Session s) {
                                  const Id module = session::addModule(s, element, settings);
                                  auto keyed = session::withKey(s, element, module, key);
                                  return keyed ? *keyed : s;
                              }};
        f.school = "shells stay, cymbals drop";
        findings.push_back(std::move(f));
    }

    [[nodiscard]] static std::string shortText(const GateCounts& c) {
        return fmt::format("{} of {} hits, {} of {} spill hits, spill {} down", c.ownKept(), c.own(),
                           c.spillPassing, c.spill, dbText(-c.spillChangeDb()));
    }
    [[nodiscard]] static std::string capital(std::string text) {
        if (!text.empty())
            text[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(text[0])));
        return text;
    }

    template <class Holds> [[nodiscard]] std::vector<EvidenceHit> hitsThat(Holds holds) const {
        std::vector<EvidenceHit> hits;
        for (std::size_t i = 0; i < m_gate.hits.size() && i < m_gate.now->hits.size(); ++i)
            if (holds(m_gate.hits[i], m_gate.now->hits[i]))
                hits.push_back({m_gate.element, m_gate.hits[i].timeS});
        return hits;
    }
    [[nodiscard]] Hearing around(double timeS) const {
        return {{m_gate.element}, std::max(0.0, timeS - 0.5), timeS + 0.8};
    }

    void addLost(std::vector<Finding>& findings) const {
        const auto& c = m_gate.now->all;
        const int lost = wantedLost(c, m_style.gateKeeps);
        if (lost == 0)
            return;
        auto hits = hitsThat([&](const measure::MaterialHit& hit, const measure::GatedHit& gated) {
            return hit.isOwn && !gated.isKept() &&
                   (hit.hitClass != measure::HitClass::Ghost ||
                    m_style.gateKeeps == measure::GateWants::Ghosts) &&
                   (hit.hitClass == measure::HitClass::Accent ||
                    m_style.gateKeeps != measure::GateWants::Accents);
        });
        auto f = finding("gate-lost", Severity::Advice,
                         fmt::format("The gate of {} loses {} of {} hits it should keep, {} of {} ghosts.",
                                     name(), lost, c.own(), c.ghosts - c.ghostsKept, c.ghosts));
        f.numbers = numbersOf(c);
        if (!hits.empty())
            f.hearing = around(hits.front().timeS);
        f.hits = std::move(hits);
        findings.push_back(std::move(f));
    }

    void addOpened(std::vector<Finding>& findings) const {
        const auto& c = m_gate.now->all;
        if (c.spillOpening == 0)
            return;
        auto hits = hitsThat([](const measure::MaterialHit& hit, const measure::GatedHit& gated) {
            return !hit.isOwn && gated.opens;
        });
        std::string who;
        for (const auto& [drum, count] : c.openingDrums)
            who += fmt::format("{}{} of {}", who.empty() ? "" : ", ", count, drumName(drum));
        auto f = finding(
            "gate-opened", Severity::Note,
            fmt::format("{} the gate of {}: {}.",
                        counted(c.spillOpening, "hit of another drum opens", "hits of other drums open"),
                        name(), who));
        f.numbers = numbersOf(c);
        f.hearing = around(hits.empty() ? 0 : hits.front().timeS);
        f.hits = std::move(hits);
        findings.push_back(std::move(f));
    }

    [[nodiscard]] const dsp::GateSettings* settings() const {
        for (const auto& module : m_session.element(m_gate.element)->chain)
            if (module.id == m_gate.module)
                return std::get_if<dsp::GateSettings>(&module.settings);
        return nullptr;
    }

    void addClicks(std::vector<Finding>& findings) const {
        constexpr double kSafeMs = 2;
        const auto& c = m_gate.now->all;
        const auto* now = settings();
        if (c.clicks == 0 || now == nullptr)
            return;
        auto hits = hitsThat([](const measure::MaterialHit& hit, const measure::GatedHit& gated) {
            return hit.isOwn && gated.clickDb > -40;
        });
        auto f = finding(
            "gate-click", Severity::Advice,
            fmt::format("An attack of {:.1f} ms makes {} of {} click: a drum this low wants {:.0f} ms.",
                        now->attackMs, counted(c.clicks, "hit", "hits"), name(), kSafeMs));
        f.numbers = {{"clicks", static_cast<double>(c.clicks), ""}, {"attack", now->attackMs, "ms"}};
        if (!hits.empty())
            f.hearing = around(hits.front().timeS);
        f.hits = std::move(hits);
        if (now->attackMs < kSafeMs)
            f.proposal =
                Proposal{fmt::format("Gate attack, {}", name()), [module = m_gate.module](Session s) {
                             return session::withGate(std::move(s), module, [](auto& g) {
                                 g.lookAheadMs = std::min(20.0, g.lookAheadMs + 2 - g.attackMs);
                                 g.attackMs = 2;
                             });
                         }};
        findings.push_back(std::move(f));
    }

    /// A release that is still on its way when the next hit of another drum comes lets it through.
    void addBridged(std::vector<Finding>& findings) const {
        const auto* now = settings();
        if (now == nullptr || m_gate.nature.toSpillMs <= 0)
            return;
        const double openMs = m_gate.nature.decayMs + now->holdMs + now->releaseMs;
        const double room = m_gate.nature.toSpillMs;
        if (now->releaseMs <= room || now->releaseMs <= 2 * m_gate.nature.decayMs)
            return;
        auto f = finding(
            "gate-bridge", Severity::Note,
            fmt::format("The gate of {} is open for about {:.0f} ms after a hit; other drums follow after "
                        "{:.0f} ms and come through.",
                        name(), openMs, room));
        f.numbers = {{"open", openMs, "ms"}, {"next", room, "ms"}};
        f.hearing = Hearing{{m_gate.element}, 0, 8};
        findings.push_back(std::move(f));
    }

    const Session& m_session;
    const HitAnalysis& m_hits;
    const HouseStyle& m_style;
    const GateMeasure& m_gate;
};

} // namespace

std::vector<Finding> gateFindings(const Session& s, const KitMeasures& measures, const HouseStyle& style) {
    std::vector<Finding> findings;
    if (!measures.hits)
        return findings;
    for (const auto& gate : measures.gates)
        if (s.element(gate.element) != nullptr)
            GateFindings(s, *measures.hits, style, gate).addTo(findings);
    return findings;
}

} // namespace cask::advise
