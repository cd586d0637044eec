// Makes files playable and measures them in the background.
#pragma once

#include "app/document/document.h"

#include <QObject>
#include <QTimer>

#include <core/base/job_group.h>
#include <core/base/progress.h>
#include <core/base/worker_pool.h>
#include <core/measure/file_analysis.h>
#include <core/media/chunked_source.h>
#include <core/project/measured_files.h>
#include <map>
#include <memory>
#include <set>

namespace cask::app {

enum class FileStatus { Waiting, Converting, Measuring, Ready, Failed };

struct FileState {
    FileStatus status = FileStatus::Waiting;
    double share = 0;       ///< of the work under way, 0-1
    QString problem;        ///< when it failed
    bool isMissing = false; ///< it is not where the session says
    bool isChanged = false; ///< it is there, and another one than was imported
    bool isConverted = false;
    QStringList warnings;
    std::shared_ptr<media::ChunkedSource> source;
    std::shared_ptr<const measure::FileTrails> trails; ///< for the hits: there before the other measures
    int trailsNumber = 0;                              ///< another one for all trails that were ever there
    std::shared_ptr<const measure::FileAnalysis> analysis;
    session::SourceFile known; ///< the session's record that this state is of
};

/// Control thread only; its jobs run in a pool and report back by queued calls.
class Analyst : public QObject {
    Q_OBJECT

  public:
    explicit Analyst(Document& document, QObject* parent = nullptr);
    ~Analyst() override;

    [[nodiscard]] const FileState* file(Id file) const;
    /// State of an element's (first) file.
    [[nodiscard]] const FileState* element(Id element) const;
    [[nodiscard]] int filesTotal() const { return static_cast<int>(m_files.size()); }
    [[nodiscard]] int filesDone() const;
    [[nodiscard]] bool isBusy() const { return filesDone() < filesTotal() || m_telling.isActive(); }
    [[nodiscard]] double progress() const;
    /// Stops measuring what is not measured yet; playing goes on.
    void stop();
    /// For other work off the control thread.
    [[nodiscard]] WorkerPool& pool() { return m_pool; }

  signals:
    /// A file became playable.
    void sourceReady(cask::session::Id file);
    /// Of a file's state; several changes of a moment are told as one.
    void fileChanged(cask::session::Id file);
    /// After those of all files that changed.
    void progressChanged();

  private:
    /// Gives elements a role from their sound where the name gave none.
    void takeRole(Id file, const measure::FileFacts& facts);
    void restart();
    void follow();
    void begin(const session::SourceFile& file);
    void findRises(Id file, const project::ReadyFile& ready);
    void measure(Id file, const project::ReadyFile& ready);
    void update(Id file, int generation, const std::function<void(FileState&)>& change);
    /// How far it is: that is progress, and no change of what is known.
    void updateShare(Id file, int generation, double share);
    void tellSoon();

    Document& m_document;
    std::map<Id, FileState> m_files;
    CancelToken m_cancel;
    std::map<Id, int> m_generations; // of each file's state: reports for an older one are dropped
    int m_trailsCount = 0;
    QTimer m_telling;
    std::set<Id> m_untold; // files that changed since
    double m_rateHz = 0;
    WorkerPool m_pool;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
