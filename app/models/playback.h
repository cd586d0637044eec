// Plays the open session: transport, comparison at equal loudness, hearing one band.
#pragma once

#include "app/models/analyst.h"

#include <QObject>
#include <QTimer>

#include <array>
#include <core/base/job_group.h>
#include <core/kit_measures/headroom.h>
#include <core/project/freeze.h>
#include <core/project/loudness_match.h>
#include <core/session/edits.h>
#include <engine/engine.h>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <utility>

namespace cask::app {

/// A stretch of the spectrum of one element that is heard alone, or lifted out of the rest of it.
struct BandAudition {
    Id owner = session::kNoId;
    double lowHz = 0;
    double highHz = 0;
    double boostDb = 0; ///< not 0: the stretch is lifted by this, and the rest is still heard
    double levelDb = 0; ///< of the element, so that it stays as loud
};

/// A stretch that is heard once, perhaps with some elements alone or with an edit that is not made yet.
struct Audition {
    std::vector<Id> alone; ///< none for everything
    double fromS = 0;
    double toS = 0;
    std::function<session::Session(session::Session)> change = {}; ///< none: as the session is
    std::vector<std::pair<double, double>> rest = {};              ///< stretches that follow, in order
};

/// A reference that is heard instead of the session.
struct HeardReference {
    Id element = session::kNoId;
    double laterS = 0; ///< than its file says: a moment of it is heard at another place of the session
    double lufs = kSilenceDb;
    friend bool operator==(const HeardReference&, const HeardReference&) = default;
};

/// Control thread only.
class Playback : public QObject {
    Q_OBJECT

  public:
    /// Under this there is no loudness to match.
    static constexpr double kSilentLufs = -70;

    Playback(Document& document, Analyst& analyst, engine::DeviceOpener opener = engine::openDevice,
             QObject* parent = nullptr);
    ~Playback() override;

    [[nodiscard]] engine::Engine& engine() { return *m_engine; }
    [[nodiscard]] bool isPlaying() const { return m_engine->isPlaying(); }
    [[nodiscard]] double positionS() const;
    void togglePlay();
    void stop();
    void locate(double seconds);
    void playFrom(double seconds);
    void setLoop(double startS, double endS);
    void clearLoop() { setLoop(0, 0); }
    [[nodiscard]] bool hasLoop() const { return m_loopEndS > m_loopStartS; }
    [[nodiscard]] double loopStartS() const { return m_loopStartS; }
    [[nodiscard]] double loopEndS() const { return m_loopEndS; }
    /// What is measured: the loop, else the whole session; the first frame, and how many (0: to the end).
    [[nodiscard]] std::pair<Frames, Frames> measuredStretch() const;

    /// Untouched instead of processed, both brought to the loudness of the quieter one.
    void setComparing(bool on);
    [[nodiscard]] bool isComparing() const { return m_isComparing; }
    void setUntouchedKind(session::Untouched kind);
    /// The balance without any processing, compared in the same way; off restores the kind that was chosen.
    void setBypassed(bool on);
    [[nodiscard]] bool isBypassed() const { return m_isBypassed; }
    [[nodiscard]] session::Untouched untouchedKind() const { return m_untouchedKind; }
    /// Loudness of both; nothing while it is being measured.
    [[nodiscard]] const std::optional<project::LoudnessMatch>& match() const {
        return m_matches[static_cast<std::size_t>(comparedWith())];
    }
    [[nodiscard]] bool isMatching() const { return m_isMatching; }

    /// A or B, both at the loudness of the quieter one until playing stops.
    void switchLetter();
    /// Loudness of A and of B; nothing while there is one mix alone, or it is being measured.
    [[nodiscard]] const std::optional<project::LoudnessMatch>& letterMatch() const { return m_letterMatch; }
    /// Instead of the session, and from then on both at the loudness of the quieter one until playing stops.
    void hearReference(const std::optional<HeardReference>& reference);
    [[nodiscard]] const std::optional<HeardReference>& heardReference() const { return m_reference; }

    /// Gains at which the mix is equally loud with an element at each of some widths, by percent.
    void takeWidthGains(Id element, std::map<int, double> gains);
    /// From now on those are used, until playing stops.
    void armWidths() { m_equallyLoud = EquallyLoud::Widths; }

    /// Playing begins this much before the playhead.
    void setPreroll(double seconds) { m_prerollS = seconds; }
    [[nodiscard]] double prerollS() const { return m_prerollS; }

    void hearBand(const std::optional<BandAudition>& band);
    /// Instead of the sound of a gated element, what its gate hears or takes away; nothing by default.
    void listenTo(const graph::Listening& listening);

    [[nodiscard]] const std::optional<BandAudition>& heardBand() const { return m_band; }

