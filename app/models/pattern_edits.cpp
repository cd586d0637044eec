#include "app/models/pattern_edits.h"

#include "app/models/priorities.h"
#include "core/layers/stack_file.h"
#include "core/project/played_files.h"

namespace cask::app {
namespace {

std::filesystem::path fileOf(const Document& document, Id element) {
    const auto& s = document.session();
    const auto* e = s.element(element);
    const auto* file = e == nullptr ? nullptr : s.file(e->channels.front().file);
    return file == nullptr ? std::filesystem::path() : session::resolvePath(*file, document.folder());
}

} // namespace

PatternEdits::PatternEdits(Document& document, WorkerPool& pool, QObject* parent)
    : QObject(parent), m_document(document), m_jobs(pool) {
    connect(&document, &Document::opened, this, [this] { m_waiting.clear(); });
}

bool PatternEdits::isPlayed(Id element) const {
    return layers::isStackFile(fileOf(m_document, element));
}

void PatternEdits::edit(Id element, std::vector<layers::StrikeEdit> edits, const QString& label) {
    if (m_document.isReadOnly())
        return;
    m_waiting.push_back({element, std::move(edits), label});
    next();
}

void PatternEdits::next() {
    if (m_isWriting || m_waiting.empty())
        return;
    auto now = std::move(m_waiting.front());
    m_waiting.pop_front();
    const auto& s = m_document.session();
    const auto* e = s.element(now.element);
    if (e == nullptr || !isPlayed(now.element)) {
        next();
        return;
    }
    const double startS = framesToSeconds(e->startFrame, s.sampleRateHz) + 0.001 * e->input.shiftMs;
    for (auto& edit : now.edits)
        edit.timeS -= startS;
    m_isWriting = true;
    m_jobs.post(
        [this, now = std::move(now), file = fileOf(m_document, now.element), name = e->name,
         source = e->channels.front().file, snapshot = m_document.snapshot(), folder = m_document.folder()] {
            int applied = 0;
            const auto written = [&]() -> Result<std::vector<project::ChangedStack>> {
                const auto stack = layers::readStack(file);
                if (!stack)
                    return stack.error();
                const auto edited = layers::withStrikeEdits(*stack, now.edits, &applied);
                if (applied == 0)
                    return Error{ErrorCode::NotFound, name + " has no strike there."};
                return project::writeEdited(*snapshot, folder, source, edited);
            }();
            QMetaObject::invokeMethod(
                this,
                [this, written, folder, source, label = now.label] {
                    m_isWriting = false;
                    if (!written)
                        m_document.addNote(QString::fromStdString(written.error().message) +
                                           tr(" The pattern stays as it was."));
                    else if (folder == m_document.folder() && m_document.session().file(source) != nullptr)
                        m_document.edit(project::withChangedStacks(m_document.session(), *written), label, {},
                                        Document::Spreads::No);
                    next();
                },
                Qt::QueuedConnection);
        },
        kLayersPriority);
}

} // namespace cask::app
