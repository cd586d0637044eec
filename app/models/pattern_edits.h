// Strikes of played elements, edited with the same acts as hits of recorded ones.
#pragma once

#include "app/document/document.h"

#include <QObject>

#include <core/base/job_group.h>
#include <core/base/worker_pool.h>
#include <core/layers/strike_edits.h>
#include <deque>
#include <vector>

namespace cask::app {

/// Control thread only; stacks are struck and written in the pool, one after the other.
class PatternEdits : public QObject {
    Q_OBJECT

  public:
    PatternEdits(Document& document, WorkerPool& pool, QObject* parent = nullptr);
    /// Whether an element plays a stack.
    [[nodiscard]] bool isPlayed(Id element) const;
    /// Times of the session. One step of the history once it is written; what can't be played is told, and
    /// nothing changes.
    void edit(Id element, std::vector<layers::StrikeEdit> edits, const QString& label);
    [[nodiscard]] bool isBusy() const { return m_isWriting || !m_waiting.empty(); }

  private:
    struct Waiting {
        Id element;
        std::vector<layers::StrikeEdit> edits;
        QString label;
    };
    void next();

    Document& m_document;
    std::deque<Waiting> m_waiting;
    bool m_isWriting = false;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
