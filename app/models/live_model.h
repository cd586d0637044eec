// The selected stack played by hand: from a device, by the simulated player or a button; and recorded.
#pragma once

#include "app/models/desk.h"
#include "app/models/layer_model.h"

#include <QObject>
#include <QStringList>
#include <QTimer>

#include <core/base/job_group.h>
#include <core/layers/live_kit.h>
#include <core/layers/live_take.h>
#include <engine/live/midi_ports.h>
#include <memory>
#include <vector>

namespace cask::app {

/// Control thread only.
class LiveModel : public QObject {
    Q_OBJECT

  public:
    LiveModel(const Desk& desk, LayerModel& layers, QObject* parent = nullptr);
    ~LiveModel() override;

    /// Nothing, and the simulated player.
    [[nodiscard]] static QStringList ownInputs();
    /// These, then the MIDI inputs of the machine as they are now.
    [[nodiscard]] static QStringList inputs();
    /// By its name; any other than those of inputs() is told as not there.
    void useInput(const QString& name);
    /// Empty: nothing.
    [[nodiscard]] const QString& input() const { return m_inputName; }
    /// One stroke at once.
    void strike(int velocity = 110);
    void setClick(bool on);
    /// Whether what is played goes through the element's chain, its level and its buses.
    void setThroughChain(bool on);
    [[nodiscard]] bool isThroughChain() const { return m_isThroughChain; }
    /// By which it is heard later for that, ms.
    [[nodiscard]] double chainMs() const { return m_chainMs; }
    [[nodiscard]] bool hasClick() const { return m_hasClick; }
    [[nodiscard]] bool isReady() const { return m_kit != nullptr; }

    /// Plays the session and keeps what is played by hand; ended, it becomes strikes of the stack, one step
    /// of the history, and a MIDI file beside the session. `isInstead`: strikes that were there where it was
    /// played go.
    void record(bool isInstead);
    void endRecording();
    [[nodiscard]] bool isRecording() const { return m_isRecording; }
    /// Strokes of the take so far.
    [[nodiscard]] int strokes() const { return static_cast<int>(m_take.size()); }

  signals:
    void changed();

  private:
    void follow();
    void prepare();
    void send();
    void sendChain();
    void openInput();
    void poll();
    void keepTake(const std::vector<layers::Strike>& take);
    /// Another element was chosen: what was played stays as a file.
    void leaveRecording();

    Desk m_desk;
    LayerModel& m_layers;
    std::vector<layers::Layer> m_kitLayers; ///< what the kit was made of
    std::shared_ptr<const layers::LiveKit> m_kit;
    std::unique_ptr<engine::StrokeInput> m_input;
    QString m_inputName;
    bool m_hasClick = false;
    bool m_isThroughChain = true;
    std::shared_ptr<engine::LiveHand> m_hand = std::make_shared<engine::LiveHand>();
    double m_chainMs = 0;
    std::shared_ptr<const session::Session> m_chainOf; ///< the session that the chain was made of
    Id m_chainElement = session::kNoId;
    bool m_isRecording = false;
    bool m_isInstead = false;
    Id m_recordElement = session::kNoId;
    double m_recordFromS = 0;
    double m_recordToS = 0;
    std::vector<layers::Strike> m_take;
    int m_generation = 0;
    QTimer m_pollTimer;
    QTimer m_prepareTimer, m_chainTimer;
    CancelToken m_cancel;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
