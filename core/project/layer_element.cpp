#include "core/project/layer_element.h"

#include "core/layers/stack_file.h"
#include "core/session/edits.h"
#include "core/session/session_store.h"

#include <fmt/format.h>

#include <set>

namespace cask::project {
namespace {

/// A name that no stack of the session has for its strikes yet.
std::string newPattern(const session::Session& s, const std::filesystem::path& sessionFolder,
                       const std::string& wanted) {
    std::set<std::string> taken;
    for (const auto& file : s.files)
        if (const auto path = session::resolvePath(*file, sessionFolder); layers::isStackFile(path))
            if (const auto stack = layers::readStack(path))
                taken.insert(stack->pattern);
    std::string name = wanted;
    for (int n = 2; taken.contains(name); ++n)
        name = fmt::format("{} {}", wanted, n);
    return name;
}

} // namespace

Result<LayerElement> writeLayerElement(const session::Session& s, const std::filesystem::path& sessionFolder,
                                       session::Id element, layers::Stack stack, std::size_t layer,
                                       const CancelToken& cancel) {
    const auto* e = s.element(element);
    if (e == nullptr || layer >= stack.layers.size())
        return Error{ErrorCode::NotFound, "The layer is not there any more; nothing was changed."};
    if (stack.layers.size() < 2)
        return Error{ErrorCode::BadValue,
                     fmt::format("{} has one layer: its chain is that layer's own already.", e->name)};
    if (stack.pattern.empty())
        stack.pattern = newPattern(s, sessionFolder, e->name);
    layers::Stack alone = stack;
    alone.layers = {stack.layers[layer]};
    LayerElement made{element, e->name + " " + alone.layers.front().name, {}, {}};
    stack.layers.erase(stack.layers.begin() + static_cast<std::ptrdiff_t>(layer));
    auto rest = writeStack(stack, s.sampleRateHz, sessionFolder, e->name, cancel);
    if (!rest)
        return rest.error();
    auto own = writeStack(alone, s.sampleRateHz, sessionFolder, made.name, cancel);
    if (!own)
        return own.error();
    made.rest = std::move(*rest);
    made.alone = std::move(*own);
    return made;
}

session::WithMade withLayerElement(session::Session s, const LayerElement& made) {
    const session::Element before = *s.element(made.of);
    s = withStackFile(std::move(s), before.channels.front().file, made.rest.file);
    auto with = session::withMadeElement(std::move(s), made.alone.file,
                                         {made.name, before.role, before.out.bus, before.startFrame});
    auto& next = with.session;
    for (auto& e : next.elements)
        if (e->id == with.element)
            e.edit([&](session::Element& own) {
                own.input = before.input;
                own.out = before.out;
                own.chain = before.chain;
                session::giveOwnIds(next, own.chain);
            });
    return with;
}

} // namespace cask::project
