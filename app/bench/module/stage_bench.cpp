#include "app/bench/module/stage_bench.h"

#include "app/bench/module/chain_order_row.h"
#include "app/bench/module/module_actions.h"
#include "app/bench/module/module_fields.h"
#include "app/widgets/words.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"

#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr std::size_t kBarsInARow = 3;

/// Whether a corner of the band means something beside the others.
bool isDriveValueUsed(const session::ModuleSettings& settings, std::string_view id) {
    const auto* s = std::get_if<dsp::SaturationSettings>(&settings);
    if (s == nullptr || (id != "from_hz" && id != "to_hz"))
        return true;
    return s->band == dsp::GateReach::Between ||
           s->band == (id == "from_hz" ? dsp::GateReach::Above : dsp::GateReach::Below);
}

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
      m_order(new ChainOrderRow(desk, this)), m_moreButton(new MoreButton(this)) {
    m_layout->setContentsMargins(0, 0, 0, 0);
    m_layout->setSpacing(8);
    m_layout->addWidget(m_actions);
    m_layout->addWidget(m_order);
    m_layout->addStretch();
    m_actions->addToEnd(m_moreButton);
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
    auto settings = m_kinds[static_cast<std::size_t>(kind)];
    // A resonator begins at the drum's own note, where that is known.
    const auto* tone = m_desk.tones.tone(owner);
    if (auto* body = std::get_if<dsp::BodySettings>(&settings);
        body != nullptr && tone != nullptr && tone->isNoteSure())
        body->frequencyHz = std::round(10 * tone->partials.fundamental.hz) / 10;
    m_chosen = session::addModule(next, owner, settings);
    const QString name = QString::fromStdString(next.nameOf(owner));
    m_desk.document.edit(std::move(next), tr("Add a %1, %2").arg(wordsOfKinds({settings}).front(), name));
}

/// Two rows of numbers and two of choices stand open; what a kind has besides is folded.
void StageBench::makeFields(const session::ModuleSettings& settings) {
    constexpr std::size_t kOpenBars = 2 * kBarsInARow;
    constexpr std::size_t kOpenChoices = 2;
    std::vector<std::string> bars;
    std::vector<std::string> choices;
    for (const auto* info : session::parametersOf(settings)) {
        const bool isBar = info->kind == session::ParameterKind::Number;
        (isBar ? bars : choices).emplace_back(info->id);
    }
    const auto make = [&](std::size_t fromBar, std::size_t toBar, std::size_t fromChoice,
                          std::size_t toChoice) {
        auto* fields = new ModuleFields(m_desk.document, settings, this);
        for (std::size_t i = fromBar; i < toBar; i += kBarsInARow)
            fields->addRow({bars.begin() + static_cast<std::ptrdiff_t>(i),
                            bars.begin() + static_cast<std::ptrdiff_t>(std::min(toBar, i + kBarsInARow))});
        for (std::size_t i = fromChoice; i < toChoice; ++i)
            fields->addRow({choices[i]});
        fields->isUsed = isDriveValueUsed;
        fields->goAlong = [this](session::Module& m, const std::string& id) {
            if (goAlong)
                goAlong(m, id);
        };
        return fields;
    };
    const std::size_t openBars = std::min(bars.size(), kOpenBars);
    const std::size_t openChoices = std::min(choices.size(), kOpenChoices);
    m_fields = make(0, openBars, 0, openChoices);
    m_layout->insertWidget(1, m_fields);
    if (openBars == bars.size() && openChoices == choices.size())
        return;
    m_more = make(openBars, bars.size(), openChoices, choices.size());
    m_layout->insertWidget(2, m_more);
    m_moreButton->opens(m_more);
}

void StageBench::showFields(const session::Module* module) {
    const std::string kind(module == nullptr ? "" : session::kindId(module->settings));
    if (kind != m_fieldsOf) {
        delete m_fields;
        delete m_more;
        m_fields = m_more = nullptr;
        m_fieldsOf = kind;
        if (module != nullptr)
            makeFields(module->settings);
    }
    for (auto* fields : {m_fields, m_more})
        if (fields != nullptr)
            fields->showModule({m_desk.document.selected(), module->id}, m_actions->section());
    m_moreButton->setVisible(m_more != nullptr);
    if (m_more != nullptr)
        m_more->setVisible(m_moreButton->isChecked());
    emit moduleShown();
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
