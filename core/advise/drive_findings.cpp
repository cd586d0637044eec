#include "core/advise/advise.h"
#include "core/advise/path_findings.h"
#include "core/advise/words.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "core/session/parallel_path.h"

#include <algorithm>
#include <cmath>

namespace cask::advise {
namespace {

using session::Id;
using session::Session;

constexpr double kNothingNewDb = -60; // of what is new in the sound: less is not heard

std::string kindWords(const measure::DriveSettings& settings) {
    return std::visit(
        [](const auto& s) { return std::string(session::KindOf<std::remove_cvref_t<decltype(s)>>::words); },
        settings);
}

bool isInChain(const Session& s, Id owner, Id module, const measure::DriveSettings& settings) {
    const auto* chain = s.chain(owner);
    return chain != nullptr && std::any_of(chain->begin(), chain->end(), [&](const session::Module& m) {
               return m.id == module &&
                      std::visit([&](const auto& x) { return m.settings == session::ModuleSettings(x); },
                                 settings);
           });
}

/// What one saturation, clipper, crush or resonator does.
class DriveFindings {
  public:
    DriveFindings(const Session& s, const DriveMeasure& drive, const HouseStyle& style)
        : m_session(s), m_drive(drive), m_style(style) {}

    void addTo(std::vector<Finding>& findings) const {
        if (m_drive.change.before.lufs <= kSilenceDb)
            return;
        if (m_drive.change.newDb < kNothingNewDb) {
            addIdle(findings);
            return;
        }
        addCymbals(findings);
        addSpill(findings);
        addAliases(findings);
        addOutput(findings);
        if (!std::holds_alternative<dsp::BodySettings>(m_drive.settings)) // the rest falls by what it adds
            addLost(findings);
    }

  private:
    [[nodiscard]] std::string name() const { return m_session.nameOf(m_drive.owner); }
    [[nodiscard]] std::string subject() const {
        return fmt::format("The {} on {}", kindWords(m_drive.settings), name());
    }
    [[nodiscard]] const dsp::SaturationSettings* saturation() const {
        return std::get_if<dsp::SaturationSettings>(&m_drive.settings);
    }
    [[nodiscard]] Finding finding(const char* what, Severity severity, std::string sentence) const {
        Finding f;
        f.id = fmt::format("drive-{}-{}-{}", what, m_drive.owner, m_drive.module);
        f.stage = Stage::Drive;
        f.element = m_drive.owner;
        f.severity = severity;
        f.sentence = std::move(sentence);
        return f;
    }
    [[nodiscard]] Proposal setting(std::string words, const char* value, double to) const {
        return {std::move(words), [module = m_drive.module, id = std::string(value), to](Session s) {
                    return session::withModule(std::move(s), module, [&](session::Module& m) {
                        m.settings = session::withSetting(m.settings, id, to);
                    });
                }};
    }

    void addIdle(std::vector<Finding>& findings) const {
        auto f = finding("idle", Severity::Note,
                         fmt::format("{} does nothing: what it makes new lies {:.0f} dB under the sound.",
                                     subject(), -m_drive.change.newDb));
        f.numbers = {{"new", m_drive.change.newDb, "dB"}};
        findings.push_back(std::move(f));
    }

    /// Cymbals lie between the hits of the shells: what lifts the soft parts lifts them.
    void addCymbals(std::vector<Finding>& findings) const {
        const auto raised = m_drive.change.cymbalsDb;
        if (!raised || *raised <= m_style.cymbalsRaisedDb || m_drive.isParallel)
            return;
        const auto* s = saturation();
        const bool canSpare = s != nullptr && s->band == dsp::GateReach::All;
        auto f = finding(
            "cymbals", Severity::Advice,
            fmt::format(
                "{} raises what sounds above 5 kHz between the hits by {:.1f} dB against them{}; this "
                "style allows {:.1f} dB.{}",
                subject(), *raised, m_drive.isBus ? ": cymbals" : ": spill", m_style.cymbalsRaisedDb,
                canSpare ? " Bending only what lies below 5 kHz leaves that as it is." : ""));
        f.numbers = {{"raised", *raised, "dB"},
                     {"allowed", m_style.cymbalsRaisedDb, "dB"},
                     {"denser", m_drive.change.denserDb(), "dB"}};
        if (canSpare)
            f.proposal =
                Proposal{fmt::format("Only below 5 kHz, {}", name()), [module = m_drive.module](Session x) {
                             return session::withModule(std::move(x), module, [](session::Module& m) {
                                 auto& settings = std::get<dsp::SaturationSettings>(m.settings);
                                 settings.band = dsp::GateReach::Below;
                                 settings.toHz = measure::DriveChange::kCymbalsHz;
                             });
                         }};
        findings.push_back(std::move(f));
    }

    void addSpill(std::vector<Finding>& findings) const {
        const auto& spill = m_drive.change.shapes.spill;
        if (m_drive.isBus || spill.empty() || spill.front().changeDb < m_style.raisedDb)
            return;
        auto f = finding("spill", Severity::Advice,
                         fmt::format("{} raises the spill of {} there by {:.1f} dB at equal loudness. A gate "
                                     "before it holds it back.",
                                     subject(), m_drive.spillName, spill.front().changeDb));
        f.numbers = {{"spill", spill.front().changeDb, "dB"}};
        findings.push_back(std::move(f));
    }

