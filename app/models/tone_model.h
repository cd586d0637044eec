// How the elements of the open session sound, and how they lie over each other, kept up to date in the
// background.
#pragma once

#include "app/models/hit_model.h"

#include <QObject>
#include <QTimer>

#include <core/base/job_group.h>
#include <core/kit_measures/mix.h>
#include <core/measure/tone/band_hits.h>
#include <core/measure/tone/decay_map.h>
#include <memory>
#include <optional>
#include <vector>

namespace cask::app {

/// Control thread only.
class ToneModel : public QObject {
    Q_OBJECT

  public:
    ToneModel(Document& document, Analyst& analyst, HitModel& hits, QObject* parent = nullptr);
    ~ToneModel() override;

    /// Own hits of an element; null while not measured, or after its sound was changed.
    [[nodiscard]] const advise::ToneMeasure* tone(Id element) const;
    /// All that are known and still true.
    [[nodiscard]] std::vector<advise::ToneMeasure> tones() const;
    [[nodiscard]] std::vector<advise::HumMeasure> hums() const;
    /// The kit as it is, and without any processing; null while not measured. May be an edit behind.
    [[nodiscard]] const advise::MixMeasure* mix() const { return m_mix.get(); }
    [[nodiscard]] const advise::MixMeasure* untouchedMix() const { return m_untouched.get(); }
    [[nodiscard]] bool isMeasuring() const { return m_isMeasuring || m_timer.isActive(); }
    /// Anything at all is still being measured.
    [[nodiscard]] bool isBusy() const {
        return isMeasuring() || m_isMixing || m_isLooking || m_mixTimer.isActive();
    }

    /// Looks at the chosen element more closely while the bench is seen.
    void setActive(bool on);
    /// How the hits of the chosen element die away; null while not measured, or without own hits.
    [[nodiscard]] const measure::DecayMap* decay() const;
    /// How loud a band gets on the hits of the chosen element; nothing while not measured.
    [[nodiscard]] std::optional<measure::BandHits> bandHits(const dsp::EqBand& band) const;

  signals:
    void changed();
    void detailChanged();

  private:
    struct Detail {
        Id element = session::kNoId;
        std::shared_ptr<const measure::HitMaterial> material;
        measure::DecayMap decay;
    };
    void follow();
    void measure();
    void mixAnew();
    void lookCloser();
    [[nodiscard]] bool isUnchanged(Id element) const;
    /// What it was measured of is still so: the element, and the one that it was read beside.
    [[nodiscard]] bool holds(const advise::ToneMeasure& tone) const;

    Document& m_document;
    Analyst& m_analyst;
    HitModel& m_hits;
    bool m_isActive = false;
    QTimer m_timer;
    QTimer m_mixTimer;
    std::vector<advise::ToneMeasure> m_tones;
    kit::TrackMeasures m_tracks;
    std::shared_ptr<const advise::MixMeasure> m_mix;
    std::shared_ptr<const advise::MixMeasure> m_untouched;
    std::shared_ptr<const session::Session> m_untouchedOf; ///< session without processing that it is of
    std::shared_ptr<const session::Session> m_measured;    ///< session that the measures are of
    std::shared_ptr<const kit::HitAnalysis> m_measuredHits;
    std::shared_ptr<const Detail> m_detail;
    Id m_detailElement = session::kNoId; ///< asked for
    std::shared_ptr<const session::Session> m_detailOf;
    std::shared_ptr<const kit::HitAnalysis> m_detailHits;
    mutable std::optional<std::pair<dsp::EqBand, std::vector<float>>> m_levels; ///< of the band seen last
    CancelToken m_cancel;
    CancelToken m_cancelDetail;
    CancelToken m_cancelMix;
    int m_generation = 0;
    int m_mixGeneration = 0;
    int m_detailGeneration = 0;
    bool m_isMeasuring = false;
    bool m_isMixing = false;
    bool m_isLooking = false;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
