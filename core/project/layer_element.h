// A layer of a stack that becomes an element: with a chain, sends and a level of its own.
#pragma once

#include <core/project/played_files.h>

namespace cask::project {

/// Both play the same strikes from now on (Stack::pattern).
struct LayerElement {
    session::Id of = session::kNoId; ///< the element that it was a layer of
    std::string name;
    WrittenStack rest, alone;
};

/// Writes a stack without one of its layers, and that layer alone. `stack` is what the element plays.
/// Errors: the layer is the only one (then the element's chain is its own), what can't be written.
[[nodiscard]] Result<LayerElement> writeLayerElement(const session::Session& s,
                                                     const std::filesystem::path& sessionFolder,
                                                     session::Id element, layers::Stack stack,
                                                     std::size_t layer, const CancelToken& cancel = {});

/// The session with that element beside the one that it was a layer of, which has its input, level, sends and
/// a copy of its chain: what is heard is as before until one of both chains is changed, as far as the chain
/// follows no levels. REQUIRES: that element is in the session.
[[nodiscard]] session::WithMade withLayerElement(session::Session s, const LayerElement& made);

} // namespace cask::project
