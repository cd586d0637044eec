// How sound files come into the open session, and are found again.
#include "app/document/document.h"
#include "core/project/source_check.h"
#include "core/session/intake.h"

#include <algorithm>

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
    auto sheet = session::makeKitSheet(scan.files);
    for (auto& row : sheet.rows) // nobody was asked: nothing is left out
        row.isWanted = true;
    takeSheet(sheet, -1, dropped);
}

void Document::takeSheet(const session::KitSheet& sheet, int take, const std::vector<fs::path>& dropped) {
    std::vector<session::IntakeFile> files; // that something is made of
    for (std::size_t i = 0; i < sheet.files.size(); ++i)
        if (std::any_of(sheet.rows.begin(), sheet.rows.end(), [&](const session::SheetRow& row) {
                return row.file == i && row.isWanted && (take < 0 || row.take == take);
            }))
            files.push_back(sheet.files[i]);
    if (files.empty())
        return;
    const auto before = session().elements;
    session::Session s = session();
    if (before.empty()) {
        s.sampleRateHz = session::commonRate(files);
        if (m_isUntitled && dropped.size() == 1)
            s.name = dropped.front().stem().string();
        if (m_isUntitled && take >= 0 && sheet.takes.size() > 1)
            s.name += ", " + sheet.takes[static_cast<std::size_t>(take)];
    }
    const bool rateChanges = s.sampleRateHz != session().sampleRateHz;
    s = session::withKitSheet(std::move(s), sheet, take);
    const auto isNew = [&](const auto& e) {
        return std::none_of(before.begin(), before.end(), [&](const auto& old) { return old->id == e->id; });
    };
    if (const auto first = std::find_if(s.elements.begin(), s.elements.end(), isNew);
        first != s.elements.end())
        m_selected = (*first)->id;
    m_also.clear();
    edit(std::move(s), files.size() == 1 ? tr("Import a file") : tr("Import %1 files").arg(files.size()), {},
         Spreads::No);
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
