#include "app/models/shelf_model.h"

#include "app/models/priorities.h"

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr int kFolderQuietMs = 1500; // a copy of many files is one change
constexpr int kMostWatched = 4000;   // folders

QString text(const std::filesystem::path& path) {
    return QString::fromStdString(path.string());
}

} // namespace

ShelfModel::ShelfModel(const Desk& desk, QObject* parent)
    : QObject(parent), m_desk(desk), m_file(layers::Shelf::usersFile()), m_jobs(desk.analyst.pool()) {
    m_query.most = kMostRows;
    for (auto* timer : {&m_askTimer, &m_watchTimer, &m_endTimer})
        timer->setSingleShot(true);
    connect(&m_askTimer, &QTimer::timeout, this, qOverload<>(&ShelfModel::ask));
    connect(&m_watchTimer, &QTimer::timeout, this, [this] { index(m_folders); });
    connect(&m_watcher, &QFileSystemWatcher::directoryChanged, this,
            [this] { m_watchTimer.start(kFolderQuietMs); });
    connect(&m_endTimer, &QTimer::timeout, this, &ShelfModel::endHearing);
    // What was tried belonged to the session as it was.
    for (const auto signal : {&Document::changed, &Document::opened, &Document::selectionChanged})
        connect(&desk.document, signal, this, &ShelfModel::endHearing);
}

ShelfModel::~ShelfModel() {
    m_cancelIndex.cancel();
    m_cancelAsk.cancel();
    m_cancelHear.cancel();
}

void ShelfModel::setFile(const std::filesystem::path& file) {
    m_file = file;
    m_hasLooked = false;
    readState();
}

void ShelfModel::setActive(bool active) {
    m_isActive = active;
    if (!active)
        endHearing();
    else if (!m_hasLooked)
        readState();
}

/// What is on the shelf, its map, and then what has changed in its folders.
void ShelfModel::readState() {
    m_isMapping = true;
    m_jobs.post(
        [this, file = m_file] {
            struct State {
                std::vector<std::filesystem::path> folders;
                layers::ShelfMap map;
                std::map<std::int64_t, std::size_t> places;
                int count = 0;
                QString problem;
            };
            auto state = std::make_shared<State>();
            if (auto shelf = layers::Shelf::open(file); !shelf) {
                state->problem = QString::fromStdString(shelf.error().message);
            } else {
                if (auto folders = shelf->folders())
                    state->folders = std::move(*folders);
                if (auto sounds = shelf->all()) {
                    state->count = static_cast<int>(sounds->size());
                    state->map = layers::mapOf(*sounds);
                    for (std::size_t i = 0; i < sounds->size(); ++i)
                        state->places[(*sounds)[i].id] = i;
                } else {
                    state->problem = QString::fromStdString(sounds.error().message);
                }
            }
            QMetaObject::invokeMethod(
                this,
                [this, state, file] {
                    if (file != m_file)
                        return;
                    m_isMapping = false;
                    m_folders = std::move(state->folders);
                    m_map = std::move(state->map);
                    m_places = std::move(state->places);
                    m_count = state->count;
                    if (!state->problem.isEmpty())
                        m_status = state->problem;
                    watch();
                    emit foldersChanged();
                    emit mapChanged();
                    m_askTimer.start(0);
                    if (!std::exchange(m_hasLooked, true))
                        index(m_folders);
                },
                Qt::QueuedConnection);
        },
        kHitPriority);
}

void ShelfModel::watch() {
    if (const auto old = m_watcher.directories(); !old.isEmpty())
        m_watcher.removePaths(old);
    QStringList watched;
    for (const auto& folder : m_folders) {
        std::error_code error;
        if (!std::filesystem::is_directory(folder, error))
            continue;
        watched << text(folder);
        const auto options = std::filesystem::directory_options::skip_permission_denied;
        for (auto it = std::filesystem::recursive_directory_iterator(folder, options, error);
             !error && it != std::filesystem::recursive_directory_iterator() && watched.size() < kMostWatched;
             it.increment(error))
            if (it->is_directory(error))
                watched << text(it->path());
    }
    if (!watched.isEmpty())
        m_watcher.addPaths(watched);
}

