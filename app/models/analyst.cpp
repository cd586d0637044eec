#include "app/models/analyst.h"

#include "core/advise/role_guess.h"

#include <QLocale>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

namespace fs = std::filesystem;
constexpr int kThreads = 2;
constexpr int kPreparing = 0; // playing comes before measuring
constexpr int kRises = 1;     // hits come before everything else that is measured
constexpr int kMeasuring = 2;
constexpr int kTellingMs = 40; // news of many files come together

} // namespace

Analyst::Analyst(Document& document, QObject* parent)
    : QObject(parent), m_document(document), m_pool(kThreads), m_jobs(m_pool) {
    connect(&document, &Document::opened, this, &Analyst::restart);
    connect(&document, &Document::changed, this, &Analyst::follow);
    m_telling.setSingleShot(true);
    m_telling.setInterval(kTellingMs);
    connect(&m_telling, &QTimer::timeout, this, [this] {
        for (const Id file : std::exchange(m_untold, {}))
            emit fileChanged(file);
        emit progressChanged();
    });
    restart();
}

Analyst::~Analyst() {
    m_cancel.cancel();
}

const FileState* Analyst::file(Id id) const {
    const auto it = m_files.find(id);
    return it == m_files.end() ? nullptr : &it->second;
}

const FileState* Analyst::element(Id id) const {
    const auto* e = m_document.session().element(id);
    return e == nullptr || e->channels.empty() ? nullptr : file(e->channels.front().file);
}

int Analyst::filesDone() const {
    return static_cast<int>(std::count_if(m_files.begin(), m_files.end(), [](const auto& item) {
        return item.second.status == FileStatus::Ready || item.second.status == FileStatus::Failed;
    }));
}

double Analyst::progress() const {
    if (m_files.empty())
        return 1;
    double sum = 0;
    for (const auto& [id, state] : m_files)
        sum += state.status == FileStatus::Ready || state.status == FileStatus::Failed ? 1 : state.share;
    return sum / static_cast<double>(m_files.size());
}

void Analyst::stop() {
    m_cancel.cancel();
    m_cancel = CancelToken();
}

void Analyst::restart() {
    m_cancel.cancel();
    m_cancel = CancelToken();
    m_files.clear();
    m_rateHz = m_document.session().sampleRateHz;
    follow();
    emit progressChanged();
}

void Analyst::follow() {
    const auto& s = m_document.session();
    if (s.sampleRateHz != m_rateHz) // an opened() follows and starts anew
        return;
    std::erase_if(m_files, [&](const auto& item) { return s.file(item.first) == nullptr; });
    for (const auto& file : s.files) {
        const auto it = m_files.find(file->id);
        if (it == m_files.end() || it->second.known != *file)
            begin(*file);
    }
}

void Analyst::update(Id file, int generation, const std::function<void(FileState&)>& change) {
    QMetaObject::invokeMethod(
        this,
        [this, file, generation, change] {
            const auto it = m_files.find(file);
            if (generation != m_generations[file] || it == m_files.end())
                return;
            const auto before = it->second.source;
            change(it->second);
            if (it->second.source != before)
                emit sourceReady(file);
            m_untold.insert(file);
            tellSoon();
        },
        Qt::QueuedConnection);
}

void Analyst::tellSoon() {
    if (!m_telling.isActive())
        m_telling.start();
}

void Analyst::updateShare(Id file, int generation, double share) {
    QMetaObject::invokeMethod(
        this,
        [this, file, generation, share] {
            const auto it = m_files.find(file);
            if (generation != m_generations[file] || it == m_files.end())
                return;
            it->second.share = share;
            tellSoon();
        },
        Qt::QueuedConnection);
}

void Analyst::begin(const session::SourceFile& file) {
    FileState state;
    state.known = file;
    m_files[file.id] = std::move(state);
    const fs::path folder = m_document.folder();
    const int generation = ++m_generations[file.id];
    const auto fail = [this, id = file.id, generation](const Error& error) {
        update(id, generation,
               [problem = QString::fromStdString(error.message), code = error.code](FileState& s) {
                   s.status = FileStatus::Failed;
                   s.problem = problem;
                   s.isMissing = code == ErrorCode::NotFound;
                   s.isChanged = code == ErrorCode::ChangedOnDisk;
               });
    };
    m_jobs.post(
        [this, file, folder, generation, fail, rate = m_rateHz, cancel = m_cancel] {
            const Id id = file.id;
            const auto told = [&](const project::CheckedSource& checked, bool converts) {
                QStringList warnings;
                for (const auto& w : checked.info.warnings)
                    warnings << QString::fromStdString(w);
                update(id, generation, [=](FileState& s) {
                    s.warnings = warnings;
                    s.status = converts ? FileStatus::Converting : FileStatus::Measuring;
                });
            };
            const auto ready = project::readyFile(
                file, folder, rate, cancel, [&](double share) { updateShare(id, generation, share / 2); },
                told);
            if (!ready)
                return fail(ready.error());
            auto source = media::ChunkedSource::open(ready->prepared.playable);
            if (!source)
                return fail(source.error());
            update(id, generation, [src = *source, converted = ready->prepared.isConverted](FileState& s) {
                s.source = src;
                s.isConverted = converted;
                s.status = FileStatus::Measuring;
            });
            QMetaObject::invokeMethod(
                this,
                [this, id, generation, ready = *ready] {
                    if (m_generations[id] != generation)
                        return;
                    findRises(id, ready);
                    measure(id, ready);
                },
                Qt::QueuedConnection);
        },
        kPreparing);
}

void Analyst::findRises(Id file, const project::ReadyFile& ready) {
    m_jobs.post(
        [this, file, ready, generation = m_generations[file], cancel = m_cancel] {
            const auto trails = project::trailsOf(ready, cancel);
            if (trails) // whatever is wrong with the file, its measures say it too
                update(file, generation, [this, trails](FileState& s) {
                    s.trails = *trails;
                    s.trailsNumber = ++m_trailsCount;
                });
        },
        kRises);
}

void Analyst::measure(Id file, const project::ReadyFile& ready) {
    const int generation = m_generations[file];
    m_jobs.post(
        [this, file, ready, generation, cancel = m_cancel] {
            double last = 0;
            const auto progress = [&](double share) {
                if (share - last < 0.05)
                    return;
                last = share;
                updateShare(file, generation, 0.5 + share / 2);
            };
            const auto analysis = project::analysisOf(ready, cancel, progress);
            update(file, generation, [this, file, analysis](FileState& s) {
                if (analysis) {
                    s.analysis = *analysis;
                    s.status = FileStatus::Ready;
                    takeRole(file, (*analysis)->facts);
                } else {
                    s.status = FileStatus::Failed;
                    s.problem = QString::fromStdString(analysis.error().message);
                }
            });
        },
        kMeasuring);
}

void Analyst::takeRole(Id file, const measure::FileFacts& facts) {
    auto next = advise::withRoleFromSound(m_document.session(), file, facts);
    if (next != m_document.session())
        m_document.edit(std::move(next), tr("Roles from sound"), QStringLiteral("roles from sound"),
                        Document::Spreads::No);
}

} // namespace cask::app
