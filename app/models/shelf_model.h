// The user's shelf of one-shots: indexed, asked, mapped, and heard in the session.
#pragma once

#include "app/models/desk.h"

#include <QFileSystemWatcher>
#include <QObject>
#include <QTimer>

#include <array>
#include <core/base/job_group.h>
#include <core/layers/complement.h>
#include <core/layers/shelf.h>
#include <core/layers/shelf_map.h>
#include <core/project/sound_trial.h>
#include <filesystem>
#include <map>
#include <memory>
#include <optional>
#include <vector>

namespace cask::app {

/// Control thread only; the shelf is read and written in the pool.
class ShelfModel : public QObject {
    Q_OBJECT

  public:
    static constexpr int kMostRows = 1000;

    /// What stands in the list: the answer to a question.
    struct Row {
        layers::ShelfSound sound;
        QString why; ///< how like it is, or what it brings; empty of a search
    };
    /// What the question is about, where it is no search.
    enum class Question { Search, Like, Complement, OnBass };

    explicit ShelfModel(const Desk& desk, QObject* parent = nullptr);
    ~ShelfModel() override;
    /// Another shelf than the user's own.
    void setFile(const std::filesystem::path& file);
    /// Looks at the folders when it begins, and from then on whenever something changes in them.
    void setActive(bool active);

    [[nodiscard]] const std::vector<std::filesystem::path>& folders() const { return m_folders; }
    [[nodiscard]] int count() const { return m_count; }
    void addFolder(const std::filesystem::path& folder);
    void forgetFolder(const std::filesystem::path& folder);
    [[nodiscard]] bool isIndexing() const { return m_isIndexing; }
    [[nodiscard]] double progress() const { return m_progress; }
    /// Of indexing or of a question.
    void stop();
    /// What came of it last, in words.
    [[nodiscard]] QString status() const { return m_status; }

    void search(const layers::ShelfQuery& query);
    void askLike(const std::filesystem::path& sound);
    /// Like the chosen hit of the selected element, or its loop where no hit is chosen.
    void askLikeMoment();
    void askComplement(const std::filesystem::path& sound);
    /// Kicks by what they do on the session's bass, struck by the selected kick or the first one.
    void askOnBass();
    [[nodiscard]] const layers::ShelfQuery& query() const { return m_query; }
    [[nodiscard]] Question question() const { return m_question; }
    /// What is asked about, in words; empty of a search.
    [[nodiscard]] QString subject() const { return m_subject; }
    [[nodiscard]] bool isAsking() const { return m_isAsking || m_askTimer.isActive(); }
    [[nodiscard]] const std::vector<Row>& rows() const { return m_rows; }

    [[nodiscard]] const layers::ShelfMap& map() const { return m_map; }
    /// Of the map's places, by the number of a sound.
    [[nodiscard]] std::optional<std::array<float, 2>> placeOf(std::int64_t sound) const;
    [[nodiscard]] bool isMapping() const { return m_isMapping; }

    /// Heard until end(), or until the session changes.
    void hear(const std::filesystem::path& sound, project::TrialPlace place);
    void endHearing();
    [[nodiscard]] const std::filesystem::path& heard() const { return m_heard; }
    /// By how much it was turned to be as loud, or why it can't be heard.
    [[nodiscard]] QString hearingText() const { return m_hearingText; }

  signals:
    void foldersChanged();
    void rowsChanged();
    void mapChanged();
    void progressChanged();
    void hearingChanged();

  private:
    struct Asked {
        std::vector<Row> rows;
        QString problem;
    };
    void index(const std::vector<std::filesystem::path>& folders);
    void readState();
    void ask();
    void take(int generation, Asked asked);
    void watch();
    void takeTrial(int generation, const project::TrialQuestion& question,
                   const Result<project::SoundTrial>& trial);

    Desk m_desk;
    std::filesystem::path m_file;
    bool m_isActive = false;
    bool m_hasLooked = false; ///< through the folders, since it began
    std::vector<std::filesystem::path> m_folders;
    std::vector<std::filesystem::path> m_pending; ///< to be indexed after those under way
    int m_count = 0;
    bool m_isIndexing = false;
    double m_progress = 0;
    QString m_status;
    Question m_question = Question::Search;
    layers::ShelfQuery m_query;
    std::filesystem::path m_about;
    std::optional<std::pair<double, double>> m_moment; ///< of the selected element, instead of a file
    QString m_subject;
    bool m_isAsking = false;
    int m_askGeneration = 0;
    std::vector<Row> m_rows;
    layers::ShelfMap m_map;
    std::map<std::int64_t, std::size_t> m_places;
    bool m_isMapping = false;
    std::filesystem::path m_heard;
    QString m_hearingText;
    std::optional<double> m_backToS; ///< where the playhead was, of a sound heard by itself
    int m_hearGeneration = 0;
    QTimer m_askTimer;
    QTimer m_watchTimer;
    QTimer m_endTimer;
    QFileSystemWatcher m_watcher;
    CancelToken m_cancelIndex, m_cancelAsk, m_cancelHear;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
