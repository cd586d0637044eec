#include "core/session/recipe.h"

#include "core/session/edits.h"
#include "core/session/kinds.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>

namespace cask::session {
namespace {

RecipePart partOf(const Session& s, Id owner, const DrumFacts& facts,
                  const std::function<bool(const Module&)>& isWanted) {
    RecipePart part;
    part.name = s.nameOf(owner);
    part.facts = facts;
    part.isBus = s.bus(owner) != nullptr;
    if (const auto* e = s.element(owner))
        part.role = e->role;
    if (const auto* chain = s.chain(owner))
        for (const auto& module : *chain)
            if (!isWanted || isWanted(module)) {
                part.chain.push_back(module);
                part.chain.back().rides.clear(); // of this song's time
                if (module.key == kNoId)
                    continue;
                const auto* key = s.element(module.key);
                part.keys[module.id] = {s.nameOf(module.key), key == nullptr ? Role::Unknown : key->role};
            }
    return part;
}

/// Another id for a module that is not understood: it is stored inside what it was written as.
void setId(Module& module, Id id) {
    module.id = id;
    if (auto* unknown = std::get_if<UnknownModule>(&module.settings)) {
        auto json = nlohmann::ordered_json::parse(unknown->json, nullptr, false);
        if (json.is_object()) {
            json["id"] = id;
            json["ordinal"] = module.ordinal;
            unknown->json = json.dump(-1, ' ', false, nlohmann::ordered_json::error_handler_t::replace);
        }
    }
}

/// By name, else the first of the role; nothing when there is none, or it is the owner itself.
Id findKey(const Session& s, const KeyName& key, Id owner) {
    Id found = kNoId;
    for (const auto& e : s.elements)
        if (e->name == key.name)
            found = e->id;
    for (const auto& b : s.buses)
        if (found == kNoId && b->name == key.name)
            found = b->id;
    for (const auto& e : s.elements)
        if (found == kNoId && key.role != Role::Unknown && e->role == key.role)
            found = e->id;
    return found == owner ? kNoId : found;
}

/// Puts one module into a chain: onto the one of its kind and ordinal, or where its kind has its place.
Id putModule(Session& s, Id owner, const Module& module) {
    const auto kind = kindId(module.settings);
    Id id = kNoId;
    for (const auto& there : *s.chain(owner))
        if (kindId(there.settings) == kind && there.ordinal == module.ordinal)
            id = there.id;
    if (id == kNoId)
        id = addModule(s, owner, module.settings, module.ordinal);
    return id;
}

/// The module with an id of its own for itself and its items, listening to nothing yet.
Module renewed(Session& s, Module module, Id id) {
    setId(module, id);
    module.key = kNoId;
    renumberItems(module, [&] { return s.nextId++; });
    return module;
}

void giveKey(Session& s, Id owner, Id module, const RecipePart& part, const Module& from) {
    const auto key = part.keys.find(from.id);
    if (key == part.keys.end())
        return;
    if (const Id found = findKey(s, key->second, owner); found != kNoId)
        if (auto keyed = withKey(s, owner, module, found))
            s = *std::move(keyed);
}

Session withStep(Session s, const Recipe& recipe, const RecipeStep& step) {
    const auto& part = recipe.parts[step.part];
    if (recipe.scope != RecipeScope::Modules)
        s = withChain(std::move(s), step.owner, [](std::vector<Module>& chain) { chain.clear(); });
    for (const auto& module : step.adapted.chain) {
        Id id = kNoId;
        if (recipe.scope == RecipeScope::Modules) {
            id = putModule(s, step.owner, module);
            const Module made = renewed(s, module, id);
            s = withModule(std::move(s), id, [&](Module& m) { m = made; });
        } else {
            id = s.nextId++;
            const Module made = renewed(s, module, id);
            s = withChain(std::move(s), step.owner,
                          [&](std::vector<Module>& chain) { chain.push_back(made); });
        }
        giveKey(s, step.owner, id, part, module);
    }
    return s;
}

/// The element or bus of this session that a part of a kit goes to: the n-th of its role for the n-th.
Id placeOf(const Session& s, const Recipe& recipe, std::size_t index) {
    const auto& part = recipe.parts[index];
    if (part.isBus) {
        for (const auto& b : s.buses)
            if (b->name == part.name)
                return b->id;
        return kNoId;
    }
    const auto before =
        std::count_if(recipe.parts.begin(), recipe.parts.begin() + static_cast<std::ptrdiff_t>(index),
                      [&](const RecipePart& p) { return !p.isBus && p.role == part.role; });
    std::ptrdiff_t rank = 0;
    for (const auto& e : s.elements)
        if (e->role == part.role && part.role != Role::Unknown && rank++ == before)
            return e->id;
    return kNoId;
}

} // namespace

Recipe recipeOf(const Session& s, Id owner, const DrumFacts& facts, RecipeScope scope,
                const std::function<bool(const Module&)>& isWanted) {
    Recipe recipe;
    recipe.name = s.nameOf(owner);
    recipe.scope = scope;
    recipe.parts.push_back(partOf(s, owner, facts, isWanted));
    return recipe;
}

Recipe kitRecipeOf(const Session& s, const FactsOf& factsOf) {
    Recipe recipe;
    recipe.name = s.name;
    recipe.scope = RecipeScope::Kit;
    const auto add = [&](const auto& owners) {
        for (const auto& owner : owners)
            if (!owner->chain.empty())
                recipe.parts.push_back(partOf(s, owner->id, factsOf(owner->id), {}));
    };
    add(s.elements);
    add(s.buses);
    return recipe;
}

RecipePlan planRecipe(const Session& s, const Recipe& recipe, const std::vector<Id>& owners,
                      const FactsOf& factsOf, bool adapts) {
    RecipePlan plan;
    const auto add = [&](std::size_t index, Id owner) {
        const auto& part = recipe.parts[index];
        RecipeStep step{index, owner, {part.chain, {}, {}}};
        if (adapts && !part.isBus && s.element(owner) != nullptr)
            step.adapted = adapted(part.chain, part.facts, factsOf(owner));
        for (const auto& module : part.chain)
            if (const auto key = part.keys.find(module.id);
                key != part.keys.end() && findKey(s, key->second, owner) == kNoId)
                plan.notes.push_back(fmt::format("The {} on {} listened to {}, which is not here: now it "
                                                 "listens to its own sound.",
                                                 wordsOf(module), s.nameOf(owner), key->second.name));
        plan.steps.push_back(std::move(step));
    };
    if (recipe.scope == RecipeScope::Kit) {
        for (std::size_t i = 0; i < recipe.parts.size(); ++i) {
            const auto& part = recipe.parts[i];
            if (const Id owner = placeOf(s, recipe, i); owner != kNoId)
                add(i, owner);
            else
                plan.notes.push_back(part.isBus
                                         ? fmt::format("There is no bus {} here.", part.name)
                                         : fmt::format("{} was left out: this session has no {} for it.",
                                                       part.name, roleInfo(part.role).name));
        }
        return plan;
    }
    for (const Id owner : owners)
        if (s.chain(owner) != nullptr && !recipe.parts.empty())
            add(0, owner);
    return plan;
}

Session withRecipe(Session s, const Recipe& recipe, const RecipePlan& plan) {
    for (const auto& step : plan.steps)
        if (s.chain(step.owner) != nullptr && step.part < recipe.parts.size())
            s = withStep(std::move(s), recipe, step);
    return s;
}

} // namespace cask::session
