// What the chosen stereo element loses in mono at a few spreads, and how loud the mix is with each.
#pragma once

#include "app/models/hit_model.h"
#include "app/models/playback.h"

#include <QObject>
#include <QTimer>

#include <array>
#include <core/base/job_group.h>
#include <core/kit_measures/spread.h>
#include <optional>

namespace cask::app {

inline constexpr std::array kSpreads = {20, 50, 100}; ///< percent

/// Control thread only.
class SpreadModel : public QObject {
    Q_OBJECT

  public:
    SpreadModel(Document& document, Analyst& analyst, HitModel& hits, Playback& playback,
                QObject* parent = nullptr);
    ~SpreadModel() override;

    /// Measures the selected element while somebody looks, and again when it changes.
    void setWatched(bool on);
    [[nodiscard]] bool isMeasuring() const { return m_isMeasuring || m_timer.isActive(); }
    /// Of the selected element, in the order of kSpreads; empty until known.
    [[nodiscard]] const std::vector<kit::SpreadLoss>& losses() const { return m_losses; }
    /// Takes one of kSpreads; from then on all of them are heard equally loud until playing stops.
    void choose(int percent);

  signals:
    void changed();

  private:
    void follow();
    void measure();

    Document& m_document;
    Analyst& m_analyst;
    HitModel& m_hits;
    Playback& m_playback;
    bool m_isWatched = false;
    bool m_isMeasuring = false;
    Id m_of = session::kNoId;
    std::vector<kit::SpreadLoss> m_losses;
    int m_generation = 0;
    QTimer m_timer;
    CancelToken m_cancel;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
