#include "core/session/unknown_module.h"

#include <fmt/format.h>

namespace cask::session {

std::vector<std::string> unknownModuleSentences(const Session& session) {
    std::vector<std::string> sentences;
    const auto add = [&](const auto& owners) {
        for (const auto& owner : owners)
            for (const auto& module : owner->chain)
                if (const auto* unknown = std::get_if<UnknownModule>(&module.settings))
                    sentences.push_back(fmt::format(
                        "A module of type \"{}\" on {} can't be used here ({}); it is kept and bypassed.",
                        unknown->type, owner->name, unknown->reason));
    };
    add(session.elements);
    add(session.buses);
    return sentences;
}

} // namespace cask::session
