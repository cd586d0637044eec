#include "core/advise/advise.h"
#include "core/advise/words.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"

#include <algorithm>
#include <cmath>

namespace cask::advise {
namespace {

using session::Id;
using session::Session;

constexpr double kIdleDb = 0.5; // of the strongest hits: what changes less is not heard
constexpr int kFewestFollowed = 4;

class PunchFindings {
  public:
    PunchFindings(const Session& s, const PunchMeasure& punch, const HouseStyle& style)
        : m_session(s), m_punch(punch), m_style(style) {}

    void addTo(std::vector<Finding>& findings) const {
        if (m_punch.compression.hits.empty())
            return;
        if (strongestChangeDb() < kIdleDb) {
            addIdle(findings);
            return;
        }
        addHeld(findings);
        addAttack(findings);
        addRelease(findings);
        addDeep(findings);
        addRaised(findings);
        addPumping(findings);
        addBent(findings);
        addMakeup(findings);
        addDrivers(findings);
    }

  private:
    [[nodiscard]] std::string name() const { return m_session.nameOf(m_punch.owner); }
    [[nodiscard]] Finding finding(const char* what, Severity severity, std::string sentence) const {
        Finding f;
        f.id = fmt::format("punch-{}-{}-{}", what, m_punch.owner, m_punch.module);
        f.stage = Stage::Punch;
        f.element = m_punch.owner;
        f.severity = severity;
        f.sentence = std::move(sentence);
        return f;
    }
    [[nodiscard]] Proposal setting(std::string words, const char* value, double to) const {
        return {std::move(words), [module = m_punch.module, id = std::string(value), to](Session s) {
                    return session::withModule(std::move(s), module, [&](session::Module& m) {
                        m.settings = session::withSetting(m.settings, id, to);
                    });
                }};
    }
    [[nodiscard]] bool isLowering() const {
        return m_punch.settings.direction == dsp::CompressorDirection::Down;
    }
    /// Of the hits that it changes most: the 95th percentile.
    [[nodiscard]] double strongestChangeDb() const {
        std::vector<double> changes;
        for (const auto& hit : m_punch.compression.hits)
            changes.push_back(std::abs(hit.changeDb));
        const auto at =
            changes.begin() + static_cast<std::ptrdiff_t>(0.95 * static_cast<double>(changes.size() - 1));
        std::nth_element(changes.begin(), at, changes.end());
        return *at;
    }

    void addIdle(std::vector<Finding>& findings) const {
        auto f =
            finding("idle", Severity::Note,
                    fmt::format("The compressor on {} does nothing: it changes its strongest hits by {:.1f} "
                                "dB. Its threshold is {:.1f} dBFS, they come with {:.1f}.",
                                name(), strongestChangeDb(), m_punch.settings.thresholdDb, loudestDb()));
        f.numbers = {{"change", strongestChangeDb(), "dB"}};
        findings.push_back(std::move(f));
    }
    [[nodiscard]] double loudestDb() const {
        double loudest = kSilenceDb;
        for (const auto& hit : m_punch.compression.hits)
            loudest = std::max(loudest, hit.levelDb);
        return loudest;
    }

    void addHeld(std::vector<Finding>& findings) const {
        if (m_punch.heldMs <= 0)
            return;
        auto f =
            finding("held", Severity::Note,
                    fmt::format("{} comes to its compressor with the tops of its hits held for {:.0f} ms: "
                                "it was limited or saturated before. What takes more off its peaks takes "
                                "punch for good.",
                                name(), m_punch.heldMs));
        f.numbers = {{"held", m_punch.heldMs, "ms"}};
        findings.push_back(std::move(f));
    }

    void addAttack(std::vector<Finding>& findings) const {
        const double kept = m_punch.shapes.keptAttackDb;
        if (m_punch.isKeyed || !isLowering() || m_punch.shapes.hits == 0 || kept > -m_style.attackLossDb)
            return;
        const double attackMs = m_punch.settings.attackMs;
        auto f = finding("attack", Severity::Advice,
                         fmt::format("The compressor on {} takes {:.1f} dB off the first 10 ms of its hits "
                                     "at equal loudness: with "
                                     "an attack of {:.3g} ms it is down before the stick is through.{}",
                                     name(), -kept, attackMs,
                                     m_punch.gentlerAttackMs > 0
                                         ? fmt::format(" With {:.3g} ms it is {:.1f} dB.",
                                                       m_punch.gentlerAttackMs, -m_punch.gentlerKeptDb)
                                         : std::string(" No slower attack alone mends that.")));
        f.numbers = {{"kept attack", kept, "dB"},
                     {"punch before", m_punch.shapes.punchBeforeDb, "dB"},
                     {"punch after", m_punch.shapes.punchAfterDb, "dB"}};
        if (m_punch.gentlerAttackMs > 0) {
            f.numbers.push_back({"kept attack then", m_punch.gentlerKeptDb, "dB"});
            f.proposal = setting(fmt::format("Attack of {:.3g} ms, {}", m_punch.gentlerAttackMs, name()),
                                 "attack_ms", m_punch.gentlerAttackMs);
        }
        findings.push_back(std::move(f));
    }

