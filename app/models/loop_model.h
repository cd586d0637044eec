// The selected recorded element as material: its pieces, how they would be put together, and the act of it.
#pragma once

#include "app/models/desk.h"

#include <QObject>

#include <core/base/job_group.h>
#include <core/project/loop_material.h>
#include <utility>

namespace cask::app {

class LoopModel : public QObject {
    Q_OBJECT

  public:
    explicit LoopModel(const Desk& desk, QObject* parent = nullptr);
    ~LoopModel() override;

    [[nodiscard]] const layers::LoopFit& fit() const { return m_fit; }
    /// Tempo, grid, drums ...; the picture follows at once.
    void setFit(const layers::LoopFit& fit);
    /// Only the stretch that is repeated while it plays.
    [[nodiscard]] bool isOnlyLoop() const { return m_isOnlyLoop; }
    void setOnlyLoop(bool on);
    /// What it ducks under, and by how much (0: nothing).
    [[nodiscard]] Id duckBy() const { return m_duckBy; }
    [[nodiscard]] double duckDb() const { return m_duckDb; }
    void setDuck(Id key, double rangeDb);

    /// Worked out anew where the hits or the element are others now. Empty: nothing can be cut.
    void follow();
    [[nodiscard]] const std::vector<layers::LoopPiece>& pieces() const { return m_pieces; }
    /// By piece: where it is heard now and where it will be, s of the session.
    [[nodiscard]] const std::vector<double>& nowS() const { return m_nowS; }
    [[nodiscard]] const std::vector<double>& thenS() const { return m_thenS; }
    /// Drums of the pieces, in the order of a kit.
    [[nodiscard]] const std::vector<std::string>& drums() const { return m_drums; }
    [[nodiscard]] bool isDropped(const std::string& drum) const;
    [[nodiscard]] const measure::Tempo& tempo() const { return m_tempo; }
    /// Why nothing can be cut as it is set; empty where it can.
    [[nodiscard]] const QString& problem() const { return m_problem; }
    /// "34 pieces, 8 silent; 84.2 % as long"
    [[nodiscard]] QString summary() const;
    [[nodiscard]] bool isBusy() const { return m_isCutting; }

    /// Writes the pieces and makes the element: one step of the history.
    void cut(bool mutesLoop);

  signals:
    void changed();

  private:
    void workOut();
    [[nodiscard]] project::LoopWish wish() const;

    Desk m_desk;
    layers::LoopFit m_fit;
    bool m_isOnlyLoop = false;
    std::pair<double, double> m_loopS; ///< the stretch that is repeated, as it was last seen
    Id m_duckBy = session::kNoId;
    double m_duckDb = 0;
    Id m_element = session::kNoId;
    std::shared_ptr<const kit::HitAnalysis> m_analysis;
    std::vector<layers::LoopPiece> m_pieces;
    std::vector<double> m_nowS, m_thenS;
    std::vector<std::string> m_drums;
    measure::Tempo m_tempo;
    layers::LoopMade m_made;
    QString m_problem;
    bool m_isCutting = false;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
