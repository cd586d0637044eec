// What every bench of a module offers beside its values: whom it listens to, and where values hold.
#pragma once

#include "app/models/module_edits.h"

#include <QComboBox>
#include <QToolButton>

namespace cask::app {

/// Chooses the key of a module: its own sound, another element, or a bus.
class KeyBox : public QComboBox {
    Q_OBJECT

  public:
    explicit KeyBox(QWidget* parent = nullptr) : QComboBox(parent) {}
    /// Fills it for a module (null: none) of an element or bus.
    void fill(const session::Session& session, Id owner, const session::Module* module);
};

/// Chooses whether values hold in all of the song or in one section.
class SectionBox : public QComboBox {
    Q_OBJECT

  public:
    explicit SectionBox(QWidget* parent = nullptr);
    /// Fills it; what was chosen stays chosen.
    void fill(const session::Session& session);
    /// Empty: everywhere.
    [[nodiscard]] std::string section() const { return currentData().toString().toStdString(); }
};

/// "more": shows and hides a widget.
class MoreButton : public QToolButton {
    Q_OBJECT

  public:
    explicit MoreButton(QWidget* parent = nullptr);
    void opens(QWidget* widget);
};

} // namespace cask::app
