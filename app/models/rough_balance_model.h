// The rough balance of the whole kit, found in the background and taken as one step.
#pragma once

#include "app/models/hit_model.h"
#include "app/models/playback.h"

#include <QObject>

#include <core/base/job_group.h>
#include <core/kit_measures/rough_balance.h>
#include <memory>
#include <optional>
#include <set>

namespace cask::app {

/// Control thread only.
class RoughBalanceModel : public QObject {
    Q_OBJECT

  public:
    RoughBalanceModel(Document& document, Analyst& analyst, HitModel& hits, Playback& playback,
                      QObject* parent = nullptr);
    ~RoughBalanceModel() override;

    /// Looks for it anew; nothing happens while hits are still being found.
    void search(kit::KitView view, const advise::HouseStyle& style);
    /// Forgets what was found, or stops looking.
    void forget();
    [[nodiscard]] bool isSearching() const { return m_isSearching; }
    [[nodiscard]] double progress() const { return m_progress; } ///< 0 to 1
    /// Nothing until found, and once the session has changed.
    [[nodiscard]] const std::optional<kit::RoughBalance>& found() const { return m_found; }
    [[nodiscard]] const QString& problem() const { return m_problem; } ///< why there is none
    /// Steps that are not taken, by their place.
    [[nodiscard]] const std::set<std::size_t>& refused() const { return m_refused; }
    void setRefused(std::size_t step, bool isRefused);
    /// While held: the session with the steps taken, at the loudness that it has without.
    void setTrying(bool on);
    void take();

  signals:
    void changed();

  private:
    void follow();

    Document& m_document;
    Analyst& m_analyst;
    HitModel& m_hits;
    Playback& m_playback;
    std::shared_ptr<const session::Session> m_of; ///< the session that was looked at
    std::optional<kit::RoughBalance> m_found;
    std::set<std::size_t> m_refused;
    QString m_problem;
    bool m_isSearching = false;
    double m_progress = 0;
    int m_generation = 0;
    CancelToken m_cancel;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
