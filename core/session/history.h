// Undo without limit: a list of shared snapshots.
#pragma once

#include <core/session/session.h>
#include <functional>
#include <memory>
#include <string>
#include <vector>

namespace cask::session {

/// Not thread-safe; the snapshots themselves may be read from any thread.
class History {
  public:
    explicit History(Session start);

    [[nodiscard]] const Session& current() const { return *m_steps[m_at].session; }
    [[nodiscard]] std::shared_ptr<const Session> snapshot() const { return m_steps[m_at].session; }

    /// Adds a step named `label` ("Level, snare top"). Steps with the same non-empty `mergeKey` in a row
    /// become one, as while a mouse button is held. A session equal to the current one adds nothing; returns
    /// whether it did.
    bool apply(Session next, std::string label, const std::string& mergeKey = {});
    /// The next apply() begins a step of its own.
    void endMerge() { m_mergeKey.clear(); }

    [[nodiscard]] bool canUndo() const { return m_at > 0; }
    [[nodiscard]] bool canRedo() const { return m_at + 1 < m_steps.size(); }
    /// Name of what undo() would take back; empty when there is nothing.
    [[nodiscard]] std::string undoLabel() const;
    [[nodiscard]] std::string redoLabel() const;
    void undo();
    void redo();
    /// Names of the edits that led to each step; the first one is empty: that is how it began.
    [[nodiscard]] std::vector<std::string> labels() const;
    /// The step that is current, from 0.
    [[nodiscard]] std::size_t at() const { return m_at; }
    /// Undoes or redoes to a step; nothing when there is none of that number.
    void goTo(std::size_t step);

    /// Changes every state, undone ones too, without a step: for what is no work on the session. What was
    /// saved counts as saved.
    void changeEverywhere(const std::function<Session(const Session&)>& change);

    /// Marks the current snapshot as what is on the disk.
    void markSaved() { m_saved = m_steps[m_at].session; }
    /// No snapshot is what is on the disk.
    void markUnsaved() { m_saved.reset(); }
    [[nodiscard]] bool isSaved() const { return m_saved == m_steps[m_at].session; }

  private:
    struct Step {
        std::shared_ptr<const Session> session;
        std::string label; ///< of the edit that led here
    };
    std::vector<Step> m_steps;
    std::size_t m_at = 0;
    std::string m_mergeKey;
    std::shared_ptr<const Session> m_saved;
};

} // namespace cask::session
