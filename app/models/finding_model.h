// What the measures of the open session say, kept up to date in the background.
#pragma once

#include "app/models/hit_model.h"
#include "app/models/punch_watch.h"
#include "app/models/tone_model.h"

#include <QObject>
#include <QStringList>
#include <QTimer>

#include <core/advise/advise.h>
#include <core/advise/house_style_files.h>
#include <core/base/job_group.h>
#include <memory>
#include <optional>
#include <vector>

namespace cask::app {

/// Control thread only.
class FindingModel : public QObject {
    Q_OBJECT

  public:
    FindingModel(Document& document, Analyst& analyst, HitModel& hits, ToneModel& tones,
                 QObject* parent = nullptr);
    ~FindingModel() override;

    [[nodiscard]] const std::vector<advise::Finding>& findings() const { return m_findings; }
    [[nodiscard]] const advise::Finding* find(const std::string& id) const;
    /// Findings of an element at a stage that are neither done nor laid aside.
    [[nodiscard]] int openCount(Id element, Stage stage) const;
    [[nodiscard]] int openCount() const;
    /// The worst of them; nothing when none is open.
    [[nodiscard]] std::optional<advise::Severity> worstOpen(Id element, Stage stage) const;
    /// Their sentences, a line each.
    [[nodiscard]] QString openSentences(Id element, Stage stage) const;
    /// Pairs or copies are still being measured, so that more may be found.
    [[nodiscard]] bool isBusy() const {
        return m_isMeasuring || m_timer.isActive() || m_tones.isMeasuring() || m_punches.isBusy();
    }
    /// Share of own hits that the gate of an element keeps; nothing while not measured, or without a gate.
    [[nodiscard]] std::optional<int> gateKeptPercent(Id element) const;
    /// Spill in the close microphones: what it loses through all gates together, dB; nothing without gates.
    [[nodiscard]] std::optional<double> spillChangeDb() const;
    /// What compressors and buses do to hits; empty while it is measured.
    [[nodiscard]] const advise::KitPunch& punch() const { return m_punches.punch(); }
    /// What bends the sound, and parallel paths, as measured last: the session may have moved on since.
    [[nodiscard]] const advise::KitDrive& drive() const { return m_punches.lastDrive(); }
    /// Null while not measured, or after one of the two was changed.
    [[nodiscard]] const advise::PairMeasure* pair(Id first, Id second) const;

    /// What was measured of the whole session as it sounds now.
    void takeHeadroom(const std::optional<Headroom>& headroom);

    // Edits, one undo step each.
    void keep(const std::string& finding);
    void dismiss(const std::string& finding, const QString& reason);
    void takeUpAgain(const std::string& finding);
    void setStyle(const std::string& id);

    [[nodiscard]] const advise::HouseStyle& style() const;
    [[nodiscard]] const std::vector<advise::HouseStyle>& styles() const { return m_styles.styles; }
    /// Reads the user's own styles anew; files that can't be read become notes of the document.
    void reloadStyles();

    /// How an element would be named among the references of its role.
    [[nodiscard]] std::string referenceName(Id element) const;
    [[nodiscard]] bool isReference(Id element) const;
    /// Keeps the sound of an element's own hits as a reference of its role in the house style, or forgets it.
    /// A note says what came of it. REQUIRES: its tone is measured.
    void keepReference(Id element);
    void forgetReference(Id element);

  signals:
    void findingsChanged();
    /// Another style, or other values of it.
    void styleChanged();

  private:
    void follow();
    void measure();
    void update();
    [[nodiscard]] bool isUnchanged(Id element) const;
    [[nodiscard]] bool hasSameGate(Id element) const;
    [[nodiscard]] const advise::GateMeasure* gateOf(Id element) const;
    void saveReferences(const advise::HouseStyle& changed, const QString& said);

    Document& m_document;
    Analyst& m_analyst;
    HitModel& m_hits;
    ToneModel& m_tones;
    PunchWatch m_punches;
    advise::HouseStyles m_styles;
    std::vector<advise::Finding> m_findings;
    std::vector<advise::PairMeasure> m_pairs;
    std::vector<advise::SideMeasure> m_sides;
    std::vector<advise::SameAudio> m_sames;
    std::optional<Headroom> m_headroom;
    std::vector<advise::GateMeasure> m_gates;
    advise::HouseStyle m_gateStyle;                     ///< that the gates were searched by
    std::shared_ptr<const session::Session> m_measured; ///< session that pairs and copies are of
    std::shared_ptr<const kit::HitAnalysis> m_measuredHits;
    QTimer m_timer;
    CancelToken m_cancel;
    int m_generation = 0;
    bool m_isMeasuring = false;
    bool m_isStale = false; ///< what is known of files changed since
    JobGroup m_jobs;        // last: its jobs end before the rest goes
};

} // namespace cask::app
