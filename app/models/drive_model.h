// What the saturation, clipper or crush that is set does to the hits of the chosen element or bus, measured
// in the background.
#pragma once

#include "app/models/hit_model.h"
#include "app/models/module_edits.h"

#include <QObject>
#include <QTimer>

#include <core/base/job_group.h>
#include <core/measure/drive/drive_change.h>
#include <memory>

namespace cask::app {

/// Control thread only.
class DriveModel : public QObject {
    Q_OBJECT

  public:
    DriveModel(Document& document, Analyst& analyst, HitModel& hits, QObject* parent = nullptr);
    ~DriveModel() override;

    /// Follows what is chosen only while the bench is seen.
    void setActive(bool on);
    void setModule(const ModuleAt& at);
    [[nodiscard]] const session::Module* module() const { return findModule(m_document.session(), m_at); }
    /// Nothing without a module of the kinds that are measured.
    [[nodiscard]] std::optional<measure::DriveSettings> settings() const;

    /// Some hits, spread over the take; null until heard.
    [[nodiscard]] const measure::HitMaterial* sample() const { return m_sample.get(); }
    /// Of the sample while a value moves, of the whole minute once it has been at rest; null until measured.
    [[nodiscard]] const measure::DriveChange* change() const { return m_change.get(); }
    [[nodiscard]] bool isRough() const { return m_isRough; }
    /// The middle hit of the sample, from kBeforeMs before its onset on: before, and after as loud as before.
    struct Wave {
        static constexpr double kBeforeMs = 5;
        static constexpr double kAfterMs = 120;
        double rateHz = 48000;
        std::vector<float> before, after;
    };
    [[nodiscard]] const Wave& wave() const { return m_wave; }
    /// Peaks of the sample's own hits, linear.
    [[nodiscard]] const std::vector<double>& hitPeaks() const { return m_peaks; }
    [[nodiscard]] double noteHz() const { return m_noteHz; }
    [[nodiscard]] bool isBusy() const {
        return m_isMeasuring || m_timer.isActive() || m_restTimer.isActive();
    }

    void edit(const std::string& field, double value, bool isDragging) {
        editModuleValue(m_document, m_at, {}, field, value, isDragging);
    }

  signals:
    void changed();

  private:
    struct Heard;
    void follow();
    void measure(bool isWhole);
    void take(std::size_t key, int generation, bool isWhole, const std::shared_ptr<const Heard>& heard);

    Document& m_document;
    Analyst& m_analyst;
    HitModel& m_hits;
    bool m_isActive = false;
    ModuleAt m_at;
    QTimer m_timer, m_restTimer;
    std::size_t m_key = 0;
    std::shared_ptr<const measure::HitMaterial> m_material, m_sample;
    std::shared_ptr<const measure::DriveBefore> m_sampleBefore;
    std::shared_ptr<const measure::DriveChange> m_change;
    Wave m_wave;
    std::vector<double> m_peaks;
    double m_noteHz = 0;
    bool m_isRough = true;
    bool m_isMeasuring = false;
    bool m_isAwaited = false; ///< something changed while it measured
    int m_generation = 0;
    CancelToken m_cancel;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
