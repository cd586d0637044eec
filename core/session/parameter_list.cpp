// Lists the values of a session by their paths.
#include "core/session/kinds.h"
#include "core/session/output_changes.h"
#include "core/session/parameter_path.h"
#include "core/session/rides.h"

#include <fmt/format.h>

#include <cstdlib>

namespace cask::session {
namespace {

/// Lists the values of a session.
class Lister {
  public:
    explicit Lister(const Session& s) : m_session(s) {}

    std::vector<PathValue> list() {
        for (const auto& e : m_session.elements) {
            m_owner = e->name;
            add(e->name + "/role", std::string(roleInfo(e->role).name), "role");
            addFields(e->name, inputFields(), e->input);
            addOwner(e->name, e->chain, e->out);
        }
        for (const auto& b : m_session.buses) {
            m_owner = b->name;
            const std::string name = b->path ? "path/" + b->name : b->name;
            if (b->path) {
                add(name + "/of", m_session.nameOf(b->path->of), "beside");
                addFields(name, pathFields(), *b->path);
            }
            addOwner(name, b->chain, b->out);
        }
        return std::move(m_values);
    }

  private:
    void add(std::string path, std::string value, std::string words, bool isStandard = false) {
        m_values.push_back(
            {std::move(path), std::move(value), isStandard, m_owner, m_module, std::move(words)});
    }
    template <class T>
    void addFields(const std::string& prefix, std::span<const Field<T>> fields, const T& of,
                   const std::string& before = {}) {
        for (const auto& f : fields)
            add(fmt::format("{}/{}", prefix, f.info.id), formatValue(f.info, f.get(of)),
                before + std::string(f.info.words));
    }
    void addOwner(const std::string& name, const std::vector<Module>& chain, const Output& out) {
        addFields(name, outputFields(), out);
        if (out.bus != kNoId)
            add(name + "/bus", m_session.nameOf(out.bus), "output");
        for (const auto& send : out.sends)
            addFields(name + "/send/" + m_session.nameOf(send.bus), sendFields(), send,
                      "send to " + m_session.nameOf(send.bus) + ", ");
        const auto moving = [&](std::string_view id) { return movingValue(out, id); };
        const auto called = [&](const std::string& id) { return named(id); };
        for (const auto& change : out.changes)
            addChange(name, change, moving, called);
        addRides(name, out.rides, moving, called);
        for (const auto& module : chain)
            withSettings(module.settings, [&](const auto& settings) {
                m_module = wordsOf(module);
                addModule(name + "/" + pathNameOf(module), module, settings);
                m_module.clear();
            });
    }
    template <class T> void addModule(const std::string& prefix, const Module& module, const T& settings) {
        add(prefix + "/on", module.isOn ? "on" : "off", "on", module.isOn);
        if constexpr (KindOf<T>::hearsKey)
            add(prefix + "/key", module.key == kNoId ? "own" : m_session.nameOf(module.key), "key",
                module.key == kNoId);
        if constexpr (KindOf<T>::hearsKey)
            add(fmt::format("{}/{}", prefix, keyTapInfo().id),
                formatValue(keyTapInfo(), static_cast<double>(module.keyTap)),
                std::string(keyTapInfo().words), module.keyTap == standardKeyTap<T>());
        for (const auto& f : KindOf<T>::fields)
            add(fmt::format("{}/{}", prefix, f.info.id), formatValue(f.info, f.get(settings)),
                std::string(f.info.words), f.get(settings) == f.info.standard);
        if constexpr (HasItems<T>) {
            int number = 1;
            for (const auto& item : KindOf<T>::items(settings)) {
                for (const auto& f : KindOf<T>::itemFields)
                    add(fmt::format("{}/{}/{}", prefix, number, f.info.id), formatValue(f.info, f.get(item)),
                        fmt::format("band {} {}", number, f.info.words),
                        f.get(item) == f.info.standard && !KindOf<T>::isAlwaysTold(f.info.id));
                ++number;
            }
        }
        const auto moving = [&](std::string_view id) { return movingValue(module.settings, id); };
        const auto called = [&](const std::string& id) { return numbered(settings, id); };
        for (const auto& change : module.changes)
            addChange(prefix, change, moving, called);
        addRides(prefix, module.rides, moving, called);
    }
    template <class Moving, class Named>
    void addChange(const std::string& prefix, const SectionChange& change, const Moving& movingOf,
                   const Named& nameOf) {
        const auto section = prefix + "/section/" + change.section;
        for (const auto& [id, value] : change.values)
            if (const auto moving = movingOf(id))
                add(section + "/" + nameOf(id), formatValue(*moving->info, value),
                    fmt::format("{} in {}", moving->info->words, change.section));
        add(section + "/glide_ms", formatValue(glideInfo(), change.glideMs),
            fmt::format("{} in {}", glideInfo().words, change.section));
    }
    template <class Moving, class Named>
    void addRides(const std::string& prefix, const std::vector<Ride>& rides, const Moving& movingOf,
                  const Named& nameOf) {
        for (const auto& ride : rides)
            if (const auto moving = movingOf(ride.value))
                add(prefix + "/ride/" + nameOf(ride.value), pointsText(ride.points),
                    fmt::format("ride of {}", moving->info->words));
    }
    /// "7/level_db" of a send as "send/Rooms/level_db".
    [[nodiscard]] std::string named(const std::string& id) const {
        const auto slash = id.find('/');
        if (slash == std::string::npos)
            return id;
        return "send/" + m_session.nameOf(std::atoi(id.c_str())) + id.substr(slash);
    }
    /// "17/gain_db" as "2/gain_db" when 17 is the id of the second item.
    template <class T> static std::string numbered(const T& settings, const std::string& name) {
        if constexpr (HasItems<T>) {
            int number = 1;
            for (const auto& item : KindOf<T>::items(settings)) {
                const auto prefix = fmt::format("{}/", item.id);
                if (name.starts_with(prefix))
                    return fmt::format("{}/{}", number, name.substr(prefix.size()));
                ++number;
            }
        }
        return name;
    }

    const Session& m_session;
    std::string m_owner;
    std::string m_module;
    std::vector<PathValue> m_values;
};

} // namespace

std::vector<PathValue> listValues(const Session& s) {
    return Lister(s).list();
}

} // namespace cask::session
