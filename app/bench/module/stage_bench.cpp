#include "app/bench/module/stage_bench.h"

#include "app/bench/module/chain_order_row.h"
#include "app/bench/module/module_actions.h"
#include "app/bench/module/module_fields.h"
#include "app/widgets/words.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"

#include <QVBoxLayout>

#include <algorithm>

namespace cask::app {
namespace {

constexpr std::size_t kBarsInARow = 3;

QStringList wordsOfKinds(const std::vector<session::ModuleSettings>& kinds) {
    QStringList list;
    for (const auto& settings : kinds) {
        session::Module one;
        one.settings = settings;
        one.ordinal = 1;
        list << words(session::wordsOf(one));
    }
    return list;
}

} // namespace

StageBench::StageBench(const Desk& desk, Stage stage, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_stage(stage), m_kinds(session::kindsOf(stage)),
      m_layout(new QVBoxLayout(this)),
      m_actions(new ModuleActions(desk.document, wordsOfKinds(m_kinds), this)),
      m_order(new ChainOrderRow(desk, this)) {
    m_layout->setContentsMargins(0, 0, 0, 0);
    m_layout->setSpacing(8);
    m_layout->addWidget(m_actions);
    m_layout->addWidget(m_order);
    m_layout->addStretch();
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("%1 bench").arg(stageName(m_stage)));
    if (m_kinds.size() > 1)
        m_order->addInFront(tr("section"), &m_actions->sectionBox());
    m_order->takeKeysOf(this);
    connect(m_actions, &ModuleActions::wantsAdd, this, &StageBench::add);
    connect(m_actions, &ModuleActions::wantsRefresh, this, &StageBench::refresh);
    connect(m_actions, &ModuleActions::moduleChosen, this, [this](Id module) {
        m_chosen = module;
        refresh();
    });
    connect(&desk.document, &Document::changed, this, &StageBench::refresh);
    connect(&desk.document, &Document::selectionChanged, this, &StageBench::refresh);
    refresh();
}

std::vector<const session::Module*> StageBench::modules() const {
    std::vector<const session::Module*> all;
    if (const auto* chain = m_desk.document.session().chain(m_desk.document.selected()))
        for (const auto& m : *chain)
            if (session::stageOf(m.settings) == m_stage)
                all.push_back(&m);
    return all;
}

const session::Module* StageBench::module() const {
    const auto all = modules();
    const auto chosen =
        std::find_if(all.begin(), all.end(), [&](const auto* m) { return m->id == m_chosen; });
    return chosen != all.end() ? *chosen : all.empty() ? nullptr : all.front();
}

void StageBench::add(int kind) {
    auto next = m_desk.document.session();
    const Id owner = m_desk.document.selected();
    if (next.chain(owner) == nullptr)
        return;
    const auto& settings = m_kinds[static_cast<std::size_t>(kind)];
    m_chosen = session::addModule(next, owner, settings);
    const QString name = QString::fromStdString(next.nameOf(owner));
    m_desk.document.edit(std::move(next), tr("Add a %1, %2").arg(wordsOfKinds({settings}).front(), name));
}

void StageBench::showFields(const session::Module* module) {
    const std::string kind(module == nullptr ? "" : session::kindId(module->settings));
    if (kind != m_fieldsOf) {
        delete m_fields;
        m_fields = nullptr;
        m_fieldsOf = kind;
        if (module != nullptr) {
            m_fields = new ModuleFields(m_desk.document, module->settings, this);
            std::vector<std::string> bars;
            std::vector<std::string> choices;
            for (const auto* info : session::parametersOf(module->settings)) {
                const bool isBar = info->kind == session::ParameterKind::Number;
                (isBar ? bars : choices).emplace_back(info->id);
            }
            for (std::size_t i = 0; i < bars.size(); i += kBarsInARow)
                m_fields->addRow(
                    {bars.begin() + static_cast<std::ptrdiff_t>(i),
                     bars.begin() + static_cast<std::ptrdiff_t>(std::min(bars.size(), i + kBarsInARow))});
            for (const auto& choice : choices)
                m_fields->addRow({choice});
            m_layout->insertWidget(1, m_fields);
        }
    }
    if (m_fields != nullptr)
        m_fields->showModule({m_desk.document.selected(), module->id}, m_actions->section());
}

void StageBench::refresh() {
    const auto* m = module();
    m_actions->showModules(m_desk.document.selected(), modules(), m);
    m_order->setModule(m == nullptr ? session::kNoId : m->id);
    showFields(m);
}

QString StageBench::summary() const {
    QStringList parts;
    for (const auto* m : modules())
        parts << words(session::wordsOf(*m)) +
                     (m->isOn ? QStringLiteral(" ") + words(session::cellText(m->settings)) : tr(" off"));
    return parts.empty() ? tr("nothing yet") : parts.join(QStringLiteral(", "));
}

} // namespace cask::app
