#include "core/session/quick_moves.h"

#include "core/session/edits.h"
#include "core/session/kinds.h"

#include <algorithm>

namespace cask::session {
namespace {

const ParameterInfo& itemInfo(std::string_view id) {
    return field(itemFieldsOf<dsp::EqSettings>(), id).info;
}

/// First of the first equaliser; null when there is none.
const dsp::EqBand* highPassOf(const std::vector<Module>& chain) {
    const auto* eq = findEq(chain, EqPlace::Repair);
    if (eq == nullptr || !eq->isOn)
        return nullptr;
    const auto& bands = std::get<dsp::EqSettings>(eq->settings).bands;
    const auto it = std::find_if(bands.begin(), bands.end(), [](const dsp::EqBand& band) {
        return band.isOn && band.kind == dsp::FilterKind::HighPass && band.part == dsp::StereoPart::Both;
    });
    return it == bands.end() ? nullptr : &*it;
}

Session withoutHighPass(Session s, Id element) {
    const auto* band = highPassOf(*s.chain(element));
    if (band == nullptr)
        return s;
    s = withoutBand(std::move(s), element, band->id);
    const auto* eq = findEq(*s.chain(element), EqPlace::Repair);
    return eq != nullptr && std::get<dsp::EqSettings>(eq->settings).bands.empty()
               ? withoutModule(std::move(s), eq->id)
               : s;
}

Session withHighPass(Session s, Id element, double hz) {
    if (hz <= kNoHighPassHz)
        return withoutHighPass(std::move(s), element);
    if (const auto* band = highPassOf(*s.chain(element)))
        return withBand(std::move(s), element, band->id, [&](dsp::EqBand& b) {
            b.frequencyHz = std::max(hz, itemInfo("frequency_hz").least);
        });
    dsp::EqBand band;
    band.kind = dsp::FilterKind::HighPass;
    band.frequencyHz = std::max(hz, itemInfo("frequency_hz").least);
    band.slopeDbPerOct = 12;
    if (const auto* eq = findEq(*s.chain(element), EqPlace::Repair); eq != nullptr && !eq->isOn)
        s = withModule(std::move(s), eq->id, [](Module& m) { m.isOn = true; });
    addBand(s, element, band);
    return s;
}

template <class Settings> const Module* activeModule(const Session& s, Id element) {
    const auto* module = findModule<Settings>(*s.chain(element));
    return module != nullptr && module->isOn ? module : nullptr;
}

Session withTransient(Session s, Id element, double dsp::TransientSettings::*value, double percent) {
    const auto* found = findModule<dsp::TransientSettings>(*s.chain(element));
    if (found == nullptr && percent == 0)
        return s;
    const Id id = found != nullptr ? found->id : addModule(s, element, dsp::TransientSettings{});
    s = withModule(std::move(s), id, [&](Module& m) {
        m.isOn = true;
        std::get<dsp::TransientSettings>(m.settings).*value = percent;
    });
    const auto* now = findModule<dsp::TransientSettings>(*s.chain(element));
    return now->settings == ModuleSettings(dsp::TransientSettings{}) && now->changes.empty() &&
                   now->rides.empty()
               ? withoutModule(std::move(s), id)
               : s;
}

Session withPump(Session s, Id element, double depthDb) {
    const auto* found = findModule<dsp::PumpSettings>(*s.chain(element));
    if (found == nullptr && depthDb == 0)
        return s;
    if (found != nullptr && depthDb == 0)
        return withoutModule(std::move(s), found->id);
    const Id id = found != nullptr ? found->id : addModule(s, element, dsp::PumpSettings{});
    return withModule(std::move(s), id, [&](Module& m) {
        m.isOn = true;
        std::get<dsp::PumpSettings>(m.settings).depthDb = depthDb;
    });
}

/// The compressor that listens to a key; null when there is none.
const Module* duckOf(const Session& s, Id element, Id key) {
    for (const auto& module : *s.chain(element))
        if (module.key == key && module.isOn &&
            std::holds_alternative<dsp::CompressorSettings>(module.settings))
            return &module;
    return nullptr;
}

} // namespace

// Deep under any stroke of the kick, so that the range alone says how far it goes down.
Session withDuck(Session s, Id element, Id key, double rangeDb) {
    const auto* found = duckOf(s, element, key);
    if (rangeDb == 0)
        return found == nullptr ? s : withoutModule(std::move(s), found->id);
    if (found != nullptr)
        return withModule(std::move(s), found->id, [&](Module& m) {
            std::get<dsp::CompressorSettings>(m.settings).rangeDb = rangeDb;
        });
    dsp::CompressorSettings duck;
    duck.thresholdDb = -40;
    duck.ratio = dsp::kInfiniteRatio;
    duck.attackMs = 2;
    duck.releaseMs = 150;
    duck.rangeDb = rangeDb;
    const Id id = addModule(s, element, duck);
    auto keyed = withKey(s, element, id, key);
    return keyed ? *std::move(keyed) : withoutModule(std::move(s), id);
}

Id duckKeyOf(const Session& s, Id element) {
    const auto* e = s.element(element);
    if (e == nullptr || isOfKit(e->role) || e->role == Role::Unknown)
        return kNoId;
    for (const Role role : {Role::KickIn, Role::KickOut, Role::SubKick})
        for (const auto& kick : s.elements)
            if (kick->role == role)
                return kick->id;
    return kNoId;
}

const ParameterInfo& quickInfo(QuickMove move) {
    static const ParameterInfo highPass = [] {
        ParameterInfo info = itemInfo("frequency_hz");
        info.id = "high_pass_hz";
        info.words = "high-pass";
        info.least = kNoHighPassHz;
        info.most = 1000;
        info.standard = kNoHighPassHz;
        return info;
    }();
    static const ParameterInfo pump = [] {
        ParameterInfo info = field(fieldsOf<dsp::PumpSettings>(), "depth_db").info;
        info.words = "pump";
        info.standard = 0;
        return info;
    }();
    switch (move) {
    case QuickMove::Level:
        return field(outputFields(), "level_db").info;
    case QuickMove::Pan:
        return field(outputFields(), "pan").info;
    case QuickMove::HighPass:
        return highPass;
    case QuickMove::Attack:
        return field(fieldsOf<dsp::TransientSettings>(), "attack_percent").info;
    case QuickMove::Sustain:
        return field(fieldsOf<dsp::TransientSettings>(), "sustain_percent").info;
    case QuickMove::Pump:
        return pump;
    case QuickMove::Width:
        break;
    }
    return field(outputFields(), "width_percent").info;
}

std::optional<double> quickValue(const Session& s, Id element, QuickMove move) {
    const auto* e = s.element(element);
    if (e == nullptr)
        return std::nullopt;
    const auto* transient = activeModule<dsp::TransientSettings>(s, element);
    const auto* pump = activeModule<dsp::PumpSettings>(s, element);
    switch (move) {
    case QuickMove::Level:
        return e->out.levelDb;
    case QuickMove::Pan:
        return e->out.pan;
    case QuickMove::HighPass: {
        const auto* band = highPassOf(e->chain);
        return band == nullptr ? kNoHighPassHz : band->frequencyHz;
    }
    case QuickMove::Attack:
        return transient == nullptr ? 0 : std::get<dsp::TransientSettings>(transient->settings).attackPercent;
    case QuickMove::Sustain:
        return transient == nullptr ? 0
                                    : std::get<dsp::TransientSettings>(transient->settings).sustainPercent;
    case QuickMove::Pump:
        if (const Id key = duckKeyOf(s, element); key != kNoId) {
            const auto* duck = duckOf(s, element, key);
            return duck == nullptr ? 0 : std::get<dsp::CompressorSettings>(duck->settings).rangeDb;
        }
        return pump == nullptr ? 0 : std::get<dsp::PumpSettings>(pump->settings).depthDb;
    case QuickMove::Width:
        break;
    }
    return e->isStereo() ? std::optional(e->out.widthPercent) : std::nullopt;
}

Session withQuickMove(Session s, Id element, QuickMove move, double value) {
    if (!quickValue(s, element, move))
        return s;
    value = clampValue(quickInfo(move), value);
    switch (move) {
    case QuickMove::Level:
        return withOutput(std::move(s), element, [&](Output& out) { out.levelDb = value; });
    case QuickMove::Pan:
        return withOutput(std::move(s), element, [&](Output& out) { out.pan = value; });
    case QuickMove::HighPass:
        return withHighPass(std::move(s), element, value);
    case QuickMove::Attack:
        return withTransient(std::move(s), element, &dsp::TransientSettings::attackPercent, value);
    case QuickMove::Sustain:
        return withTransient(std::move(s), element, &dsp::TransientSettings::sustainPercent, value);
    case QuickMove::Pump:
        if (const Id key = duckKeyOf(s, element); key != kNoId)
            return withDuck(std::move(s), element, key, value);
        return withPump(std::move(s), element, value);
    case QuickMove::Width:
        break;
    }
    return withOutput(std::move(s), element, [&](Output& out) { out.widthPercent = value; });
}

Session withoutQuickMove(Session s, Id element, QuickMove move) {
    const bool isLow = move == QuickMove::HighPass;
    return withQuickMove(std::move(s), element, move,
                         move == QuickMove::Width ? 100
                         : isLow                  ? kNoHighPassHz
                                                  : 0);
}

Stage benchOf(QuickMove move) {
    switch (move) {
    case QuickMove::HighPass:
        return Stage::Tone;
    case QuickMove::Attack:
    case QuickMove::Sustain:
    case QuickMove::Pump:
        return Stage::Punch;
    case QuickMove::Level:
    case QuickMove::Pan:
    case QuickMove::Width:
        break;
    }
    return Stage::Balance;
}

} // namespace cask::session
