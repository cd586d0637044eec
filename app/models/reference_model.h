// The session's references: what each tells of itself, against the mix, and one of them heard instead.
#pragma once

#include "app/models/hit_model.h"
#include "app/models/playback.h"

#include <QObject>
#include <QTimer>

#include <core/base/job_group.h>
#include <core/kit_measures/drum_mix.h>
#include <map>
#include <optional>
#include <vector>

namespace cask::app {

/// Control thread only.
class ReferenceModel : public QObject {
    Q_OBJECT

  public:
    ReferenceModel(Document& document, Analyst& analyst, Playback& playback, QObject* parent = nullptr);
    ~ReferenceModel() override;

    /// Elements with that role, in the session's order.
    [[nodiscard]] std::vector<Id> references() const;
    /// The one that is heard and shown: the selected element if it is one, else the last that was chosen.
    [[nodiscard]] Id chosen() const;
    void choose(Id reference);
    void chooseNext();
    /// Null until it is known.
    [[nodiscard]] const kit::DrumMix* of(Id reference) const;
    /// The session's own mix, over the loop where there is one; null until it is known.
    [[nodiscard]] const kit::DrumMix* own() const { return m_own ? &*m_own : nullptr; }
    /// Somebody looks: the own mix is described, and again when it changes.
    void setWatched(bool on);
    [[nodiscard]] bool isMeasuring() const { return m_isMeasuring; }

    /// Where in the reference it begins when it is heard: a moment of it, or (negative) the place of the
    /// session itself.
    void beginAt(double momentS);
    [[nodiscard]] double beginsAt() const { return m_beginsAtS; }
    /// While held, at the loudness of the quieter of the two.
    void setHeard(bool on);
    /// "12.3 dB down to match", or why it is not heard.
    [[nodiscard]] QString matchText() const;

  signals:
    void changed();

  private:
    void follow();
    void describe(Id reference);
    void describeOwn();

    Document& m_document;
    Analyst& m_analyst;
    Playback& m_playback;
    Id m_chosen = session::kNoId;
    double m_beginsAtS = -1;
    std::map<Id, kit::DrumMix> m_known;      ///< by file
    std::map<Id, const void*> m_knownTrails; ///< that they are of
    std::optional<kit::DrumMix> m_own;
    bool m_isWatched = false;
    bool m_isMeasuring = false;
    int m_generation = 0;
    QTimer m_timer;
    CancelToken m_cancel;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
