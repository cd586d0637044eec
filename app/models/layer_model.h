// The stack that the selected element plays: read, judged in the background, and changed.
#pragma once

#include "app/document/document.h"
#include "app/models/analyst.h"

#include <QObject>
#include <QTimer>

#include <core/base/job_group.h>
#include <core/base/worker_pool.h>
#include <core/layers/stack_look.h>
#include <functional>
#include <memory>
#include <optional>

namespace cask::app {

/// How a sound joins the recorded one whose hits strike it.
struct StrikeWay {
    bool isInstead = false;       ///< the recorded one is muted
    std::optional<double> fromDb; ///< hits from this level on, against the loudest; all
};

class LayerModel : public QObject {
    Q_OBJECT

  public:
    using Look = layers::StackLook;

    LayerModel(Document& document, Analyst& analyst, QObject* parent = nullptr);
    ~LayerModel() override;
    /// Works only while somebody looks.
    void setActive(bool active);

    /// Null where the element is recorded.
    [[nodiscard]] const layers::Stack* stack() const { return m_stack.get(); }
    [[nodiscard]] int count() const {
        return m_stack == nullptr ? 0 : static_cast<int>(m_stack->layers.size());
    }
    /// Of a layer, or its number where it has none. REQUIRES: there is one.
    [[nodiscard]] QString nameOf(int layer) const;
    [[nodiscard]] const Look* look() const { return m_look.get(); }
    [[nodiscard]] bool isBusy() const { return m_isLooking || m_isWriting || m_lookTimer.isActive(); }
    [[nodiscard]] int chosen() const { return m_chosen; }
    void choose(int layer);
    /// The strikes that a layer plays.
    [[nodiscard]] std::vector<std::size_t> playedBy(int layer) const;

    /// Writes a changed stack and plays it from now on: one step of the history. Until it is written
    /// `stack()` is the changed one already; what can't be played is told and taken back.
    void edit(const std::function<void(layers::Stack&)>& change, const QString& label);
    /// Looks for the best place of the chosen layer over all strikes that it plays.
    void findPlace();
    [[nodiscard]] bool isPlacing() const { return m_isPlacing; }
    /// Of the chosen layer, as it is now; nothing before it was looked for.
    [[nodiscard]] const std::optional<measure::LayerPlace>& place() const { return m_place; }
    void keepPlace();
    /// How far the chosen layer's note lies from the nearest octave of the note of the owner of the lows, or
    /// of the first other layer that has one, cents; nothing where either has none.
    struct Tuning {
        double noteHz = 0;
        int against = -1; ///< the other layer; -1: there is none
        double cents = 0;
    };
    [[nodiscard]] std::optional<Tuning> tuning() const;
    /// Brings it there by its pitch.
    void tune();
    /// Whether the sounds of the chosen layer are for parts of the velocities; where it has several they can
    /// be put so by their loudness, or made alternates.
    [[nodiscard]] bool isByVelocity() const;
    void setByVelocity(bool on);
    /// Makes the chosen layer an element with a chain of its own, and selects it.
    void giveOwnChain();
    /// A new element, struck by these strikes of the selected one.
    void strikeWith(std::vector<layers::Strike> strikes, const std::vector<std::filesystem::path>& sounds,
                    const StrikeWay& way);

  signals:
    void changed();

  private:
    void follow();
    /// What an element plays: null, and an empty path, where it is not there any more.
    [[nodiscard]] const session::SourceFile* sourceOf(Id element) const;
    [[nodiscard]] std::filesystem::path fileOf(Id element) const;
    /// Once something was written.
    void goOn();
    /// One step of the history, and the element that was made is chosen.
    void take(session::WithMade with, const QString& label);
    void forgetPlace();
    void beginLook();
    void write();

    Document& m_document;
    Analyst& m_analyst;
    bool m_isActive = false;
    Id m_owner = session::kNoId;
    Id m_source = session::kNoId;
    std::filesystem::path m_file;
    std::unique_ptr<layers::Stack> m_stack;
    std::shared_ptr<const Look> m_look;
    int m_chosen = 0;
    std::optional<measure::LayerPlace> m_place;
    bool m_isPlacing = false;
    int m_placeGeneration = 0;
    bool m_isLooking = false;
    bool m_isWriting = false;
    bool m_mustWrite = false;
    QString m_label;
    int m_generation = 0;
    CancelToken m_cancelPlace;
    QTimer m_lookTimer;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