    void addRelease(std::vector<Finding>& findings) const {
        const auto& c = m_punch.compression;
        if (m_punch.isBus || // all drums together leave no gaps
            c.followed < kFewestFollowed || c.recovered >= 0.01 * m_style.recoverPercent * c.followed)
            return;
        std::vector<double> left;
        for (const auto& hit : c.hits)
            left.push_back(std::abs(hit.leftDb));
        const auto middle = left.begin() + static_cast<std::ptrdiff_t>(left.size() / 2);
        std::nth_element(left.begin(), middle, left.end());
        auto f =
            finding("release", Severity::Advice,
                    fmt::format("The compressor on {} has let go before {} of {} hits; at the others {:.1f} "
                                "dB are left, so that "
                                "they come in too soft.{}",
                                name(), c.recovered, c.followed, *middle,
                                m_punch.quickerReleaseMs > 0
                                    ? fmt::format(" With a release of {:.3g} ms it has before {:.0f} %.",
                                                  m_punch.quickerReleaseMs, m_punch.quickerRecoveredPercent)
                                    : std::string(" No quicker release alone mends that.")));
        f.numbers = {{"recovered", static_cast<double>(c.recovered), ""},
                     {"followed", static_cast<double>(c.followed), ""},
                     {"left", *middle, "dB"}};
        if (m_punch.quickerReleaseMs > 0)
            f.proposal = setting(fmt::format("Release of {:.3g} ms, {}", m_punch.quickerReleaseMs, name()),
                                 "release_ms", m_punch.quickerReleaseMs);
        findings.push_back(std::move(f));
    }

    /// On what is not a parallel path, of which depth is the point.
    void addDeep(std::vector<Finding>& findings) const {
        const double deep = -m_punch.compression.middleChangeDb();
        if (!m_punch.isBus || m_punch.isParallel || deep <= m_style.busDepthDb)
            return;
        auto f = finding(
            "deep", Severity::Advice,
            fmt::format("The compressor on {} lowers the middle hit by up to {:.1f} dB, where this style "
                        "allows {:.0f} on a bus that is heard by itself.",
                        name(), deep, m_style.busDepthDb));
        f.numbers = {{"change", deep, "dB"}, {"allowed", m_style.busDepthDb, "dB"}};
        findings.push_back(std::move(f));
    }

    /// Ghosts come up, and with them what else sounds as softly.
    void addRaised(std::vector<Finding>& findings) const {
        const auto& shapes = m_punch.shapes;
        if (m_punch.isKeyed || shapes.spill.empty() || shapes.spill.front().changeDb < m_style.raisedDb)
            return;
        const auto& most = shapes.spill.front();
        auto f = finding(
            "raised", Severity::Advice,
            fmt::format("The compressor on {} raises the spill of {} there by {:.1f} dB at equal "
                        "loudness{}.",
                        name(), m_punch.spillName, most.changeDb,
                        shapes.ghostsDb != 0 ? fmt::format(", and ghosts by {:.1f} dB", shapes.ghostsDb)
                                             : std::string()));
        f.numbers = {{"spill", most.changeDb, "dB"}, {"ghosts", shapes.ghostsDb, "dB"}};
        findings.push_back(std::move(f));
    }

    /// Its gain moves when others play.
    void addPumping(std::vector<Finding>& findings) const {
        constexpr int kFewestHits = 4;
        if (m_punch.isKeyed || m_punch.isBus || !isLowering() || m_punch.compression.pumped.empty())
            return;
        const auto& most = m_punch.compression.pumped.front();
        if (most.hits < kFewestHits || most.movedDb < m_style.pumpedDb)
            return;
        auto f = finding("pumping", Severity::Advice,
                         fmt::format("{} moves the compressor on {}: its hits there take the gain down by "
                                     "{:.1f} dB, {:.0f} % of them by 1 dB or more. A gate before it, or a "
                                     "threshold over that spill, leaves it to its own hits.",
                                     m_punch.pumperName, name(), most.movedDb, 100 * most.share()));
        f.numbers = {{"moved", most.movedDb, "dB"}, {"share", 100 * most.share(), "%"}};
        findings.push_back(std::move(f));
    }

