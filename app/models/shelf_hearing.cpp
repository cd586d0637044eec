// Sounds of the shelf heard in the session before they are taken.
#include "app/models/priorities.h"
#include "app/models/shelf_model.h"
#include "app/theme/theme.h"
#include "core/project/played_files.h"

namespace cask::app {

void ShelfModel::hear(const std::filesystem::path& sound, project::TrialPlace place) {
    m_cancelHear.cancel();
    m_cancelHear = CancelToken();
    m_endTimer.stop();
    const int generation = ++m_hearGeneration;
    m_heard = sound;
    m_hearingText.clear();
    emit hearingChanged();
    const auto& s = m_desk.document.session();
    project::TrialQuestion question{
        sound, place, m_desk.document.selected(), {}, m_backToS.value_or(m_desk.playback.positionS())};
    if (place != project::TrialPlace::Alone)
        if (const auto analysis = m_desk.hits.shared(); analysis != nullptr)
            question.strikes = project::strikesOf(s, *analysis, question.element);
    m_jobs.post(
        [this, generation, question, snapshot = m_desk.document.snapshot(), folder = m_desk.document.folder(),
         cancel = m_cancelHear] {
            const auto trial = project::trySound(*snapshot, folder, question, cancel);
            QMetaObject::invokeMethod(
                this, [this, generation, question, trial] { takeTrial(generation, question, trial); },
                Qt::QueuedConnection);
        },
        kPairPriority);
}

void ShelfModel::takeTrial(int generation, const project::TrialQuestion& question,
                           const Result<project::SoundTrial>& trial) {
    if (generation != m_hearGeneration)
        return;
    if (!trial) {
        endHearing();
        m_hearingText = QString::fromStdString(trial.error().message);
        emit hearingChanged();
        return;
    }
    m_hearingText = tr("%1 dB to be as loud").arg(signedDb(trial->soundDb));
    if (trial->elementDb != 0)
        m_hearingText += tr("; both %1 dB, as loud as before").arg(signedDb(trial->elementDb));
    auto& playback = m_desk.playback;
    const bool isAlone = question.place == project::TrialPlace::Alone;
    if (isAlone && playback.isPlaying())
        playback.stop();
    playback.setTrial(Playback::Trial{trial->change, {{trial->file, trial->source}}});
    if (isAlone) {
        m_backToS = question.atS;
        playback.playFrom(question.atS);
        m_endTimer.start(static_cast<int>(1000 * (trial->toS - question.atS)) + 300);
    } else if (!playback.isPlaying()) {
        playback.togglePlay();
    }
    emit hearingChanged();
}

void ShelfModel::endHearing() {
    m_cancelHear.cancel();
    ++m_hearGeneration;
    m_endTimer.stop();
    if (m_heard.empty())
        return;
    m_heard.clear();
    m_hearingText.clear();
    if (m_backToS) { // it was heard by itself, from where the playhead was
        m_desk.playback.stop();
        m_desk.playback.locate(*m_backToS);
        m_backToS.reset();
    }
    m_desk.playback.setTrial(std::nullopt);
    emit hearingChanged();
}

} // namespace cask::app
