// The edits of GateModel: each is one step of the history.
#include "app/models/gate_model.h"
#include "app/models/module_edits.h"
#include "app/widgets/words.h"
#include "core/kit_measures/drum_facts.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"

#include <algorithm>
#include <cmath>

namespace cask::app {
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

void GateModel::edit(const std::string& field, double value, bool isDragging) {
    editModuleValue(m_document, at(), {}, field, value, isDragging,
                    [&](session::Module& m) { keepThresholds(m, field); });
}

void GateModel::keepThresholds(session::Module& module, const std::string& field) {
    auto* gate = std::get_if<dsp::GateSettings>(&module.settings);
    if (gate == nullptr)
        return;
    if (field == "open_db")
        gate->closeDb = std::min(gate->closeDb, gate->openDb);
    if (field == "close_db")
        gate->openDb = std::max(gate->closeDb, gate->openDb);
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
    // Thresholds alone go along: times and frequencies of similar drums are alike.
    const auto levelOf = [&](Id id) {
        return session::DrumFacts{kit::drumFacts(m_document.session(), a, nullptr, id).ownDb, {}, {}};
    };
    session::Module copied = *m;
    copied.key = session::kNoId; // a key is not copied
    auto next = m_document.session();
    int count = 0;
    for (const auto& other : m_document.session().elements) {
        if (other->id == e->id || family(other->role) != family(e->role) || !levelOf(other->id).ownDb)
            continue;
        const auto made = session::adapted({copied}, levelOf(e->id), levelOf(other->id));
        const auto& settings = std::get<dsp::GateSettings>(made.chain.front().settings);
        const auto* old = session::findModule<dsp::GateSettings>(other->chain);
        if (old != nullptr)
            next = session::withGate(std::move(next), old->id, [&](dsp::GateSettings& g) { g = settings; });
        else
            session::addModule(next, other->id, settings);
        ++count;
    }
    if (count > 0)
        m_document.edit(std::move(next),
                        tr("Copy gate to %1").arg(counted(count, tr("element"), tr("elements"))));
    return count;
}

} // namespace cask::app
