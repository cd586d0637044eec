// The compressors and transient shapers of the chosen element or bus: what they do to the hits, measured in
// the background.
#pragma once

#include "app/models/hit_model.h"
#include "app/models/module_edits.h"

#include <QObject>
#include <QTimer>

#include <core/base/job_group.h>
#include <core/measure/punch/compression.h>
#include <core/measure/punch/hit_shapes.h>
#include <memory>

namespace cask::app {

/// Control thread only.
class PunchModel : public QObject {
    Q_OBJECT

  public:
    PunchModel(Document& document, Analyst& analyst, HitModel& hits, QObject* parent = nullptr);
    ~PunchModel() override;

    /// Follows what is chosen only while the bench is seen.
    void setActive(bool on);
    /// The chosen element or bus.
    [[nodiscard]] Id owner() const { return m_document.selected(); }
    /// Its compressors, first to last by their numbers, then its other modules of this step of the job.
    [[nodiscard]] std::vector<const session::Module*> modules() const;
    /// The one that is set; null when there is none.
    [[nodiscard]] const session::Module* module() const;
    [[nodiscard]] ModuleAt at() const;
    void choose(Id module);
    /// The standard ones where the one that is set is no compressor.
    [[nodiscard]] dsp::CompressorSettings settings() const;
    [[nodiscard]] bool isShaper() const;
    [[nodiscard]] bool isPump() const;
    [[nodiscard]] bool isLimiter() const;
    /// All but pumps, whose gain is drawn.
    [[nodiscard]] bool isMeasured() const { return !isPump(); }
    /// Null until measured; without a compressor what the standard one would hear.
    [[nodiscard]] const measure::HitMaterial* material() const { return m_material.get(); }
    [[nodiscard]] const measure::Compression* compression() const { return m_compression.get(); }
    /// At equal loudness; null where it listens to something else. To a millisecond while a value moves,
    /// exactly once it has been at rest for a while.
    [[nodiscard]] const measure::ShapeChange* shapes() const { return m_shapes.get(); }
    [[nodiscard]] const measure::ShapeChange* exactShapes() const {
        return m_isRough ? nullptr : m_shapes.get();
    }
    /// Only hits of this section are told of; empty: all.
    void setSection(const std::string& name);
    /// An own hit to be looked at alone (of the material); -1: their average.
    void chooseHit(int hit);
    [[nodiscard]] int chosenHit() const { return m_chosenHit; }
    /// What is shown of them: that hit, or the average. Null until measured.
    [[nodiscard]] const measure::HitCourse* course() const;
    /// The drum that made a hit of the material.
    [[nodiscard]] QString drumName(int drum) const;
    [[nodiscard]] bool isBusy() const {
        return m_isMeasuring || m_isShaping || m_timer.isActive() || m_restTimer.isActive();
    }

    /// One more compressor, its threshold from the hits; it becomes the chosen one.
    void add();
    void addShaper();
    void addPump();
    void addLimiter();
    void edit(const std::string& field, double value, bool isDragging) {
        editModuleValue(m_document, at(), {}, field, value, isDragging);
    }

  signals:
    void changed();

  private:
    void follow();
    void measure();
    void measureShapes();
    void take(std::size_t key, const std::shared_ptr<const measure::HitMaterial>& material,
              const std::shared_ptr<const std::vector<float>>& powers,
              const std::shared_ptr<const measure::QuickPunch>& punch);
    void cutToSection();
    void addModule(const session::ModuleSettings& settings, const QString& label);
    [[nodiscard]] std::size_t keyOfMaterial() const;

    Document& m_document;
    Analyst& m_analyst;
    HitModel& m_hits;
    bool m_isActive = false;
    Id m_chosen = session::kNoId;
    QTimer m_timer;
    std::size_t m_materialKey = 0;
    std::shared_ptr<const measure::HitMaterial> m_material;
    std::shared_ptr<const std::vector<float>> m_powers; ///< of the material, what its loudness is made of
    std::shared_ptr<const measure::QuickPunch> m_whole;
    std::shared_ptr<const measure::Compression> m_compression; ///< of the section
    std::shared_ptr<const measure::ShapeChange> m_wholeShapes, m_shapes;
    bool m_isRough = true; ///< the shapes
    std::string m_section;
    int m_chosenHit = -1;
    measure::HitCourse m_ofHit;
    QTimer m_restTimer;
    int m_generation = 0; ///< of what is measured
    bool m_isMeasuring = false;
    bool m_isShaping = false; ///< the shapes are measured
    bool m_isAwaited = false; ///< something changed while it measured
    CancelToken m_cancel;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
