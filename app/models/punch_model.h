// The compressors of the chosen element or bus: what they do to the hits, measured in the background.
#pragma once

#include "app/models/hit_model.h"
#include "app/models/module_edits.h"

#include <QObject>
#include <QTimer>

#include <core/base/job_group.h>
#include <core/measure/punch/compression.h>
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
    /// Its compressors, first to last by their numbers.
    [[nodiscard]] std::vector<const session::Module*> modules() const;
    /// The one that is set; null when there is none.
    [[nodiscard]] const session::Module* module() const;
    [[nodiscard]] ModuleAt at() const;
    void choose(Id module);
    [[nodiscard]] dsp::CompressorSettings settings() const;
    /// Null until measured; without a compressor what the standard one would hear.
    [[nodiscard]] const measure::HitMaterial* material() const { return m_material.get(); }
    [[nodiscard]] const measure::Compression* compression() const { return m_compression.get(); }
    [[nodiscard]] bool isBusy() const { return m_isMeasuring || m_timer.isActive(); }

    /// One more, its threshold from the hits; it becomes the chosen one.
    void add();
    void edit(const std::string& field, double value, bool isDragging) {
        editModuleValue(m_document, at(), {}, field, value, isDragging);
    }

  signals:
    void changed();

  private:
    void follow();
    void measure();
    [[nodiscard]] std::size_t keyOfMaterial() const;

    Document& m_document;
    Analyst& m_analyst;
    HitModel& m_hits;
    bool m_isActive = false;
    Id m_chosen = session::kNoId;
    QTimer m_timer;
    std::size_t m_materialKey = 0;
    std::shared_ptr<const measure::HitMaterial> m_material;
    std::shared_ptr<const measure::Compression> m_compression;
    bool m_isMeasuring = false;
    bool m_isAwaited = false; ///< something changed while it measured
    CancelToken m_cancel;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