void ShelfModel::addFolder(const std::filesystem::path& folder) {
    index({folder});
}

void ShelfModel::forgetFolder(const std::filesystem::path& folder) {
    m_jobs.post(
        [this, folder, file = m_file] {
            QString problem;
            if (auto shelf = layers::Shelf::open(file); !shelf)
                problem = QString::fromStdString(shelf.error().message);
            else if (const auto done = shelf->forget(folder); !done)
                problem = QString::fromStdString(done.error().message);
            QMetaObject::invokeMethod(
                this,
                [this, problem, folder] {
                    m_status = problem.isEmpty()
                                   ? tr("%1 is off the shelf; its files stay.").arg(text(folder))
                                   : problem;
                    readState();
                },
                Qt::QueuedConnection);
        },
        kHitPriority);
}

void ShelfModel::index(const std::vector<std::filesystem::path>& folders) {
    if (folders.empty())
        return;
    if (m_isIndexing) { // after those under way
        for (const auto& folder : folders)
            if (std::find(m_pending.begin(), m_pending.end(), folder) == m_pending.end())
                m_pending.push_back(folder);
        return;
    }
    m_isIndexing = true;
    m_progress = 0;
    m_cancelIndex = CancelToken();
    emit progressChanged();
    m_jobs.post(
        [this, folders, file = m_file, cancel = m_cancelIndex] {
            layers::ShelfIndexed all;
            QString problem;
            auto shelf = layers::Shelf::open(file);
            if (!shelf)
                problem = QString::fromStdString(shelf.error().message);
            for (std::size_t i = 0; i < folders.size() && shelf; ++i) {
                const auto done = shelf->index(folders[i], cancel, [&](double share) {
                    const double whole =
                        (static_cast<double>(i) + share) / static_cast<double>(folders.size());
                    QMetaObject::invokeMethod(
                        this,
                        [this, whole] {
                            m_progress = whole;
                            emit progressChanged();
                        },
                        Qt::QueuedConnection);
                });
                if (!done) { // a folder that is not there now keeps its sounds
                    problem = QString::fromStdString(done.error().message);
                    continue;
                }
                all.measured += done->measured;
                all.moved += done->moved;
                all.gone += done->gone;
                all.problems.insert(all.problems.end(), done->problems.begin(), done->problems.end());
            }
            QMetaObject::invokeMethod(
                this,
                [this, all, problem] {
                    m_isIndexing = false;
                    if (!problem.isEmpty())
                        m_status = problem;
                    else if (all.measured + all.moved + all.gone > 0 || !all.problems.empty())
                        m_status = tr("%1 measured, %2 moved, %3 gone%4")
                                       .arg(all.measured)
                                       .arg(all.moved)
                                       .arg(all.gone)
                                       .arg(all.problems.empty()
                                                ? QString()
                                                : tr("; %1 left out: %2")
                                                      .arg(all.problems.size())
                                                      .arg(QString::fromStdString(all.problems.front())));
                    emit progressChanged();
                    if (all.measured + all.moved + all.gone > 0 || !problem.isEmpty() || m_folders.empty())
                        readState();
                    index(std::exchange(m_pending, {}));
                },
                Qt::QueuedConnection);
        },
        kMeasuringPriority);
}

void ShelfModel::stop() {
    m_pending.clear();
    m_cancelIndex.cancel();
    m_cancelAsk.cancel();
}

std::optional<std::array<float, 2>> ShelfModel::placeOf(std::int64_t sound) const {
    const auto found = m_places.find(sound);
    return found == m_places.end() ? std::nullopt : std::optional(m_map.places[found->second]);
}

} // namespace cask::app
