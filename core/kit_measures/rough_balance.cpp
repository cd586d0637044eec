#include "core/kit_measures/rough_balance.h"

#include "core/kit_measures/headroom.h"
#include "core/kit_measures/kit_listening.h"
#include "core/measure/balance/balance_levels.h"
#include "core/measure/balance/balance_pans.h"
#include "core/session/edits.h"
#include "core/session/kit_turn.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

namespace cask::kit {
namespace {

using session::Id;
using session::Session;

constexpr double kReferenceLufs = -20; // of the snare, until the headroom says where all stands
constexpr double kLeastStep = 0.05;
constexpr double kKickGivesLu = 1.4; // for its rung of the ladder
constexpr double kContextGivesDb = 12;
constexpr double kNearDb = 0.3; // to the target

bool isContext(const session::Element& e) {
    return roleInfo(e.role).group == RoleGroup::Context;
}
class Balancer {
  public:
    Balancer(const Session& s, const advise::HitAnalysis& hits, const graph::SourceLookup& sources,
             const advise::HouseStyle& style, KitView view, const CancelToken& cancel)
        : m_session(s), m_hits(hits), m_sources(sources), m_style(style), m_view(view), m_cancel(cancel) {
        for (const auto& e : s.elements)
            if (!e->out.isMuted && e->role != Role::Unknown)
                m_ids.push_back(e->id);
    }

    Result<RoughBalance> found(const ProgressFn& progress) {
        if (m_ids.empty() ||
            std::all_of(m_ids.begin(), m_ids.end(), [&](Id id) { return isContext(*m_session.element(id)); }))
            return Error{ErrorCode::NotFound, "There is no kit to balance: no element with a drum's role is "
                                              "heard."};
        auto heard = listenToKit(m_session, m_ids, m_hits, m_sources, m_cancel, progress);
        if (!heard)
            return heard.error();
        m_heard = *std::move(heard);
        askFor();
        m_levels = findLevels(m_heard.powers, m_asked);
        if (std::none_of(m_levels.drums.begin(), m_levels.drums.end(), [](auto& d) { return d.isKnown; }))
            return Error{ErrorCode::NotFound,
                         "No drum of this session has enough hits to balance the kit by."};
        choosePans();
        if (auto status = keepHeadroom(); !status)
            return status.error();
        write();
        return std::move(m_result);
    }

  private:
    [[nodiscard]] const session::Element& element(std::size_t e) const {
        return *m_session.element(m_ids[e]);
    }
    [[nodiscard]] int indexOf(Id id) const {
        const auto at = std::find(m_ids.begin(), m_ids.end(), id);
        return at == m_ids.end() ? -1 : static_cast<int>(at - m_ids.begin());
    }
    [[nodiscard]] const measure::Drum& drum(std::size_t d) const { return m_hits.hits.kit.drums[d]; }

    /// Levels of the buses on the way to the master, dB.
    [[nodiscard]] double wayDb(const session::Element& e) const {
        double db = 0;
        Id at = e.out.bus;
        for (std::size_t hops = 0; hops <= m_session.buses.size(); ++hops) {
            const auto* bus = m_session.bus(at);
            if (bus == nullptr)
                break;
            db += bus->out.levelDb;
            at = bus->out.bus;
        }
        return db;
    }

    void askFor() {
        m_asked.overheadsDb = m_style.balanceOverheadsDb;
        m_asked.roomsDb = m_style.balanceRoomsDb;
        m_pans.resize(m_ids.size());
        for (std::size_t e = 0; e < m_ids.size(); ++e) {
            m_pans[e] = element(e).out.pan;
            if (element(e).role == Role::Overhead)
                m_asked.overheads.push_back(static_cast<int>(e));
            if (element(e).role == Role::Room)
                m_asked.rooms.push_back(static_cast<int>(e));
        }
        for (std::size_t d = 0; d < m_hits.hits.kit.drums.size(); ++d) {
            measure::BalanceWish wish;
            wish.lufs = kReferenceLufs + balanceLu(m_style, drum(d).role);
            wish.secondDb = m_style.balanceSecondDb;
            for (const int input : drum(d).inputs)
                if (const int e = indexOf(m_hits.elements[static_cast<std::size_t>(input)]); e >= 0)
                    wish.elements.push_back(e);
            m_asked.drums.push_back(std::move(wish));
        }
        placeChannels();
    }

