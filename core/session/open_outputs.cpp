#include "core/session/open_outputs.h"

namespace cask::session {

Session withOpenOutputs(Session s) {
    for (auto& item : s.elements)
        item.edit([](Element& e) {
            const Id bus = e.out.bus;
            e.out = {};
            e.out.bus = bus;
            e.out.pan = e.isStereo() ? 0 : -1;
        });
    for (auto& item : s.buses)
        item.edit([](Bus& b) { b.out.isAlone = false; });
    return s;
}

} // namespace cask::session
