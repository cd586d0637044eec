#include "core/kit_measures/rough_balance.h"

#include "core/kit_measures/balance_state.h"
#include "core/kit_measures/headroom.h"
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

constexpr double kKickGivesLu = 1.4; // for its rung of the ladder
constexpr double kContextGivesDb = 12;

class Balancer : private BalanceState {
  public:
    Balancer(const Session& s, const advise::HitAnalysis& analysis, const graph::SourceLookup& sources,
             const advise::HouseStyle& houseStyle, KitView view, const CancelToken& cancel)
        : BalanceState(s, analysis, houseStyle), m_sources(sources), m_view(view), m_cancel(cancel) {}

    Result<RoughBalance> found(const ProgressFn& progress) {
        if (ids.empty() ||
            std::all_of(ids.begin(), ids.end(), [&](Id id) { return isContext(*session.element(id)); }))
            return Error{ErrorCode::NotFound, "There is no kit to balance: no element with a drum's role is "
                                              "heard."};
        auto listened = listenToKit(session, ids, hits, m_sources, m_cancel, progress);
        if (!listened)
            return listened.error();
        heard = *std::move(listened);
        askFor();
        levels = findLevels(heard.powers, asked);
        if (std::none_of(levels.drums.begin(), levels.drums.end(), [](auto& d) { return d.isKnown; }))
            return Error{ErrorCode::NotFound,
                         "No drum of this session has enough hits to balance the kit by."};
        choosePans();
        if (auto status = keepHeadroom(); !status)
            return status.error();
        writeBalance(*this);
        return std::move(result);
    }

  private:
    void askFor() {
        asked.overheadsDb = style.balanceOverheadsDb;
        asked.roomsDb = style.balanceRoomsDb;
        pans.resize(ids.size());
        for (std::size_t e = 0; e < ids.size(); ++e) {
            pans[e] = element(e).out.pan;
            if (element(e).role == Role::Overhead)
                asked.overheads.push_back(static_cast<int>(e));
            if (element(e).role == Role::Room)
                asked.rooms.push_back(static_cast<int>(e));
        }
        for (std::size_t d = 0; d < hits.hits.kit.drums.size(); ++d) {
            measure::BalanceWish wish;
            wish.lufs = kBalanceReferenceLufs + balanceLu(style, drum(d).role);
            wish.secondDb = style.balanceSecondDb;
            for (const int input : drum(d).inputs)
                if (const int e = indexOf(hits.elements[static_cast<std::size_t>(input)]);
                    e >= 0 && !goesByLoudness(element(static_cast<std::size_t>(e))))
                    wish.elements.push_back(e);
            asked.drums.push_back(std::move(wish));
        }
        placeChannels();
    }

    /// The mean place of drums of some roles.
    [[nodiscard]] std::optional<double> meanPlace(std::initializer_list<Role> roles) const {
        double sum = 0;
        int count = 0;
        for (std::size_t d = 0; d < hits.hits.kit.drums.size(); ++d)
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
            result.heard = *hats < *low ? KitView::Drummer : KitView::Audience;
        result.turns =
            m_view != KitView::AsRecorded && result.heard != KitView::AsRecorded && result.heard != m_view;
        if (m_view != KitView::AsRecorded && result.heard == KitView::AsRecorded && !asked.overheads.empty())
            result.notes.emplace_back("The overheads do not tell from which side the kit was recorded; they "
                                      "stay as they are.");
    }

    /// Pans of mono elements.
    void choosePans() {
        tellView();
        for (std::size_t e = 0; e < ids.size(); ++e)
            pans[e] = turnedPan(e);
        std::vector<measure::PanDrum> drums;
        for (std::size_t d = 0; d < asked.drums.size(); ++d) {
            auto at = heardAt(d);
            if (at && result.turns)
                *at = -*at;
            // What has no microphone of its own takes no place.
            drums.push_back({asked.drums[d].elements.empty() ? Role::Unknown : drum(d).role, at});
        }
        const auto places =
            measure::findPans(drums, style.balanceSpreadPercent / 100, m_view == KitView::Drummer);
        isPanHeard.clear();
        for (std::size_t d = 0; d < places.size(); ++d) {
            isPanHeard.push_back(places[d] && places[d]->isHeard);
            for (const int e : asked.drums[d].elements)
                if (const auto at = static_cast<std::size_t>(e); places[d] && !element(at).isStereo())
                    pans[at] = places[d]->pan;
        }
        placeChannels();
        levels = findLevels(heard.powers, asked);
    }

    [[nodiscard]] Session applied() const {
        auto s = result.turns ? session::withKitTurned(session) : session;
        const auto db = levelsDb();
        for (std::size_t e = 0; e < ids.size(); ++e)
            s = session::withOutput(std::move(s), ids[e], [&](session::Output& out) {
                out.levelDb = db[e];
                if (!element(e).isStereo())
                    out.pan = pans[e];
            });
        return s;
    }
    Status keepHeadroom() {
        const auto before = measureHeadroom(session, m_sources, m_cancel);
        if (!before)
            return before.error();
        result.before = *before;
        constexpr std::array kKickAndKit = {true, true, false, false};
        double kickGiven = 0;
        constexpr int kPasses = 5;
        for (int pass = 0; pass < kPasses; ++pass) {
            const auto now = measureHeadroom(applied(), m_sources, m_cancel, kKickAndKit);
            if (!now)
                return now.error();
            const double kitOver = overDb(*now, Rung::Kit);
            offsetDb -= kitOver;
            // Rungs part as levels do: the kick gives a little of its own, as far as its target allows.
            const double kickOver = overDb(*now, Rung::Kick) - kitOver;
            const double given = std::min(kickOver, kKickGivesLu - kickGiven);
            if (given > kLeastBalanceStepDb) {
                kickGiven += given;
                for (std::size_t d = 0; d < asked.drums.size(); ++d)
                    if (drum(d).role == Role::KickIn || drum(d).role == Role::KickOut ||
                        drum(d).role == Role::SubKick)
                        asked.drums[d].lufs -= given;
                levels = findLevels(heard.powers, asked);
            } else if (std::abs(kitOver) <= kNearHeadroomDb) {
                break;
            }
        }
        if (auto status = keepRung(Rung::KitAndBass, bassDownDb); !status)
            return status;
        if (auto status = keepRung(Rung::Master, restDownDb); !status)
            return status;
        const auto after = measureHeadroom(applied(), m_sources, m_cancel);
        if (!after)
            return after.error();
        result.after = *after;
        return Done{};
    }

    /// Turns what the rung adds down until its target is kept, or it has given enough.
    Status keepRung(Rung rung, double& downDb) {
        constexpr int kPasses = 6;
        std::array<bool, kRungs> wanted{};
        wanted[static_cast<std::size_t>(rung)] = true;
        const bool hasAny = std::any_of(ids.begin(), ids.end(), [&](Id id) {
            const auto& e = *session.element(id);
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

    const graph::SourceLookup& m_sources;
    KitView m_view;
    const CancelToken& m_cancel;
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