    /// What reaches both sides with the pans as they are now.
    void placeChannels() {
        m_asked.channels.clear();
        for (std::size_t c = 0; c < m_heard.channelElement.size(); ++c) {
            const auto e = static_cast<std::size_t>(m_heard.channelElement[c]);
            auto out = element(e).out;
            out.pan = m_pans[e];
            const auto gains = graph::outputGains(out, element(e).isStereo());
            const auto& sides = gains[static_cast<std::size_t>(m_heard.channelSide[c])];
            const double way = dbToLinear(wayDb(element(e)));
            m_asked.channels.push_back({static_cast<int>(e), way * sides[0], way * sides[1]});
        }
    }

    /// Where the stereo overheads hear a drum, -1 to 1; nothing where they don't.
    [[nodiscard]] std::optional<double> heardAt(std::size_t d) const {
        double left = 0;
        double right = 0;
        for (std::size_t c = 0; c < m_heard.channelElement.size(); ++c) {
            const auto& e = element(static_cast<std::size_t>(m_heard.channelElement[c]));
            if (e.role == Role::Overhead && e.isStereo())
                (m_heard.channelSide[c] == 0 ? left : right) +=
                    m_heard.powers.product(static_cast<int>(d), static_cast<int>(c), static_cast<int>(c));
        }
        if (m_levels.drums[d].isKnown && left + right > 0)
            return 4 / kPi * std::atan2(std::sqrt(right), std::sqrt(left)) - 1;
        return std::nullopt;
    }

    /// The mean place of drums of some roles.
    [[nodiscard]] std::optional<double> meanPlace(std::initializer_list<Role> roles) const {
        double sum = 0;
        int count = 0;
        for (std::size_t d = 0; d < m_hits.hits.kit.drums.size(); ++d)
            if (std::find(roles.begin(), roles.end(), drum(d).role) != roles.end())
                if (const auto at = heardAt(d)) {
                    sum += *at;
                    ++count;
                }
        return count == 0 ? std::nullopt : std::optional(sum / count);
    }

    void tellView() {
        constexpr double kApart = 0.03;
        const auto hats = meanPlace({Role::ClosedHat, Role::OpenHat});
        auto low = meanPlace({Role::FloorTom});
        if (!low)
            low = meanPlace({Role::Ride});
        if (hats && low && std::abs(*hats - *low) > kApart)
            m_result.heard = *hats < *low ? KitView::Drummer : KitView::Audience;
        m_result.turns = m_view != KitView::AsRecorded && m_result.heard != KitView::AsRecorded &&
                         m_result.heard != m_view;
        if (m_view != KitView::AsRecorded && m_result.heard == KitView::AsRecorded &&
            !m_asked.overheads.empty())
            m_result.notes.emplace_back(
                "The overheads do not tell from which side the kit was recorded; they "
                "stay as they are.");
    }

    /// As it is once the kit is turned, where it is.
    [[nodiscard]] double turnedPan(std::size_t e) const {
        const double pan = element(e).out.pan;
        return m_result.turns && !isContext(element(e)) && pan != 0 ? -pan : pan;
    }

    /// Pans of mono elements.
    void choosePans() {
        tellView();
        for (std::size_t e = 0; e < m_ids.size(); ++e)
            m_pans[e] = turnedPan(e);
        std::vector<measure::PanDrum> drums;
        for (std::size_t d = 0; d < m_asked.drums.size(); ++d) {
            auto at = heardAt(d);
            if (at && m_result.turns)
                *at = -*at;
            // What has no microphone of its own takes no place.
            drums.push_back({m_asked.drums[d].elements.empty() ? Role::Unknown : drum(d).role, at});
        }
        const auto pans =
            measure::findPans(drums, m_style.balanceSpreadPercent / 100, m_view == KitView::Drummer);
        for (std::size_t d = 0; d < pans.size(); ++d)
            for (const int e : m_asked.drums[d].elements)
                if (const auto at = static_cast<std::size_t>(e); pans[d] && !element(at).isStereo())
                    m_pans[at] = pans[d]->pan;
        m_isPanHeard.clear();
        for (const auto& pan : pans)
            m_isPanHeard.push_back(pan && pan->isHeard);
        placeChannels();
        m_levels = findLevels(m_heard.powers, m_asked);
    }

