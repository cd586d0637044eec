// The hits of the open session, found anew in the background whenever what they depend on changes.
#pragma once

#include "app/document/analyst.h"

#include <QObject>
#include <QTimer>

#include <core/project/hit_analysis.h>
#include <memory>

namespace cask::app {

/// Control thread only.
class HitModel : public QObject {
    Q_OBJECT

  public:
    HitModel(Document& document, Analyst& analyst, QObject* parent = nullptr);
    ~HitModel() override;

    /// Null until enough is known.
    [[nodiscard]] const project::HitAnalysis* analysis() const { return m_analysis.get(); }
    [[nodiscard]] std::shared_ptr<const project::HitAnalysis> shared() const { return m_analysis; }
    [[nodiscard]] bool isBusy() const { return m_isRunning || m_timer.isActive(); }

    /// The chosen stroke (index into the strokes); -1 for none. It stays chosen over a new analysis.
    [[nodiscard]] int chosenStroke() const { return m_chosen; }
    void chooseStroke(int stroke);
    /// The next or previous own hit of an element, after the chosen one or an instant.
    void step(Id element, int by, double fromS);

    // Edits by hand: each is one undo step, and stands whatever a new analysis finds.
    void addHit(Id element, double timeS);
    void removeChosen();
    void moveChosen(double toS);
    void classChosen(measure::HitClass hitClass);
    void giveChosenTo(Id element);
    void setTempo(double bpm, double firstBarS);

  signals:
    void hitsChanged();
    void choiceChanged();

  private:
    void follow();
    void start();
    void edit(session::HitEdit edit, const QString& label);
    [[nodiscard]] const measure::DrumHit* chosen() const;

    Document& m_document;
    Analyst& m_analyst;
    QTimer m_timer;
    std::shared_ptr<const project::HitAnalysis> m_analysis;
    CancelToken m_cancel;
    int m_generation = 0;
    bool m_isRunning = false;
    std::size_t m_key = 0; // of what the analysis depends on
    int m_chosen = -1;
};

} // namespace cask::app
