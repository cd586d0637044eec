// Sounds that are dropped on layers, or asked for.
#pragma once

#include <QMimeData>
#include <QObject>
#include <QStringList>
#include <QUrl>

#include <algorithm>

namespace cask::app {

inline QString soundsFilter() {
    return QObject::tr("Sounds (*.wav *.flac *.aif *.aiff *.ogg *.mp3)");
}

/// Nothing but sounds, and kits (SFZ) if they are wanted: sessions and folders are the window's.
inline bool holdsSounds(const QMimeData& data, bool withKits) {
    static const QStringList kEndings = {QStringLiteral(".wav"), QStringLiteral(".flac"),
                                         QStringLiteral(".aif"), QStringLiteral(".aiff"),
                                         QStringLiteral(".ogg"), QStringLiteral(".mp3")};
    const auto urls = data.urls();
    return !urls.isEmpty() && std::all_of(urls.begin(), urls.end(), [&](const QUrl& url) {
        const QString file = url.toLocalFile().toLower();
        return (withKits && file.endsWith(QLatin1String(".sfz"))) ||
               std::any_of(kEndings.begin(), kEndings.end(),
                           [&](const QString& ending) { return file.endsWith(ending); });
    });
}

inline QStringList filesOf(const QMimeData& data) {
    QStringList files;
    for (const auto& url : data.urls())
        if (url.isLocalFile())
            files << url.toLocalFile();
    return files;
}

} // namespace cask::app
