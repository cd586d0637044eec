// Sounds that are played instead of the session's files: what is tried, and what is frozen.
#include "app/models/playback.h"

namespace cask::app {

void Playback::setTrial(std::optional<Trial> trial) {
    if (!m_trial && !trial)
        return;
    if (m_trial)
        for (const auto& [file, source] : m_trial->sources) {
            const auto* state = m_analyst.file(file);
            m_engine->setSource(file, state == nullptr ? nullptr : state->source);
        }
    m_trial = std::move(trial);
    if (m_trial)
        for (const auto& [file, source] : m_trial->sources)
            m_engine->setSource(file, source);
    sendSession();
}

void Playback::onSourceReady(Id file) {
    if (const auto* state = m_analyst.file(file))
        m_engine->setSource(file, state->source);
    sendSession();
    scheduleMeasures();
}

void Playback::setFrozen(project::FrozenSounds sounds, FrozenSources sources) {
    for (const auto& [what, source] : m_frozenSources)
        if (!sources.contains(what))
            m_engine->setSource(project::frozenFileId(what), nullptr);
    m_frozen = std::move(sounds);
    m_frozenSources = std::move(sources);
    for (const auto& [what, source] : m_frozenSources)
        m_engine->setSource(project::frozenFileId(what), source);
    sendSession();
    emit frozenChanged();
}

std::vector<Id> Playback::playedFrozen() const {
    return project::playedFrozen(m_document.session(), m_frozen);
}

} // namespace cask::app
