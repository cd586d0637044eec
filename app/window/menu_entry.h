// Menu entries.
#pragma once

#include <QAction>
#include <QMenu>

#include <functional>

namespace cask::app {

/// Its keys work in every window of the program that has no use of its own for them.
inline QAction* everywhere(QAction* action) {
    action->setShortcutContext(Qt::ApplicationShortcut);
    return action;
}

inline QAction* addEntry(QMenu* menu, const QString& text, const QKeySequence& keys, QObject* target,
                         std::function<void()> run) {
    auto* action = menu->addAction(text);
    action->setShortcut(keys);
    QObject::connect(action, &QAction::triggered, target, [run = std::move(run)] { run(); });
    return action;
}

} // namespace cask::app
