// Two microphones that hear one drum, measured for the picture that lays them over each other.
#pragma once

#include "app/models/hit_model.h"

#include <QObject>
#include <QTimer>

#include <core/base/job_group.h>
#include <core/measure/alignment.h>
#include <memory>
#include <optional>

namespace cask::app {

/// The pair on the bench: one stands still, the other (the chosen element) can be moved. A move needs no new
/// measure: the portrait is that of the session when it was made, and what was moved since is known.
/// Control thread only.
class PairModel : public QObject {
    Q_OBJECT

  public:
    PairModel(Document& document, Analyst& analyst, HitModel& hits, QObject* parent = nullptr);
    ~PairModel() override;

    /// Microphones that hear the drum of an element, or the drums that overheads hear.
    [[nodiscard]] std::vector<Id> othersOf(Id element) const;
    /// kNoId for both: nothing is measured.
    void show(Id still, Id moving);
    [[nodiscard]] Id still() const { return m_still; }
    [[nodiscard]] Id moving() const { return m_moving; }

    /// Null while not measured.
    [[nodiscard]] const measure::PairPortrait* portrait() const { return m_portrait.get(); }
    [[nodiscard]] bool isBusy() const { return m_isMeasuring || m_timer.isActive(); }
    /// By which the moving one was shifted since the portrait was made, later is positive; and whether it was
    /// turned over.
    [[nodiscard]] double movedMs() const;
    [[nodiscard]] bool isTurned() const;
    /// Level of the sum around the drum's note over the powers, as it is now.
    [[nodiscard]] double lowSumDb() const;

    struct Best {
        double shiftMs = 0; ///< as the session would have it
        bool isInverted = false;
        double lowSumDb = 0;
    };
    /// The shift and polarity with the strongest sum nearest to where it is: within `reachMs` of now.
    [[nodiscard]] Best best(double reachMs) const;
    /// Where the sound arrives in both at once, as measured by correlation over the whole band; the polarity
    /// is that in which they then agree. Nothing when too few hits agree on it.
    [[nodiscard]] std::optional<Best> together() const;
    /// A stretch with some hits of the drum.
    [[nodiscard]] double hearFromS() const { return m_hearFromS; }

    // Edits of the moving element.
    void setShift(double shiftMs, bool isDragging);
    void setInverted(bool on);
    void moveTo(const Best& best);

  signals:
    void portraitChanged();

  private:
    void follow();
    void measure();
    [[nodiscard]] const session::InputSettings* input() const;

    Document& m_document;
    Analyst& m_analyst;
    HitModel& m_hits;
    Id m_still = session::kNoId;
    Id m_moving = session::kNoId;
    std::shared_ptr<const measure::PairPortrait> m_portrait;
    std::shared_ptr<const session::Session> m_measured; ///< session that the portrait is of
    std::shared_ptr<const kit::HitAnalysis> m_measuredHits;
    measure::Alignment m_alignment; ///< of the drum's own microphone and the other
    bool m_movesFirst = false;      ///< the moving one is the drum's own
    double m_hearFromS = 0;
    QTimer m_timer;
    CancelToken m_cancel;
    int m_generation = 0;
    bool m_isMeasuring = false;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
