// What playback measures in the background: loudness of what is compared, headroom.
#include "app/models/playback.h"
#include "app/models/priorities.h"
#include "core/project/offline_sources.h"
#include "core/session/states.h"

#include <cmath>
#include <utility>

namespace cask::app {

void Playback::takeLetterMatch(const std::string& first, const project::LoudnessMatch& match) {
    m_letterMatch = match;
    if (first != "A") {
        std::swap(m_letterMatch->firstLufs, m_letterMatch->secondLufs);
        std::swap(m_letterMatch->firstGainDb, m_letterMatch->secondGainDb);
    }
    if (m_equallyLoud == EquallyLoud::Letters)
        sendSession();
    emit comparisonChanged();
}

void Playback::scheduleMeasures() {
    m_cancelMeasures.cancel();
    ++m_measureGeneration; // what is still under way measures what was
    m_measureTimer.start();
    if (m_measuresHeadroom && m_isMatching)
        return;
    m_isMatching = m_measuresHeadroom = true;
    emit headroomChanged();
    emit comparisonChanged();
}

void Playback::startMeasures() {
    const auto snapshot = m_document.snapshot();
    const int generation = ++m_measureGeneration;
    m_cancelMeasures = CancelToken();
    if (snapshot->lengthFrames() <= 0) {
        m_headroom.reset();
        m_matches = {};
        m_letterMatch.reset();
        m_isMatching = m_measuresHeadroom = false;
        emit headroomChanged();
        emit comparisonChanged();
        return;
    }
    if (session::otherMix(*snapshot) == nullptr)
        m_letterMatch.reset();
    m_isMatching = m_measuresHeadroom = true;
    emit headroomChanged();
    emit comparisonChanged();
    const auto [from, frames] = measuredStretch();
    m_jobs.post(
        [this, snapshot, generation, from = from, frames = frames, kind = comparedWith(),
         cancel = m_cancelMeasures, folder = m_document.folder()] {
            const auto sources = project::openOfflineSources(*snapshot, folder, cancel);
            if (!sources)
                return;
            const auto lookup = sources->lookup();
            // Of both kinds, the one that is compared with first: either is then at hand at once.
            const auto other = kind == session::Untouched::NoProcessing ? session::Untouched::FilesAsTheyCame
                                                                        : session::Untouched::NoProcessing;
            for (const auto of : {kind, other}) {
                const auto match = project::matchLoudness(*snapshot, session::untouched(*snapshot, of),
                                                          lookup, from, frames, cancel);
                QMetaObject::invokeMethod(
                    this,
                    [this, generation, match, of] {
                        if (generation != m_measureGeneration || !match)
                            return;
                        m_matches[static_cast<std::size_t>(of)] = *match;
                        m_isMatching = m_isMatching && !this->match().has_value();
                        if (isComparedEqually() && of == comparedWith())
                            sendSession();
                        emit comparisonChanged();
                    },
                    Qt::QueuedConnection);
            }
            if (const auto* otherMix = session::otherMix(*snapshot)) {
                const auto match = project::matchLoudness(*snapshot, session::mixedAs(*snapshot, *otherMix),
                                                          lookup, from, frames, cancel);
                QMetaObject::invokeMethod(
                    this,
                    [this, generation, match, letter = session::letterOf(*snapshot)] {
                        if (generation == m_measureGeneration && match)
                            takeLetterMatch(letter, *match);
                    },
                    Qt::QueuedConnection);
            }
            const auto headroom = kit::measureHeadroom(*snapshot, lookup, cancel);
            QMetaObject::invokeMethod(
                this,
                [this, generation, headroom] {
                    if (generation != m_measureGeneration || !headroom)
                        return;
                    m_headroom = *headroom;
                    m_measuresHeadroom = false;
                    emit headroomChanged();
                },
                Qt::QueuedConnection);
        },
        kHeadroomPriority);
}

std::pair<Frames, Frames> Playback::measuredStretch() const {
    const double rate = m_document.session().sampleRateHz;
    const Frames from = secondsToFrames(m_loopStartS, rate);
    return {from, hasLoop() ? secondsToFrames(m_loopEndS, rate) - from : 0};
}

double Playback::matchGainDb() const {
    if (m_audition)
        return m_auditionGainDb;
    if (m_reference || m_equallyLoud == EquallyLoud::Reference) {
        const auto& mix = match();
        const double differenceDb = mix && m_referenceLufs > kSilentLufs && mix->firstLufs > kSilentLufs
                                        ? mix->firstLufs - m_referenceLufs
                                        : 0;
        return std::min(0.0, m_reference ? differenceDb : -differenceDb);
    }
    if (const auto& found = match(); found && isComparedEqually())
        return m_isComparing ? found->secondGainDb : found->firstGainDb;
    if (m_letterMatch && m_equallyLoud == EquallyLoud::Letters)
        return session::letterOf(m_document.session()) == "A" ? m_letterMatch->firstGainDb
                                                              : m_letterMatch->secondGainDb;
    if (const auto* out = m_document.session().output(m_widthElement);
        out != nullptr && m_equallyLoud == EquallyLoud::Widths)
        if (const auto gain = m_widthGains.find(static_cast<int>(std::lround(out->widthPercent)));
            gain != m_widthGains.end())
            return gain->second;
    return 0;
}

void Playback::takeWidthGains(Id element, std::map<int, double> gains) {
    m_widthElement = element;
    m_widthGains = std::move(gains);
    if (m_equallyLoud == EquallyLoud::Widths)
        sendSession();
}

} // namespace cask::app
