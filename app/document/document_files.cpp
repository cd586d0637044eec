// How sound files come into the open session, and are found again.
#include "app/document/document.h"
#include "core/project/source_check.h"
#include "core/session/intake.h"

namespace cask::app {

namespace fs = std::filesystem;

void Document::import(const QStringList& paths) {
    std::vector<fs::path> dropped;
    for (const auto& path : paths)
        dropped.push_back(fs::path(path.toStdString()));
    takeIn(project::scanIntake(dropped), dropped);
}

void Document::takeIn(const project::IntakeScan& scan, const std::vector<fs::path>& dropped) {
    for (const auto& sentence : scan.problems)
        m_notes << QString::fromStdString(sentence);
    for (const auto& sentence : scan.warnings)
        m_notes << QString::fromStdString(sentence);
    emit notesChanged();
    if (scan.files.empty())
        return;
    const bool isFirst = session().elements.empty();
    session::Session s = session();
    if (isFirst) {
        s.sampleRateHz = session::commonRate(scan.files);
        if (m_isUntitled && dropped.size() == 1)
            s.name = dropped.front().stem().string();
    }
    const bool rateChanges = s.sampleRateHz != session().sampleRateHz;
    s = session::withFiles(std::move(s), scan.files);
    const Id first = s.elements[session().elements.size()]->id;
    m_selected = first;
    edit(std::move(s),
         scan.files.size() == 1 ? tr("Import a file") : tr("Import %1 files").arg(scan.files.size()));
    if (rateChanges)
        emit opened(); // the engine runs at the session's rate
    emit selectionChanged();
}

void Document::relink(Id file, const QString& path) {
    const auto found = project::relinkedFiles(session(), folder(), file, fs::path(path.toStdString()));
    QStringList problems;
    for (const auto& sentence : found.problems)
        problems << QString::fromStdString(sentence);
    takeRelinked(found.files, problems);
}

void Document::takeRelinked(const std::vector<session::SourceFile>& files, const QStringList& problems) {
    for (const auto& sentence : problems)
        addNote(sentence);
    session::Session s = session();
    for (auto& item : s.files)
        for (const auto& now : files)
            if (item->id == now.id)
                item.edit([&](session::SourceFile& f) { f = now; });
    edit(std::move(s), tr("Relink"));
}

} // namespace cask::app
