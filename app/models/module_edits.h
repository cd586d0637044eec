// Edits of one module of any kind: each is one step of the history.
#pragma once

#include "app/document/document.h"

#include <functional>

namespace cask::app {

/// A module where it stands.
struct ModuleAt {
    Id owner = session::kNoId;
    Id module = session::kNoId;
};

/// Null when it is gone.
[[nodiscard]] const session::Module* findModule(const session::Session& session, const ModuleAt& at);

/// Gives one of its values another one; a drag is one step. In a section, when it names one and the value
/// glides. `adjust` may change what must go along with it.
void editModuleValue(Document& document, const ModuleAt& at, const std::string& section,
                     const std::string& id, double value, bool isDragging,
                     const std::function<void(session::Module&)>& adjust = {});
void setModuleOn(Document& document, const ModuleAt& at, bool on);
void removeModule(Document& document, const ModuleAt& at);
/// False with a note of the document when that would go round in a circle.
bool setModuleKey(Document& document, const ModuleAt& at, Id key);
bool setModuleKeyTap(Document& document, const ModuleAt& at, session::KeyTap tap);

} // namespace cask::app
