#include "core/session/chain_adapt.h"

#include "core/session/kinds.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace cask::session {
namespace {

/// Stored names of values that go by a level, and of times that go by the tempo.
constexpr std::array<std::string_view, 4> kThresholds = {"threshold_db", "open_db", "close_db", "ceiling_db"};
constexpr std::array<std::string_view, 3> kTempoTimes = {"release_ms", "hold_ms", "decay_ms"};

template <std::size_t N> bool isOneOf(const std::array<std::string_view, N>& names, std::string_view id) {
    return std::find(names.begin(), names.end(), id) != names.end();
}

/// What a person would see as changed.
bool isOther(const ParameterInfo& info, double a, double b) {
    return formatValue(info, a) != formatValue(info, b);
}

class Adapter {
  public:
    Adapter(const DrumFacts& from, const DrumFacts& to) : m_from(from), m_to(to) {}

    void adapt(Module& module) {
        withSettings(module.settings, [&]<class T>(T& settings) {
            const std::string words = wordsOf(module);
            for (const auto& f : fieldsOf<T>())
                change(module, f, settings, words, module.key != kNoId);
            if constexpr (HasItems<T>) {
                int number = 0;
                for (auto& item : KindOf<T>::items(settings)) {
                    ++number;
                    bool isKeyed = module.key != kNoId;
                    if constexpr (requires { item.isKeyed; })
                        isKeyed = isKeyed && item.isKeyed;
                    for (const auto& f : itemFieldsOf<T>())
                        if (isUsed(item, f.info.id))
                            change(module, f, item, words + " band " + std::to_string(number), isKeyed);
                }
            }
        });
        for (auto& section : module.changes)
            for (auto& [name, value] : section.values)
                if (const auto moving = movingValue(module.settings, name))
                    value = adaptedValue(*moving->info, value);
    }

    [[nodiscard]] AdaptedChain take(std::vector<Module> chain) {
        for (auto& module : chain)
            adapt(module);
        std::vector<std::string> notes;
        for (const auto& [follows, sentence] :
             {std::pair(Follows::Level, "Levels stay: own hits were not measured on both elements."),
              std::pair(Follows::Note, "Frequencies stay: the fundamental is not known on both elements."),
              std::pair(Follows::Tempo, "Times stay: the tempo is not known on both sides.")})
            if (m_isMissing[static_cast<std::size_t>(follows)])
                notes.emplace_back(sentence);
        if (m_hasKey)
            notes.emplace_back("Levels of what listens to a key stay: they belong to the key.");
        return {std::move(chain), std::move(m_values), std::move(notes)};
    }

  private:
    template <class Item> static bool isUsed(const Item& item, std::string_view id) {
        if constexpr (std::is_same_v<Item, dsp::EqBand>)
            return item.isDynamic() || (id != "threshold_db" && id != "release_ms");
        return true;
    }

    /// Nothing when the fact is not known.
    [[nodiscard]] std::optional<double> moved(const ParameterInfo& info, double value) const {
        switch (followsOf(info)) {
        case Follows::Level:
            if (m_from.ownDb && m_to.ownDb)
                return value + *m_to.ownDb - *m_from.ownDb;
            return std::nullopt;
        case Follows::Note:
            if (m_from.noteHz && m_to.noteHz && *m_from.noteHz > 0 && *m_to.noteHz > 0)
                return value > kHighestPartial * *m_from.noteHz ? value
                                                                : value * *m_to.noteHz / *m_from.noteHz;
            return std::nullopt;
        case Follows::Tempo:
            if (m_from.bpm && m_to.bpm && *m_from.bpm > 0 && *m_to.bpm > 0)
                return value * *m_from.bpm / *m_to.bpm;
            return std::nullopt;
        case Follows::Nothing:
            break;
        }
        return value;
    }

    [[nodiscard]] double adaptedValue(const ParameterInfo& info, double value) const {
        const bool isOff = followsOf(info) == Follows::Note && (value <= info.least || value >= info.most);
        return isOff ? value : clampValue(info, moved(info, value).value_or(value));
    }

    template <class T>
    void change(const Module& module, const Field<T>& field, T& owner, const std::string& words,
                bool isKeyed) {
        const auto& info = field.info;
        const auto follows = followsOf(info);
        if (follows == Follows::Nothing)
            return;
        if (isKeyed && follows == Follows::Level) {
            m_hasKey = true;
            return;
        }
        const double before = field.get(owner);
        if (!moved(info, before)) {
            m_isMissing[static_cast<std::size_t>(follows)] = true;
            return;
        }
        const double after = adaptedValue(info, before);
        if (!isOther(info, before, after))
            return;
        field.set(owner, after);
        m_values.push_back(
            {module.id, words + " " + std::string(info.words), &info, before, field.get(owner), follows});
    }

    const DrumFacts& m_from;
    const DrumFacts& m_to;
    std::vector<AdaptedValue> m_values;
    std::array<bool, 4> m_isMissing{}; ///< by Follows
    bool m_hasKey = false;
};

} // namespace

bool isThreshold(std::string_view name) {
    return isOneOf(kThresholds, name.substr(name.rfind('/') + 1));
}

Follows followsOf(const ParameterInfo& info) {
    if (isThreshold(info.id))
        return Follows::Level;
    if (info.unit == Unit::Hertz)
        return Follows::Note;
    return isOneOf(kTempoTimes, info.id) ? Follows::Tempo : Follows::Nothing;
}

AdaptedChain adapted(std::vector<Module> chain, const DrumFacts& from, const DrumFacts& to) {
    return Adapter(from, to).take(std::move(chain));
}

} // namespace cask::session
