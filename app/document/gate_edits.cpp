// The edits of GateModel: each is one step of the history.
#include "app/document/gate_model.h"
#include "app/document/module_edits.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

QString fieldWords(const std::string& id) {
    const auto words = session::field(session::fieldsOf<dsp::GateSettings>(), id).info.words;
    return QString::fromUtf8(words.data(), static_cast<int>(words.size()));
}

} // namespace

void GateModel::addGate() {
    auto next = m_document.session();
    const Id id = element();
    if (id == session::kNoId || module() != nullptr)
        return;
    auto start = settings();
    // In the middle between the softest own hits and the loudest others, as a beginning.
    if (const auto* m = material()) {
        std::vector<double> own;
        for (std::size_t i = 0; i < m->hits.size(); ++i)
            if (m->hits[i].isOwn)
                own.push_back(levelsDb()[i]);
        if (!own.empty()) {
            std::sort(own.begin(), own.end());
            start.openDb = std::clamp(std::floor(own[own.size() / 10]) - 3, -80.0, -3.0);
            start.closeDb = start.openDb - 6;
        }
    }
    session::addModule(next, id, start);
    m_document.edit(std::move(next),
                    tr("Add a gate, %1").arg(QString::fromStdString(m_document.session().nameOf(id))));
}

ModuleAt GateModel::at() const {
    const auto* m = module();
    return {element(), m == nullptr ? session::kNoId : m->id};
}

void GateModel::removeGate() {
    removeModule(m_document, at());
}

void GateModel::setOn(bool on) {
    setModuleOn(m_document, at(), on);
}

void GateModel::edit(const std::string& id, double value, bool isDragging) {
    const auto* m = module();
    if (m == nullptr)
        return;
    const auto& field = session::field(session::fieldsOf<dsp::GateSettings>(), id);
    const double clamped = session::clampValue(field.info, value);
    m_document.edit(
        session::withGate(m_document.session(), m->id,
                          [&](dsp::GateSettings& g) {
                              field.set(g, clamped);
                              if (id == "open_db")
                                  g.closeDb = std::min(g.closeDb, g.openDb);
                              if (id == "close_db")
                                  g.openDb = std::max(g.closeDb, g.openDb);
                          }),
        tr("Gate %1, %2").arg(fieldWords(id), QString::fromStdString(m_document.session().nameOf(element()))),
        isDragging ? QStringLiteral("gate-%1-%2").arg(QString::fromStdString(id)).arg(m->id) : QString());
}

void GateModel::moveOpening(double openDb, bool isDragging) {
    const auto* m = module();
    if (m == nullptr)
        return;
    m_document.edit(
        session::withGate(m_document.session(), m->id,
                          [&](dsp::GateSettings& g) {
                              const double gap = g.openDb - g.closeDb;
                              g.openDb = std::clamp(openDb, -90.0, 0.0);
                              g.closeDb = std::clamp(g.openDb - gap, -96.0, 0.0);
                          }),
        tr("Gate threshold, %1").arg(QString::fromStdString(m_document.session().nameOf(element()))),
        isDragging ? QStringLiteral("gate-threshold-%1").arg(m->id) : QString());
}

bool GateModel::setKey(Id key) {
    return setModuleKey(m_document, at(), key);
}

void GateModel::setSectionValue(const std::string& section, const std::string& field,
                                std::optional<double> value) {
    const auto* m = module();
    if (m == nullptr)
        return;
    session::SectionChange change;
    change.section = section;
    for (const auto& old : m->changes)
        if (old.section == section)
            change = old;
    if (value)
        change.values[field] =
            session::clampValue(session::field(session::fieldsOf<dsp::GateSettings>(), field).info, *value);
    else
        change.values.erase(field);
    m_document.edit(session::withSectionChange(m_document.session(), m->id, change),
                    tr("Gate %1 in %2").arg(fieldWords(field), QString::fromStdString(section)));
}

int GateModel::copyToSimilar() {
    const auto* m = module();
    const auto* e = m_document.session().element(element());
    const auto* a = m_hits.analysis();
    if (m == nullptr || e == nullptr || a == nullptr)
        return 0;
    const auto family = [](Role role) {
        return role == Role::FloorTom                           ? Role::RackTom
               : role == Role::KickOut || role == Role::SubKick ? Role::KickIn
               : role == Role::SnareBottom                      ? Role::SnareTop
                                                                : role;
    };
    const auto ownDb = [&](Id id) {
        const int input = a->inputOf(id);
        return input < 0 ? cask::kSilenceDb : a->spill.rooms[static_cast<std::size_t>(input)].ownDb;
    };
    auto next = m_document.session();
    int count = 0;
    for (const auto& other : m_document.session().elements) {
        if (other->id == e->id || family(other->role) != family(e->role) ||
            ownDb(other->id) <= cask::kSilenceDb)
            continue;
        auto settings = std::get<dsp::GateSettings>(m->settings);
        const double by = ownDb(other->id) - ownDb(e->id);
        settings.openDb = std::clamp(settings.openDb + by, -90.0, 0.0);
        settings.closeDb = std::clamp(settings.closeDb + by, -96.0, 0.0);
        const auto* old = session::findModule<dsp::GateSettings>(other->chain);
        if (old != nullptr)
            next = session::withGate(std::move(next), old->id, [&](dsp::GateSettings& g) { g = settings; });
        else
            session::addModule(next, other->id, settings);
        ++count;
    }
    if (count > 0)
        m_document.edit(std::move(next), tr("Copy gate to %n element(s)", nullptr, count));
    return count;
}

} // namespace cask::app
