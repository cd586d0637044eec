#include "app/models/freeze_model.h"

#include "core/base/file_system.h"
#include "core/media/chunked_source.h"
#include "core/session/session_store.h"

#include <algorithm>

namespace cask::app {

FreezeModel::FreezeModel(Document& document, Playback& playback, QObject* parent)
    : QObject(parent), m_document(document), m_playback(playback) {
    connect(&document, &Document::opened, this, &FreezeModel::open);
    connect(&document, &Document::changed, this, &FreezeModel::follow);
    open();
}

bool FreezeModel::isFrozen(Id what) const {
    return std::find(m_frozen.begin(), m_frozen.end(), what) != m_frozen.end();
}

void FreezeModel::open() {
    m_frozen = project::readFrozen(m_document.store().cacheFolder());
    m_playback.setFrozen({}, {});
    follow();
}

void FreezeModel::remember() {
    // A session that can't be written to is frozen while it is open.
    (void)project::writeFrozen(m_document.store().cacheFolder(), m_frozen);
}

/// Of one that is not wanted any more; it may still be read.
void FreezeModel::removeFile(Id what, const std::string& but) {
    const auto& sounds = m_playback.frozen();
    const auto found = sounds.find(what);
    if (found != sounds.end() && !found->second.key.empty() && found->second.key != but)
        (void)diskFileSystem().remove(
            project::frozenFile(m_document.store().cacheFolder(), found->second.key));
}

void FreezeModel::take(Id what) {
    removeFile(what, project::freezeKey(m_document.session(), what));
    if (!isFrozen(what)) {
        m_frozen.push_back(what);
        remember();
    }
    follow();
}

void FreezeModel::thaw(Id what) {
    removeFile(what, {});
    std::erase(m_frozen, what);
    remember();
    follow();
}

void FreezeModel::follow() {
    const auto& s = m_document.session();
    auto sounds = m_playback.frozen();
    const auto before = sounds;
    auto sources = m_playback.frozenSources();
    std::erase_if(sounds, [&](const auto& item) { return !isFrozen(item.first); });
    for (const Id what : m_frozen) {
        if (s.output(what) == nullptr) { // gone; undo may bring it back
            sounds.erase(what);
            continue;
        }
        auto& sound = sounds[what];
        const std::string key = project::freezeKey(s, what);
        if (sound.key == key)
            continue;
        const auto file = project::frozenFile(m_document.store().cacheFolder(), key);
        if (!diskFileSystem().exists(file))
            continue;
        if (const auto source = media::ChunkedSource::open(file)) {
            sound = {key, (*source)->channels(), (*source)->frames()};
            sources[what] = *source;
        }
    }
    std::erase_if(sources, [&](const auto& item) { return !sounds.contains(item.first); });
    if (sounds != before)
        m_playback.setFrozen(std::move(sounds), std::move(sources));
}

} // namespace cask::app
