// What the session does to the punch of its hits, and what bends its sound, measured in the background once
// nobody edits any more.
#pragma once

#include "app/models/hit_model.h"

#include <QObject>
#include <QTimer>

#include <core/advise/house_style.h>
#include <core/base/job_group.h>
#include <core/kit_measures/drive.h>
#include <core/kit_measures/punch.h>
#include <memory>
#include <vector>

namespace cask::app {

/// Control thread only.
class PunchWatch : public QObject {
    Q_OBJECT

  public:
    PunchWatch(Document& document, Analyst& analyst, HitModel& hits, QObject* parent = nullptr);
    ~PunchWatch() override;

    /// Of the session as it is now; empty while it is measured.
    [[nodiscard]] const advise::KitPunch& punch() const { return m_punch; }
    [[nodiscard]] const advise::KitDrive& drive() const { return m_drive; }
    [[nodiscard]] const std::vector<advise::CrowdMeasure>& crowd() const { return m_crowd; }
    /// Of the session as it was when it was measured last.
    [[nodiscard]] const advise::KitDrive& lastDrive() const { return m_measuredDrive; }
    [[nodiscard]] bool isBusy() const { return m_isMeasuring || m_timer.isActive(); }
    /// The style that says how much is too much.
    void setStyle(const advise::HouseStyle& style);

  signals:
    void changed();

  private:
    void follow();
    void measure();
    void show(bool isShown);
    [[nodiscard]] bool isCurrent() const;
    /// Those whose sound and settings are as they were when they were measured.
    [[nodiscard]] std::vector<advise::PunchMeasure> known() const;
    [[nodiscard]] advise::KitDrive knownDrive() const;
    /// Whether what comes to an element's modules, and its chain, are as they were.
    [[nodiscard]] bool isSame(session::Id element) const;

    Document& m_document;
    Analyst& m_analyst;
    HitModel& m_hits;
    advise::HouseStyle m_style;
    advise::KitPunch m_punch;
    advise::KitPunch m_measured; ///< of m_of
    advise::KitDrive m_drive;
    advise::KitDrive m_measuredDrive;
    std::vector<advise::CrowdMeasure> m_crowd, m_measuredCrowd;
    bool m_isShown = false; ///< m_punch is m_measured and so on; else they are empty
    std::shared_ptr<const session::Session> m_of;
    std::shared_ptr<const kit::HitAnalysis> m_ofHits;
    advise::HouseStyle m_ofStyle;
    QTimer m_timer;
    CancelToken m_cancel;
    int m_generation = 0;
    bool m_isMeasuring = false;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
