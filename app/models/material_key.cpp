#include "app/models/material_key.h"

#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "core/session/session_json.h"

#include <algorithm>
#include <functional>
#include <string>

namespace cask::app {

std::size_t materialKey(const session::Session& session, session::Id owner, const session::Module* m,
                        int revision) {
    session::Session s = session;
    if (s.chain(owner) == nullptr)
        return 0;
    const session::Id id = m == nullptr ? session::kNoId : m->id;
    const bool isKeyed = m != nullptr && m->key != session::kNoId;
    const std::string keyText =
        m == nullptr ? "" : std::to_string(m->key) + "/" + std::to_string(static_cast<int>(m->keyTap));
    s = session::withChain(std::move(s), owner, [&](auto& chain) {
        auto end = std::find_if(chain.begin(), chain.end(), [&](const auto& x) { return x.id == id; });
        if (end == chain.end())
            end = std::find_if(chain.begin(), chain.end(), [](const auto& x) {
                return session::placeOf(x.settings, x.ordinal) > session::ChainPlace::Dynamics;
            });
        chain.erase(end, chain.end());
    });
    s = session::withOutput(std::move(s), owner, [](session::Output& out) {
        out.levelDb = 0;
        out.changes.clear();
        out.rides.clear();
        out.pan = 0;
        out.isMuted = out.isAlone = false;
    });
    s.dismissals.clear();
    s.hitEdits.clear();
    const bool needsOthers = isKeyed || s.element(owner) == nullptr ||
                             std::any_of(s.chain(owner)->begin(), s.chain(owner)->end(),
                                         [](const auto& x) { return x.key != session::kNoId; });
    if (!needsOthers) {
        std::erase_if(s.elements, [&](const auto& e) { return e->id != owner; });
        s.files.clear();
        for (auto& bus : s.buses)
            bus.edit([](session::Bus& b) {
                b.chain.clear();
                b.out = {};
            });
    }
    const std::string text =
        session::toJson(s) + keyText + "/" + std::to_string(owner) + "/" + std::to_string(revision);
    return std::max<std::size_t>(1, std::hash<std::string>{}(text));
}

} // namespace cask::app