    void addAliases(std::vector<Finding>& findings) const {
        if (saturation() == nullptr || m_drive.aliasDb <= m_style.aliasDb)
            return;
        auto f = finding(
            "aliases", Severity::Advice,
            fmt::format("{} folds back {:.0f} dB under what comes out; this style allows {:.0f} dB.{}",
                        subject(), -m_drive.aliasDb, -m_style.aliasDb,
                        m_drive.enoughFactor > 0
                            ? fmt::format(" At {} times the rate it is {:.0f} dB.", m_drive.enoughFactor,
                                          -m_drive.enoughAliasDb)
                            : std::string(" Less drive or a softer shape lessens that.")));
        f.numbers = {{"aliases", m_drive.aliasDb, "dB"}, {"over", m_drive.aliasDb - m_style.aliasDb, "dB"}};
        if (m_drive.enoughFactor > 0)
            f.proposal = setting(fmt::format("{} times oversampled, {}", m_drive.enoughFactor, name()),
                                 "oversampling", m_drive.enoughFactor == 8 ? 2 : 1);
        findings.push_back(std::move(f));
    }

    /// A matched output that no longer matches.
    void addOutput(std::vector<Finding>& findings) const {
        constexpr double kOffDb = 0.3;
        const auto* s = saturation();
        const double offDb = m_drive.change.shapes.matchDb;
        if (s == nullptr || s->output != dsp::SaturationOutput::Matched || std::abs(offDb) < kOffDb)
            return;
        const double to = std::round(10 * (s->outputDb + offDb)) / 10;
        auto f = finding(
            "output", Severity::Advice,
            fmt::format("The matched output on {} is out of date: the take comes out {:.1f} dB {} than it "
                        "goes in. {:+.1f} dB would match it.",
                        name(), std::abs(offDb), offDb > 0 ? "softer" : "louder", to));
        f.numbers = {{"off", std::abs(offDb), "dB"}, {"output", to, "dB"}};
        f.proposal = setting(fmt::format("Output of {:+.1f} dB, {}", to, name()), "output_db", to);
        findings.push_back(std::move(f));
    }

    /// A third of an octave that becomes much softer where the whole is as loud.
    void addLost(std::vector<Finding>& findings) const {
        constexpr double kLostDb = 3;
        const auto lost = m_drive.change.mostLost();
        const auto band = measure::givesBack(m_drive.change);
        if (!lost || !band || lost->db > -kLostDb)
            return;
        auto f = finding("lost", Severity::Note,
                         fmt::format("{} takes {:.1f} dB off the third at {:.0f} Hz at equal loudness.",
                                     subject(), -lost->db, lost->hz));
        f.numbers = {{"lost", -lost->db, "dB"}, {"frequency", lost->hz, "Hz"}};
        f.proposal = Proposal{fmt::format("Give {:.0f} Hz back, {}", lost->hz, name()),
                              [owner = m_drive.owner, band = *band](Session s) {
                                  session::addBand(s, owner, band, session::EqPlace::Colour);
                                  return s;
                              }};
        findings.push_back(std::move(f));
    }

    const Session& m_session;
    const DriveMeasure& m_drive;
    const HouseStyle& m_style;
};

/// The drum that breaks well before the others, where the bus is driven as it is.
void addPush(const Session& s, const KitMeasures& measures, const PushMeasure& push,
             std::vector<Finding>& findings) {
    constexpr double kAheadDb = 3;
    if (push.drums.empty() || push.drums.front().why == measure::PushBreak::None ||
        measures.hits == nullptr || push.drums.front().breaksAtDb > 0 || push.lowerFirstDb < kAheadDb)
        return;
    const auto& first = push.drums.front();
    const auto name = measures.hits->nameOf(first.drum, s);
    const char* why = first.why == measure::PushBreak::Bent    ? "is bent"
                      : first.why == measure::PushBreak::Crest ? "loses its crest"
                                                               : "loses its clarity";
    Finding f;
    f.id = fmt::format("push-{}-{}", push.node, first.drum);
    f.stage = Stage::Drive;
    f.element = push.node;
    f.severity = Severity::Advice;
    f.sentence = fmt::format(
        "Driven as it is, {} breaks first in {}: it {} {:.1f} dB before that. Lowered there by {:.1f} dB "
        "it would break together with {}.",
        name, s.nameOf(push.node), why, -first.breaksAtDb, push.lowerFirstDb,
        measures.hits->nameOf(push.drums[1].drum, s));
    f.numbers = {{"breaks", first.breaksAtDb, "dB"}, {"ahead", push.lowerFirstDb, "dB"}};
    const auto& strokes = measures.hits->hits.strokes;
    const auto stroke =
        std::find_if(strokes.begin(), strokes.end(), [&](const auto& one) { return one.drum == first.drum; });
    constexpr double kHeardS = 4;
    if (const Id element = measures.hits->elementOf(first.drum);
        element != session::kNoId && stroke != strokes.end())
        f.hearing = Hearing{{element}, std::max(0.0, stroke->timeS - 0.1), stroke->timeS + kHeardS};
    findings.push_back(std::move(f));
}

} // namespace

std::vector<Finding> driveFindings(const Session& s, const KitMeasures& measures, const HouseStyle& style) {
    std::vector<Finding> findings;
    for (const auto& drive : measures.drive.modules)
        if (isInChain(s, drive.owner, drive.module, drive.settings))
            DriveFindings(s, drive, style).addTo(findings);
    addPathFindings(s, measures.drive.paths, style, findings);
    for (const auto& push : measures.drive.pushes)
        if (const auto* chain = s.chain(push.node); chain != nullptr && *chain == push.chain)
            addPush(s, measures, push, findings);
    return findings;
}

} // namespace cask::advise
