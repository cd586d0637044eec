// What a rough balance says of itself.
#include "core/kit_measures/balance_state.h"

#include <fmt/format.h>

#include <cmath>

namespace cask::kit {
namespace {

/// Writes the result into the state that it is of.
class BalanceWriter {
  public:
    explicit BalanceWriter(BalanceState& state) : m(state) {}
    void write() {
        const auto db = m.levelsDb();
        for (std::size_t e = 0; e < m.ids.size(); ++e) {
            const auto& out = m.element(e).out;
            if (std::abs(db[e] - out.levelDb) >= kLeastBalanceStepDb)
                m.result.steps.push_back(
                    {BalanceStep::What::Level, m.ids[e], out.levelDb, db[e], levelReason(e)});
            if (!m.element(e).isStereo() && std::abs(m.pans[e] - m.turnedPan(e)) >= 0.005)
                m.result.steps.push_back(
                    {BalanceStep::What::Pan, m.ids[e], out.pan, m.pans[e], panReason(e)});
        }
        writeDrums(db);
        writeNotes();
    }

  private:
    [[nodiscard]] std::string levelReason(std::size_t e) const {
        const auto& self = m.element(e);
        if (!m.isSet(e))
            return "No hits of its own to set it by; it moves with the rest.";
        if (goesByLoudness(self)) {
            const double down = self.role == Role::Bass ? m.bassDownDb : isContext(self) ? m.restDownDb : 0;
            return fmt::format("{:+.1f} LU against the snare's hits{}.", balanceLu(m.style, self.role),
                               down > 0 ? fmt::format(", less {:.1f} dB for the headroom", down) : "");
        }
        if (self.role == Role::Overhead)
            return m.levels.areOverheadsHeld
                       ? fmt::format("As loud as the close microphones allow, which should lead: their drums "
                                     "stay at least {:.0f} dB softer in the overheads.",
                                     -m.asked.overheadsMostDb)
                   : hasCymbals() ? "Cymbals without a microphone of their own come to their loudness."
                                  : fmt::format("Drums are {:.0f} dB softer here than in the whole.",
                                                -m.asked.overheadsDb);
        if (self.role == Role::Room)
            return fmt::format("Drums are {:.0f} dB softer here than in the whole.", -m.asked.roomsDb);
        const int d = m.drumOf(e);
        if (d < 0)
            return "It moves with the rest.";
        const auto at = static_cast<std::size_t>(d);
        const int first = m.asked.drums[at].elements.front();
        if (first != static_cast<int>(e))
            return fmt::format("{:.0f} dB under {} by the hits of both.", -m.style.balanceSecondDb,
                               m.element(static_cast<std::size_t>(first)).name);
        const double lufs = m.levels.drums[at].lufs;
        const bool isReference = m.element(e).role == Role::SnareTop;
        return fmt::format(
            "Its own hits come to {:.1f} LUFS{}{}.", lufs + m.offsetDb,
            isReference ? "" : fmt::format(", {:+.1f} LU against the snare", lufs - kBalanceReferenceLufs),
            m.levels.drums[at].isHeld  ? "; more would bring up other drums in its microphones"
            : m.levels.drums[at].isLed ? ""
                                       : "; most of it comes from other microphones");
    }
    [[nodiscard]] bool hasCymbals() const {
        for (std::size_t d = 0; d < m.asked.drums.size(); ++d)
            if (m.levels.drums[d].isKnown && m.asked.drums[d].elements.empty())
                return true;
        return false;
    }
    [[nodiscard]] std::string panReason(std::size_t e) const {
        const int d = m.drumOf(e);
        if (m.pans[e] == 0)
            return "It stands in the centre.";
        return d >= 0 && m.isPanHeard[static_cast<std::size_t>(d)]
                   ? "Where the overheads hear it, drawn apart to the style's spread."
                   : "In the order of the kit; the overheads do not tell where it stands.";
    }

    void writeDrums(const std::vector<double>& db) {
        std::vector<double> before;
        for (std::size_t e = 0; e < m.ids.size(); ++e)
            before.push_back(m.element(e).out.levelDb);
        const auto after = drumsAt(m.heard.powers, m.asked, db);
        const auto chosen = m.pans;
        for (std::size_t e = 0; e < m.ids.size(); ++e)
            m.pans[e] = m.element(e).out.pan;
        m.placeChannels();
        const auto was = drumsAt(m.heard.powers, m.asked, before);
        m.pans = chosen;
        m.placeChannels();
        for (std::size_t d = 0; d < after.size(); ++d)
            if (after[d].isKnown) {
                const auto& its = m.asked.drums[d].elements;
                m.result.drums.push_back(
                    {its.empty() ? session::kNoId : m.ids[static_cast<std::size_t>(its.front())],
                     m.hits.nameOf(static_cast<int>(d), m.session),
                     m.heard.powers.strokes(static_cast<int>(d)), m.asked.drums[d].lufs + m.offsetDb,
                     was[d].lufs, after[d].lufs, after[d].isLed, m.levels.drums[d].isHeld});
            }
    }

    void writeNotes() {
        constexpr double kFarLu = 1.5;
        for (const auto& drum : m.result.drums)
            if (std::abs(drum.afterLufs - drum.targetLufs) > kFarLu)
                m.result.notes.push_back(fmt::format(
                    "{}{} is {:.1f} LU {} than this style asks for: {}.",
                    drum.element == session::kNoId ? "The " : "", drum.name,
                    std::abs(drum.afterLufs - drum.targetLufs),
                    drum.afterLufs > drum.targetLufs ? "louder" : "softer",
                    drum.isHeld                      ? "its own microphones would bring up other drums"
                    : drum.element == session::kNoId ? "it has no microphone of its own"
                                                     : "most of it comes from other microphones"));
        for (int r = 0; r < kRungs; ++r)
            if (const double over = m.overDb(m.result.after, static_cast<Rung>(r)); over > kNearHeadroomDb)
                m.result.notes.push_back(fmt::format("With {} heard the master is {:.1f} dB over its target.",
                                                     kRungNames[static_cast<std::size_t>(r)], over));
    }

    BalanceState& m;
};

} // namespace

void writeBalance(BalanceState& state) {
    BalanceWriter(state).write();
}

} // namespace cask::kit