    /// The levels of all elements, with what each gives for the headroom.
    [[nodiscard]] std::vector<double> levels() const {
        std::vector<double> db(m_ids.size());
        double moved = 0;
        int count = 0;
        for (std::size_t e = 0; e < m_ids.size(); ++e)
            if (isSet(e)) {
                db[e] = rawLevel(e);
                if (!isContext(element(e))) {
                    moved += db[e] - element(e).out.levelDb;
                    ++count;
                }
            }
        for (std::size_t e = 0; e < m_ids.size(); ++e) {
            if (!isSet(e))
                db[e] = element(e).out.levelDb + (count > 0 ? moved / count : 0);
            db[e] += m_offsetDb;
            if (element(e).role == Role::Bass)
                db[e] -= m_bassDownDb;
            else if (isContext(element(e)))
                db[e] -= m_restDownDb;
            db[e] = std::clamp(std::round(10 * db[e]) / 10, -80.0, 24.0);
        }
        return db;
    }
    [[nodiscard]] bool isSet(std::size_t e) const {
        return goesByLoudness(element(e)) ? m_heard.lufs[e] > kSilenceDb : m_levels.isSet[e];
    }
    [[nodiscard]] double rawLevel(std::size_t e) const {
        return goesByLoudness(element(e)) ? kReferenceLufs + balanceLu(m_style, element(e).role) -
                                                m_heard.lufs[e] - wayDb(element(e))
                                          : m_levels.levelDb[e];
    }

    [[nodiscard]] Session applied() const {
        auto s = m_result.turns ? session::withKitTurned(m_session) : m_session;
        const auto db = levels();
        for (std::size_t e = 0; e < m_ids.size(); ++e)
            s = session::withOutput(std::move(s), m_ids[e], [&](session::Output& out) {
                out.levelDb = db[e];
                if (!element(e).isStereo())
                    out.pan = m_pans[e];
            });
        return s;
    }
    [[nodiscard]] double overDb(const Headroom& headroom, Rung rung) const {
        return headroom.truePeakDb[static_cast<std::size_t>(rung)] - headroomTargetDb(m_style, rung);
    }

    Status keepHeadroom() {
        const auto before = measureHeadroom(m_session, m_sources, m_cancel);
        if (!before)
            return before.error();
        m_result.before = *before;
        constexpr std::array kKickAndKit = {true, true, false, false};
        double kickGiven = 0;
        constexpr int kPasses = 5;
        for (int pass = 0; pass < kPasses; ++pass) {
            const auto now = measureHeadroom(applied(), m_sources, m_cancel, kKickAndKit);
            if (!now)
                return now.error();
            const double kitOver = overDb(*now, Rung::Kit);
            m_offsetDb -= kitOver;
            // Rungs part as levels do: the kick gives a little of its own, as far as its target allows.
            const double kickOver = overDb(*now, Rung::Kick) - kitOver;
            const double given = std::min(kickOver, kKickGivesLu - kickGiven);
            if (given > kLeastStep) {
                kickGiven += given;
                for (std::size_t d = 0; d < m_asked.drums.size(); ++d)
                    if (drum(d).role == Role::KickIn || drum(d).role == Role::KickOut ||
                        drum(d).role == Role::SubKick)
                        m_asked.drums[d].lufs -= given;
                m_levels = findLevels(m_heard.powers, m_asked);
            } else if (std::abs(kitOver) <= kNearDb) {
                break;
            }
        }
        if (auto status = keepRung(Rung::KitAndBass, m_bassDownDb); !status)
            return status;
        if (auto status = keepRung(Rung::Master, m_restDownDb); !status)
            return status;
        const auto after = measureHeadroom(applied(), m_sources, m_cancel);
        if (!after)
            return after.error();
        m_result.after = *after;
        return Done{};
    }

