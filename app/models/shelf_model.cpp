#include "app/models/shelf_model.h"

#include "app/models/priorities.h"
#include "app/theme/theme.h"
#include "core/base/hash.h"
#include "core/layers/one_shot.h"
#include "core/project/offline_sources.h"
#include "core/project/played_files.h"

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr int kTypingMs = 80;
constexpr int kFolderQuietMs = 1500; // a copy of many files is one change
constexpr int kMostWatched = 4000;   // folders
constexpr int kComplementsMeasured = 100;
constexpr int kMostLike = 200;

QString text(const std::filesystem::path& path) {
    return QString::fromStdString(path.string());
}

QString whyOf(const layers::PairScore& score) {
    return ShelfModel::tr("fills %1 dB, attack %2 dB%3")
        .arg(dbText(score.fillDb), signedDb(score.attackDb),
             score.lowClash >= 0.1 ? ShelfModel::tr(", two low ends") : QString());
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
    connect(&m_endTimer, &QTimer::timeout, this, [this] {
        endHearing();
        m_desk.playback.stop();
    });
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

void ShelfModel::search(const layers::ShelfQuery& query) {
    m_question = Question::Search;
    m_subject.clear();
    m_query = query;
    m_query.most = kMostRows;
    m_askTimer.start(kTypingMs);
}

void ShelfModel::askLike(const std::filesystem::path& sound) {
    m_question = Question::Like;
    m_about = sound;
    m_moment.reset();
    m_subject = tr("like %1").arg(text(sound.stem()));
    m_askTimer.start(0);
}

void ShelfModel::askLikeMoment() {
    constexpr double kLongestS = 4;
    const Id element = m_desk.document.selected();
    const auto hits = m_desk.hits.selectedStretchesS();
    if (m_desk.document.session().element(element) == nullptr)
        return;
    if (!hits.empty())
        m_moment = hits.front();
    else if (m_desk.playback.hasLoop())
        m_moment = std::pair(m_desk.playback.loopStartS(), m_desk.playback.loopEndS());
    else {
        m_status = tr("Choose a hit on the strip, or loop a moment, and ask again.");
        emit progressChanged();
        return;
    }
    m_moment->second = std::min(m_moment->second, m_moment->first + kLongestS);
    m_question = Question::Like;
    m_subject = tr("like %1 at %2 s")
                    .arg(QString::fromStdString(m_desk.document.session().nameOf(element)),
                         QString::number(m_moment->first, 'f', 2));
    m_askTimer.start(0);
}

void ShelfModel::askComplement(const std::filesystem::path& sound) {
    m_question = Question::Complement;
    m_about = sound;
    m_moment.reset();
    m_subject = tr("what complements %1").arg(text(sound.stem()));
    m_askTimer.start(0);
}

namespace {

/// Looks at a stretch of an element as a sound that is struck once.
Result<measure::SoundLook> lookAtMoment(const session::Session& s, const std::filesystem::path& folder,
                                        Id element, std::pair<double, double> moment,
                                        const CancelToken& cancel) {
    const auto* e = s.element(element);
    const auto sources = project::openOfflineSources(s, folder, cancel);
    if (!sources)
        return sources.error();
    measure::Sound sound;
    for (const auto& channel : e->channels) {
        const auto found = sources->sources.find(channel.file);
        if (found == sources->sources.end() || found->second == nullptr)
            continue;
        sound.emplace_back(
            static_cast<std::size_t>(secondsToFrames(moment.second - moment.first, s.sampleRateHz)));
        (void)found->second->read(
            channel.channel, secondsToFrames(moment.first, s.sampleRateHz) - e->startFrame, sound.back());
    }
    auto look = sound.empty() ? std::nullopt : measure::lookOf(sound, s.sampleRateHz);
    if (!look)
        return Error{ErrorCode::Empty, "There is nothing to hear at that moment; nothing is like it."};
    return *look;
}

Result<std::vector<ShelfModel::Row>> likeRows(const layers::Shelf& shelf, const measure::SoundLook& look,
                                              const std::string& hash) {
    const auto answers = shelf.like(look, kMostLike, hash);
    if (!answers)
        return answers.error();
    std::vector<ShelfModel::Row> rows;
    for (const auto& answer : *answers)
        rows.push_back({answer.sound, QString::number(answer.unlikeness, 'f', 1)});
    return rows;
}

Result<std::vector<ShelfModel::Row>> likeFile(const layers::Shelf& shelf, const std::filesystem::path& file) {
    const auto shot = layers::readOneShot(file);
    if (!shot)
        return shot.error();
    const auto look = measure::lookOf(shot->sound, shot->rateHz);
    if (!look)
        return Error{ErrorCode::Empty, file.string() + " is silent; nothing is like it."};
    const auto hash = hashFile(file);
    return likeRows(shelf, *look, hash ? *hash : std::string());
}

} // namespace

void ShelfModel::ask() {
    m_cancelAsk.cancel();
    m_cancelAsk = CancelToken();
    m_isAsking = true;
    const int generation = ++m_askGeneration;
    emit progressChanged();
    m_jobs.post(
        [this, generation, file = m_file, question = m_question, query = m_query, about = m_about,
         moment = m_moment, snapshot = m_desk.document.snapshot(), folder = m_desk.document.folder(),
         element = m_desk.document.selected(), cancel = m_cancelAsk] {
            Asked asked;
            const auto answer = [&]() -> Result<std::vector<Row>> {
                auto shelf = layers::Shelf::open(file);
                if (!shelf)
                    return shelf.error();
                std::vector<Row> rows;
                if (question == Question::Search) {
                    auto sounds = shelf->search(query);
                    if (!sounds)
                        return sounds.error();
                    for (auto& sound : *sounds)
                        rows.push_back({std::move(sound), {}});
                    return rows;
                }
                if (question == Question::Like) {
                    if (!moment)
                        return likeFile(*shelf, about);
                    const auto look = lookAtMoment(*snapshot, folder, element, *moment, cancel);
                    return look ? likeRows(*shelf, *look, {}) : look.error();
                }
                auto partners = layers::partnersOf(*shelf, about, kComplementsMeasured, cancel);
                if (!partners)
                    return partners.error();
                for (auto& partner : *partners)
                    rows.push_back({std::move(partner.sound), whyOf(partner.score)});
                return rows;
            }();
            if (answer)
                asked.rows = *answer;
            else
                asked.problem = QString::fromStdString(answer.error().message);
            QMetaObject::invokeMethod(
                this, [this, generation, asked = std::move(asked)] { take(generation, asked); },
                Qt::QueuedConnection);
        },
        kPairPriority);
}

void ShelfModel::take(int generation, Asked asked) {
    if (generation != m_askGeneration)
        return;
    m_isAsking = false;
    m_rows = std::move(asked.rows);
    if (!asked.problem.isEmpty())
        m_status = asked.problem;
    emit rowsChanged();
    emit progressChanged();
}

void ShelfModel::hear(const std::filesystem::path& sound, project::TrialPlace place) {
    m_cancelHear.cancel();
    m_cancelHear = CancelToken();
    m_endTimer.stop();
    const int generation = ++m_hearGeneration;
    m_heard = sound;
    m_hearingText.clear();
    emit hearingChanged();
    const auto& s = m_desk.document.session();
    project::TrialQuestion question{sound,
                                    place,
                                    m_desk.document.selected(),
                                    {},
                                    m_desk.playback.isPlaying() ? 0 : m_desk.playback.positionS()};
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
    m_desk.playback.setTrial(std::nullopt);
    emit hearingChanged();
}

} // namespace cask::app
