// Makes files playable and measures them in the background.
#pragma once

#include "app/document/document.h"

#include <QObject>

#include <core/base/progress.h>
#include <core/base/worker_pool.h>
#include <core/measure/file_analysis.h>
#include <core/media/chunked_source.h>
#include <map>
#include <memory>

namespace cask::app {

enum class FileStatus { Waiting, Converting, Measuring, Ready, Failed };

struct FileState {
    FileStatus status = FileStatus::Waiting;
    double share = 0;       ///< of the work under way, 0-1
    QString problem;        ///< when it failed
    bool isMissing = false; ///< it is not where the session says
    bool isConverted = false;
    QStringList warnings;
    std::shared_ptr<media::ChunkedSource> source;
    std::shared_ptr<const measure::FileTrails> trails; ///< for the hits: there before the other measures
    std::shared_ptr<const measure::FileAnalysis> analysis;
    std::string path; ///< the path this state is of
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
    [[nodiscard]] bool isBusy() const { return filesDone() < filesTotal(); }
    [[nodiscard]] double progress() const;
    /// Stops measuring what is not measured yet; playing goes on.
    void stop();
    /// For other work off the control thread.
    [[nodiscard]] WorkerPool& pool() { return m_pool; }

  signals:
    /// A file became playable.
    void sourceReady(cask::session::Id file);
    void fileChanged(cask::session::Id file);
    void progressChanged();

  private:
    /// Gives elements a role from their sound where the name gave none.
    void takeRole(Id file, const measure::FileFacts& facts);
    void restart();
    void follow();
    void begin(const session::SourceFile& file);
    void findRises(Id file, const std::filesystem::path& playable, const std::filesystem::path& original);
    void measure(Id file, const std::filesystem::path& playable, const std::filesystem::path& original);
    void update(Id file, int generation, const std::function<void(FileState&)>& change);

    Document& m_document;
    std::map<Id, FileState> m_files;
    CancelToken m_cancel;
    int m_generation = 0;
    double m_rateHz = 0;
    WorkerPool m_pool; // last: its jobs end before the rest goes
};

} // namespace cask::app
