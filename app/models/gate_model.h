// The gate of the chosen element: what it does to the hits, live while it is set.
#pragma once

#include "app/models/hit_model.h"
#include "app/models/module_edits.h"

#include <QObject>
#include <QTimer>

#include <core/base/job_group.h>
#include <core/measure/gate/gate_search.h>
#include <memory>
#include <mutex>

namespace cask::app {

/// Measures in the background what the detector hears; from then on a threshold that moves is judged at once,
/// coarsely, and exactly when it rests. Control thread only.
class GateModel : public QObject {
    Q_OBJECT

  public:
    GateModel(Document& document, Analyst& analyst, HitModel& hits, QObject* parent = nullptr);
    ~GateModel() override;

    /// Follows the chosen element only while the bench is seen.
    void setActive(bool on);
    [[nodiscard]] Id element() const;
    [[nodiscard]] ModuleAt at() const;
    /// The first gate of the chosen element; null when it has none.
    [[nodiscard]] const session::Module* module() const;
    /// Of the gate, or those that one would begin with.
    [[nodiscard]] dsp::GateSettings settings() const;
    /// All of these are null or empty until measured.
    [[nodiscard]] const measure::HitMaterial* material() const {
        return m_ready ? m_ready->material.get() : nullptr;
    }
    [[nodiscard]] const measure::GateReport* report() const { return m_report.get(); }
    /// Level of each hit as the detector hears it, dBFS.
    [[nodiscard]] const std::vector<double>& levelsDb() const;
    [[nodiscard]] const std::vector<measure::GateBand>& bands() const;
    [[nodiscard]] measure::HitNature nature() const;
    /// Envelope of own hits, mean power of each millisecond from kBeforeMs before the onset on, dBFS, and the
    /// gain over a hit of middling level, dB.
    static constexpr int kBeforeMs = 20;
    static constexpr int kAfterMs = 380;
    [[nodiscard]] const std::vector<float>& averageDb() const;
    [[nodiscard]] const std::vector<float>& gainDb() const { return m_gainDb; }
    [[nodiscard]] bool isBusy() const {
        return m_isPreparing || m_isJudging || m_exactTimer.isActive() || m_prepareTimer.isActive();
    }

    // Edits, one undo step each; a drag is one.
    void addGate();
    void edit(const std::string& field, double value, bool isDragging);
    /// A gate never closes above where it opens: moves the other threshold along with the one that was set.
    static void keepThresholds(session::Module& module, const std::string& field);
    /// Moves both thresholds, the gap stays.
    void moveOpening(double openDb, bool isDragging);
    /// The same gate for all elements of the same kind, thresholds shifted to their own levels.
    int copyToSimilar();
    /// The next (or previous) hit that is lost, or of another drum that passes; -1 for none.
    enum class Fault { Lost, LetThrough };
    [[nodiscard]] int nextFault(Fault fault, int by);
    [[nodiscard]] int chosenHit() const { return m_chosen; }
    void chooseHit(int hit);

  signals:
    void changed();
    void hitChosen();

  private:
    struct Ready {
        std::shared_ptr<const measure::HitMaterial> material;
        std::unique_ptr<measure::GateTracks> tracks; ///< control thread
        std::vector<measure::GateBand> bands;
        std::vector<double> levelsDb;
        std::vector<float> averageDb;
        measure::HitNature nature;
        int middling = -1; ///< own hit of middling level
        dsp::GateSettings detectorOf;
    };
    /// Only one job at a time works with it.
    struct ExactTracks {
        std::mutex mutex;
        std::shared_ptr<const measure::HitMaterial> material;
        std::unique_ptr<measure::GateTracks> tracks;
    };

    void follow();
    void prepare();
    void judge();
    void judgeExactly();
    [[nodiscard]] std::vector<measure::GateTurn> turns() const;
    [[nodiscard]] std::size_t keyOfMaterial() const;

    Document& m_document;
    Analyst& m_analyst;
    HitModel& m_hits;
    bool m_isActive = false;
    QTimer m_prepareTimer;
    QTimer m_exactTimer;
    std::shared_ptr<Ready> m_ready;
    std::shared_ptr<ExactTracks> m_exact = std::make_shared<ExactTracks>();
    std::shared_ptr<const measure::GateReport> m_report;
    std::vector<float> m_gainDb;
    std::size_t m_materialKey = 0;
    std::optional<dsp::GateSettings> m_judged;
    CancelToken m_cancel;
    int m_generation = 0;
    int m_judgeGeneration = 0;
    bool m_isPreparing = false;
    bool m_isJudging = false;
    int m_chosen = -1;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