    /// Times so quick that the gain follows the wave.
    void addBent(std::vector<Finding>& findings) const {
        if (m_punch.noteHz <= 0 || m_punch.bentDb < m_style.bentDb)
            return;
        auto f = finding(
            "bent", Severity::Advice,
            fmt::format("The compressor on {} follows the wave of its lowest note: at {:.0f} Hz it makes "
                        "overtones of {:.0f} dB.{}",
                        name(), m_punch.noteHz, m_punch.bentDb,
                        m_punch.unbentReleaseMs > 0
                            ? fmt::format(" With a release of {:.3g} ms they are at {:.0f} dB.",
                                          m_punch.unbentReleaseMs, m_punch.unbentDb)
                            : std::string(" No slower release alone mends that.")));
        f.numbers = {{"overtones", m_punch.bentDb, "dB"}, {"over", m_punch.bentDb - m_style.bentDb, "dB"}};
        if (m_punch.unbentReleaseMs > 0)
            f.proposal = setting(fmt::format("Release of {:.3g} ms, {}", m_punch.unbentReleaseMs, name()),
                                 "release_ms", m_punch.unbentReleaseMs);
        findings.push_back(std::move(f));
    }

    /// A matched make-up that no longer matches.
    void addMakeup(std::vector<Finding>& findings) const {
        constexpr double kOffDb = 0.3;
        const double offDb = m_punch.shapes.matchDb;
        const auto& s = m_punch.settings;
        if (s.makeup != dsp::CompressorMakeup::Matched || m_punch.shapes.hits == 0 ||
            std::abs(offDb) < kOffDb)
            return;
        const double to = std::round(10 * (s.makeupDb + offDb)) / 10;
        auto f = finding(
            "makeup", Severity::Advice,
            fmt::format("The matched make-up on {} is out of date: the take comes out {:.1f} dB {} than it "
                        "goes in. {:+.1f} dB would match it.",
                        name(), std::abs(offDb), offDb > 0 ? "softer" : "louder", to));
        f.numbers = {{"off", std::abs(offDb), "dB"}, {"makeup", to, "dB"}};
        f.proposal = setting(fmt::format("Make-up of {:+.1f} dB, {}", to, name()), "makeup_db", to);
        findings.push_back(std::move(f));
    }

    /// Who the gain reduction of a bus is due to; advice where one drum that a detector cut takes out does
    /// most.
    void addDrivers(std::vector<Finding>& findings) const {
        if (m_punch.drivers.empty())
            return;
        constexpr std::size_t kNamed = 3;
        std::vector<std::string> names;
        for (std::size_t i = 0; i < std::min(kNamed, m_punch.drivers.size()); ++i)
            names.push_back(fmt::format("{} ({:.0f} %)", m_session.nameOf(m_punch.drivers[i].element),
                                        m_punch.drivers[i].percent));
        const auto& most = m_punch.drivers.front();
        const bool isDriven = m_punch.detectorCutHz > 0;
        auto f = finding(
            "drivers", isDriven ? Severity::Advice : Severity::Note,
            fmt::format("The compressor on {} is driven by {}.{}", name(), listed(names),
                        isDriven ? fmt::format(" With a detector low cut at {:.0f} Hz {} has {:.0f} % of it.",
                                               m_punch.detectorCutHz, m_session.nameOf(most.element),
                                               m_punch.percentThen)
                                 : std::string()));
        for (const auto& driver : m_punch.drivers)
            f.numbers.push_back({m_session.nameOf(driver.element), driver.percent, "%"});
        f.numbers.push_back({"over", most.percent - m_style.driverPercent, "%"});
        if (isDriven)
            f.proposal =
                setting(fmt::format("Detector low cut at {:.0f} Hz, {}", m_punch.detectorCutHz, name()),
                        "low_cut_hz", m_punch.detectorCutHz);
        findings.push_back(std::move(f));
    }

    const Session& m_session;
    const PunchMeasure& m_punch;
    const HouseStyle& m_style;
};

} // namespace

std::vector<Finding> punchFindings(const Session& s, const KitMeasures& measures, const HouseStyle& style) {
    std::vector<Finding> findings;
    for (const auto& punch : measures.punch.compressors)
        if (const auto* chain = s.chain(punch.owner);
            chain != nullptr && std::any_of(chain->begin(), chain->end(), [&](const session::Module& m) {
                return m.id == punch.module && m.settings == session::ModuleSettings(punch.settings);
            }))
            PunchFindings(s, punch, style).addTo(findings);
    return findings;
}

} // namespace cask::advise