    /// Plays the stretch from its start, an edit at the loudness that the stretch has without it. Ends by
    /// itself or by endAudition(); the playhead is then where it was.
    void audition(const Audition& audition);
    void endAudition();
    [[nodiscard]] bool isAuditioning() const { return m_audition.has_value(); }

    /// A session that is heard instead while something is tried, and the sounds of the files that it adds.
    struct Trial {
        std::function<session::Session(session::Session)> change;
        std::map<Id, std::shared_ptr<AudioSource>> sources;
    };
    /// Nothing ends it. It neither starts nor stops playing.
    void setTrial(std::optional<Trial> trial);
    [[nodiscard]] bool isTrying() const { return m_trial.has_value(); }

    /// Renders that elements and buses are played from as long as they are right (see FreezeModel).
    using FrozenSources = std::map<Id, std::shared_ptr<AudioSource>>;
    void setFrozen(project::FrozenSounds sounds, FrozenSources sources);
    [[nodiscard]] const project::FrozenSounds& frozen() const { return m_frozen; }
    [[nodiscard]] const FrozenSources& frozenSources() const { return m_frozenSources; }
    /// Those that the session as it is now is played from.
    [[nodiscard]] std::vector<Id> playedFrozen() const;

    [[nodiscard]] const std::optional<Headroom>& headroom() const { return m_headroom; }
    [[nodiscard]] bool isMeasuringHeadroom() const { return m_measuresHeadroom; }

    void useDevice(const engine::DeviceSettings& settings);
    void setMonitor(const engine::MonitorSettings& settings);
    /// As it is set; while one band is heard the ceiling is lower.
    [[nodiscard]] const engine::MonitorSettings& monitor() const { return m_monitor; }

  signals:
    /// The engine is about to be replaced by another one: nothing may speak to it from elsewhere any more.
    void engineGoes();
    /// About sixty times a second while playing, and once after every change of the transport.
    void tick();
    void transportChanged();
    void comparisonChanged();
    void frozenChanged();
    void headroomChanged();
    void deviceChanged();
    void monitorChanged();
    void auditionChanged();

  private:
    void rebuildEngine();
    void sendSession();
    void onSourceReady(Id file);
    void scheduleMeasures();
    void startMeasures();
    void startAudition();
    void followAudition();
    void poll();
    [[nodiscard]] session::Untouched comparedWith() const {
        return m_isBypassed ? session::Untouched::NoProcessing : m_untouchedKind;
    }
    [[nodiscard]] bool isComparedEqually() const {
        return m_isComparing || m_equallyLoud == EquallyLoud::Compared;
    }
    [[nodiscard]] session::Session heardSession() const;
    [[nodiscard]] session::Session referenceSession() const;
    /// Of the whole monitor, for what is heard at the moment.
    [[nodiscard]] double matchGainDb() const;
    void takeLetterMatch(const std::string& first, const project::LoudnessMatch& match);
    [[nodiscard]] graph::SourceLookup offlineLookup() const;

    Document& m_document;
    Analyst& m_analyst;
    engine::DeviceOpener m_opener;
    engine::DeviceSettings m_deviceSettings;
    engine::MonitorSettings m_monitor;
    std::unique_ptr<engine::Engine> m_engine;
    QTimer m_tickTimer;
    QTimer m_pollTimer;
    QTimer m_measureTimer;
    double m_loopStartS = 0;
    double m_loopEndS = 0;
    bool m_isComparing = false;
    bool m_isBypassed = false;
    /// What was switched last: its match gain applies to either of it until playing stops.
    enum class EquallyLoud { Nothing, Compared, Letters, Reference, Widths };
    EquallyLoud m_equallyLoud = EquallyLoud::Nothing;
    session::Untouched m_untouchedKind = session::Untouched::FilesAsTheyCame;
    std::array<std::optional<project::LoudnessMatch>, 2> m_matches; ///< by session::Untouched
    bool m_isMatching = false;
    std::optional<project::LoudnessMatch> m_letterMatch; // of A and B
    std::optional<HeardReference> m_reference;
    double m_referenceLufs = kSilenceDb;
    Id m_widthElement = session::kNoId;
    std::map<int, double> m_widthGains;
    double m_prerollS = 0;
    std::optional<BandAudition> m_band;
    graph::Listening m_listening;
    std::optional<Audition> m_audition;
    std::optional<Trial> m_trial;
    project::FrozenSounds m_frozen;
    FrozenSources m_frozenSources;
    double m_auditionGainDb = 0;
    double m_beforeAuditionS = 0;
    int m_auditionGeneration = 0;
    std::optional<Headroom> m_headroom;
    bool m_measuresHeadroom = false;
    CancelToken m_cancelMeasures;
    CancelToken m_cancelAudition;
    int m_measureGeneration = 0;
    QString m_lastDeviceNote;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