    /// Turns what the rung adds down until its target is kept, or it has given enough.
    Status keepRung(Rung rung, double& downDb) {
        constexpr int kPasses = 6;
        std::array<bool, kRungs> wanted{};
        wanted[static_cast<std::size_t>(rung)] = true;
        const bool hasAny = std::any_of(m_ids.begin(), m_ids.end(), [&](Id id) {
            const auto& e = *m_session.element(id);
            return isContext(e) && (e.role == Role::Bass) == (rung == Rung::KitAndBass);
        });
        for (int pass = 0; pass < kPasses && hasAny; ++pass) {
            const auto now = measureHeadroom(applied(), m_sources, m_cancel, wanted);
            if (!now)
                return now.error();
            const double over = overDb(*now, rung);
            if (over <= 0.02 || downDb >= kContextGivesDb)
                break;
            downDb = std::min(kContextGivesDb, downDb + std::max(0.5, 2 * over));
        }
        return Done{};
    }

    void write() {
        const auto db = levels();
        for (std::size_t e = 0; e < m_ids.size(); ++e) {
            const auto& out = element(e).out;
            if (std::abs(db[e] - out.levelDb) >= kLeastStep)
                m_result.steps.push_back(
                    {BalanceStep::What::Level, m_ids[e], out.levelDb, db[e], levelReason(e)});
            if (!element(e).isStereo() && std::abs(m_pans[e] - turnedPan(e)) >= 0.005)
                m_result.steps.push_back(
                    {BalanceStep::What::Pan, m_ids[e], out.pan, m_pans[e], panReason(e)});
        }
        writeDrums(db);
        writeNotes();
    }

    /// The drum at which an element stands; -1 for all others.
    [[nodiscard]] int drumOf(std::size_t e) const {
        for (std::size_t d = 0; d < m_asked.drums.size(); ++d)
            if (const auto& its = m_asked.drums[d].elements;
                std::find(its.begin(), its.end(), static_cast<int>(e)) != its.end())
                return static_cast<int>(d);
        return -1;
    }

    [[nodiscard]] std::string levelReason(std::size_t e) const {
        const auto& self = element(e);
        if (!isSet(e))
            return "Nothing tells how loud it should be; it moves with the rest.";
        if (goesByLoudness(self)) {
            const double down = self.role == Role::Bass ? m_bassDownDb : isContext(self) ? m_restDownDb : 0;
            return fmt::format("{:+.1f} LU against the snare's hits{}.", balanceLu(m_style, self.role),
                               down > 0 ? fmt::format(", less {:.1f} dB for the headroom", down) : "");
        }
        if (self.role == Role::Overhead)
            return m_levels.areOverheadsHeld
                       ? fmt::format("As loud as close microphones allow that should lead their drums: "
                                     "these are at least {:.0f} dB softer in the overheads.",
                                     -m_asked.overheadsMostDb)
                   : hasCymbals() ? "Cymbals without a microphone of their own come to their loudness."
                                  : fmt::format("Drums are {:.0f} dB softer here than in the whole.",
                                                -m_asked.overheadsDb);
        if (self.role == Role::Room)
            return fmt::format("Drums are {:.0f} dB softer here than in the whole.", -m_asked.roomsDb);
        const int d = drumOf(e);
        if (d < 0)
            return "It moves with the rest.";
        const auto at = static_cast<std::size_t>(d);
        const int first = m_asked.drums[at].elements.front();
        if (first != static_cast<int>(e))
            return fmt::format("{:.0f} dB under {} by the hits of both.", -m_style.balanceSecondDb,
                               element(static_cast<std::size_t>(first)).name);
        const double lufs = m_levels.drums[at].lufs;
        const bool isReference = element(e).role == Role::SnareTop;
        return fmt::format("Its own hits come to {:.1f} LUFS{}{}.", lufs + m_offsetDb,
                           isReference ? ""
                                       : fmt::format(", {:+.1f} LU against the snare", lufs - kReferenceLufs),
                           m_levels.drums[at].isHeld  ? "; more would bring up other drums in its microphones"
                           : m_levels.drums[at].isLed ? ""
                                                      : "; most of it comes from other microphones");
    }
    [[nodiscard]] bool hasCymbals() const {
        for (std::size_t d = 0; d < m_asked.drums.size(); ++d)
            if (m_levels.drums[d].isKnown && m_asked.drums[d].elements.empty())
                return true;
        return false;
    }
    [[nodiscard]] std::string panReason(std::size_t e) const {
        const int d = drumOf(e);
        if (m_pans[e] == 0)
            return "It stands in the centre.";
        return d >= 0 && m_isPanHeard[static_cast<std::size_t>(d)]
                   ? "Where the overheads hear it, drawn apart to the style's spread."
                   : "In the order of the kit; the overheads do not tell where it stands.";
    }

