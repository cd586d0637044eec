#include "core/session/history.h"

namespace cask::session {

History::History(Session start) {
    m_steps.push_back({std::make_shared<const Session>(std::move(start)), {}});
}

bool History::apply(Session next, std::string label, const std::string& mergeKey) {
    if (next == current())
        return false;
    auto snapshot = std::make_shared<const Session>(std::move(next));
    const bool merges = !mergeKey.empty() && mergeKey == m_mergeKey && m_at > 0 && !canRedo();
    m_steps.resize(m_at + 1);
    if (merges) {
        m_steps.back() = {std::move(snapshot), std::move(label)};
    } else {
        m_steps.push_back({std::move(snapshot), std::move(label)});
        ++m_at;
    }
    m_mergeKey = mergeKey;
    return true;
}

std::string History::undoLabel() const {
    return canUndo() ? m_steps[m_at].label : std::string();
}
std::string History::redoLabel() const {
    return canRedo() ? m_steps[m_at + 1].label : std::string();
}

void History::undo() {
    if (canUndo())
        --m_at;
    m_mergeKey.clear();
}

void History::redo() {
    if (canRedo())
        ++m_at;
    m_mergeKey.clear();
}

std::vector<std::string> History::labels() const {
    std::vector<std::string> labels;
    for (const auto& step : m_steps)
        labels.push_back(step.label);
    return labels;
}

void History::goTo(std::size_t step) {
    if (step < m_steps.size())
        m_at = step;
    m_mergeKey.clear();
}

void History::changeEverywhere(const std::function<Session(const Session&)>& change) {
    for (auto& step : m_steps) {
        auto changed = std::make_shared<const Session>(change(*step.session));
        if (m_saved == step.session)
            m_saved = changed;
        step.session = std::move(changed);
    }
}

} // namespace cask::session
