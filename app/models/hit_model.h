// The hits of the open session, found anew in the background whenever what they depend on changes.
#pragma once

#include "app/models/analyst.h"
#include "app/models/pattern_edits.h"

#include <QObject>
#include <QTimer>

#include <core/base/job_group.h>
#include <core/kit_measures/hit_analysis.h>
#include <functional>
#include <map>
#include <memory>
#include <set>
#include <utility>
#include <vector>

namespace cask::app {

/// Control thread only.
class HitModel : public QObject {
    Q_OBJECT

  public:
    HitModel(Document& document, Analyst& analyst, QObject* parent = nullptr);
    ~HitModel() override;

    /// Another one for each analysis.
    [[nodiscard]] int revision() const { return m_revision; }
    /// Null until enough is known.
    [[nodiscard]] const kit::HitAnalysis* analysis() const { return m_analysis.get(); }
    [[nodiscard]] std::shared_ptr<const kit::HitAnalysis> shared() const { return m_analysis; }
    /// What one input heard, in time; empty until known.
    [[nodiscard]] const std::vector<measure::HeardHit>& heardIn(int input) const;
    /// What the pictures of an element speak of: the drum that it stands at; of a loop, the drum of the
    /// chosen stroke, else the one that is struck most. -1 for none.
    [[nodiscard]] int drumShown(Id element) const;
    /// The element holds a kit of its own, whose drums are told apart by their sound.
    [[nodiscard]] bool isLoop(Id element) const;
    /// Strokes of a drum that has neither a microphone nor a loop of its own are heard, but not edited.
    [[nodiscard]] bool canEdit(int stroke) const;
    [[nodiscard]] bool isBusy() const { return m_isRunning || m_timer.isActive() || m_patterns.isBusy(); }

    // Strokes are named by their index; those selected stay selected over a new analysis.
    /// The stroke that was chosen last; -1 for none. It is one of those selected.
    [[nodiscard]] int chosenStroke() const { return m_chosen; }
    [[nodiscard]] const std::set<int>& selection() const { return m_selection; }
    [[nodiscard]] bool isSelected(int stroke) const { return m_selection.contains(stroke); }
    /// Selects one stroke alone; -1 for none.
    void chooseStroke(int stroke);
    /// Adds a stroke to those selected, or takes it from them.
    void toggleStroke(int stroke);
    void select(std::set<int> strokes);
    /// Strokes for which this holds, of an element's drum or (kNoId) of all.
    [[nodiscard]] std::set<int>
    strokesOf(Id element, const std::function<bool(const measure::DrumHit&)>& holds = nullptr) const;
    /// The next or previous own hit of an element, after the chosen one or an instant.
    void step(Id element, int by, double fromS);
    /// Stretches that hold the selected strokes, each with what rings after it; overlapping ones are one.
    [[nodiscard]] std::vector<std::pair<double, double>> selectedStretchesS() const;

    // Edits by hand: each is one undo step for all that is selected, and stands whatever a new analysis
    // finds. Those of a played element change its pattern: they are heard.
    void addHit(Id element, double timeS);
    void removeSelected();
    void moveSelected(double byS);
    void classSelected(measure::HitClass hitClass);
    void giveSelectedTo(Id element);
    /// To another drum of their loop: kick, snare, hat, tom, ride or crash.
    void giveSelectedToDrum(const std::string& loopDrum);
    /// 0 beats a minute or a bar, a first bar of -1: as measured.
    void setTempo(const session::TempoSettings& tempo);

  signals:
    void hitsChanged();
    void choiceChanged();

  private:
    void follow();
    void start();
    /// One edit of each selected stroke of a drum with a microphone, as one step of the history.
    void editSelected(const session::HitEdit& pattern, double moveS, const QString& one, const QString& many);
    [[nodiscard]] const measure::DrumHit* chosen() const;
    void takeAnalysis(const std::shared_ptr<const kit::HitAnalysis>& analysis);

    Document& m_document;
    Analyst& m_analyst;
    PatternEdits m_patterns;
    QTimer m_timer;
    std::shared_ptr<const kit::HitAnalysis> m_analysis;
    std::map<int, std::vector<measure::HeardHit>> m_heard; ///< by input
    CancelToken m_cancel;
    int m_generation = 0;
    int m_revision = 0;
    bool m_isRunning = false;
    std::size_t m_key = 0; // of what the analysis depends on
    int m_chosen = -1;
    std::set<int> m_selection;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