    void writeDrums(const std::vector<double>& db) {
        std::vector<double> before;
        for (std::size_t e = 0; e < m_ids.size(); ++e)
            before.push_back(element(e).out.levelDb);
        const auto after = drumsAt(m_heard.powers, m_asked, db);
        const auto pans = m_pans;
        for (std::size_t e = 0; e < m_ids.size(); ++e)
            m_pans[e] = element(e).out.pan;
        placeChannels();
        const auto was = drumsAt(m_heard.powers, m_asked, before);
        m_pans = pans;
        placeChannels();
        for (std::size_t d = 0; d < after.size(); ++d)
            if (after[d].isKnown) {
                const auto& its = m_asked.drums[d].elements;
                m_result.drums.push_back(
                    {its.empty() ? session::kNoId : m_ids[static_cast<std::size_t>(its.front())],
                     m_hits.nameOf(static_cast<int>(d), m_session),
                     m_heard.powers.strokes(static_cast<int>(d)), m_asked.drums[d].lufs + m_offsetDb,
                     was[d].lufs, after[d].lufs, after[d].isLed, m_levels.drums[d].isHeld});
            }
    }

    void writeNotes() {
        constexpr double kFarLu = 1.5;
        for (const auto& drum : m_result.drums)
            if (std::abs(drum.afterLufs - drum.targetLufs) > kFarLu)
                m_result.notes.push_back(fmt::format(
                    "{}{} is {:.1f} LU {} than this style asks for: {}.",
                    drum.element == session::kNoId ? "The " : "", drum.name,
                    std::abs(drum.afterLufs - drum.targetLufs),
                    drum.afterLufs > drum.targetLufs ? "louder" : "softer",
                    drum.isHeld                      ? "its own microphones would bring up other drums"
                    : drum.element == session::kNoId ? "it has no microphone of its own"
                                                     : "most of it comes from other microphones"));
        for (int r = 0; r < kRungs; ++r)
            if (const double over = overDb(m_result.after, static_cast<Rung>(r)); over > kNearDb)
                m_result.notes.push_back(fmt::format("With {} heard the master is {:.1f} dB over its target.",
                                                     kRungNames[static_cast<std::size_t>(r)], over));
    }

    const Session& m_session;
    const advise::HitAnalysis& m_hits;
    const graph::SourceLookup& m_sources;
    const advise::HouseStyle& m_style;
    KitView m_view;
    const CancelToken& m_cancel;
    std::vector<Id> m_ids; ///< what is heard
    HeardKit m_heard;
    measure::BalanceAsked m_asked;
    measure::BalanceLevels m_levels;
    std::vector<double> m_pans;
    std::vector<bool> m_isPanHeard; ///< by drum
    double m_offsetDb = 0;
    double m_bassDownDb = 0;
    double m_restDownDb = 0;
    RoughBalance m_result;
};

} // namespace

Result<RoughBalance> roughBalance(const Session& s, const advise::HitAnalysis& hits,
                                  const graph::SourceLookup& sources, const advise::HouseStyle& style,
                                  KitView view, const CancelToken& cancel, const ProgressFn& progress) {
    return Balancer(s, hits, sources, style, view, cancel).found(progress);
}

Session withBalance(Session s, const RoughBalance& balance, const std::set<std::size_t>& refused) {
    if (balance.turns)
        s = session::withKitTurned(std::move(s));
    for (std::size_t k = 0; k < balance.steps.size(); ++k) {
        const auto& step = balance.steps[k];
        if (refused.contains(k))
            continue;
        s = session::withOutput(std::move(s), step.element, [&](session::Output& out) {
            if (step.what == BalanceStep::What::Pan) {
                out.pan = step.after;
                return;
            }
            out.levelDb = step.after;
            for (auto& change : out.changes)
                if (const auto level = change.values.find("level_db"); level != change.values.end())
                    level->second = std::clamp(level->second + step.after - step.before, -80.0, 24.0);
        });
    }
    return s;
}

} // namespace cask::kit
