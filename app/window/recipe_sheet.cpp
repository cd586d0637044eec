#include "app/window/recipe_sheet.h"

#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"
#include "app/widgets/words.h"
#include "core/kit_measures/drum_facts.h"
#include "core/session/kinds.h"

#include <QCheckBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>

namespace cask::app {
namespace {

enum RecipeColumn { kWhere, kValue, kWritten, kHere, kBecause, kRecipeColumns };
constexpr int kAdapted = 0;
constexpr int kReplaces = 0;

QString because(session::Follows follows) {
    switch (follows) {
    case session::Follows::Level:
        return RecipeSheet::tr("level of own hits");
    case session::Follows::Note:
        return RecipeSheet::tr("fundamental");
    case session::Follows::Tempo:
        return RecipeSheet::tr("tempo");
    case session::Follows::Nothing:
        break;
    }
    return {};
}

} // namespace

session::FactsOf RecipeSheet::factsIn(const Desk& desk) {
    return [desk](Id owner) {
        return kit::drumFacts(desk.document.session(), desk.hits.analysis(), desk.tones.tone(owner), owner);
    };
}

RecipeSheet::RecipeSheet(const Desk& desk, session::Recipe recipe, std::vector<Id> owners, QWidget* parent)
    : QDialog(parent), m_desk(desk), m_recipe(std::move(recipe)), m_owners(std::move(owners)),
      m_adapting(new ChoiceRow({tr("adapted to the drum"), tr("as it is written")}, this)),
      m_placing(new ChoiceRow({tr("in place of the chain"), tr("beside what is there")}, this)),
      m_values(new QTableWidget(0, kRecipeColumns, this)), m_notes(new QLabel(this)),
      m_try(new QPushButton(tr("try"), this)), m_take(new QPushButton(tr("take"), this)) {
    const bool isKit = m_recipe.scope == session::RecipeScope::Kit;
    QStringList names;
    for (const Id id : m_owners)
        names << QString::fromStdString(desk.document.session().nameOf(id));
    setWindowTitle(
        isKit ? tr("%1 on this kit").arg(QString::fromStdString(m_recipe.name))
              : tr("%1 on %2").arg(QString::fromStdString(m_recipe.name), names.join(QStringLiteral(", "))));
    resize(620, 460);
    auto* layout = new QVBoxLayout(this);
    layout->setSpacing(8);
    if (!m_recipe.notes.empty()) {
        auto* what = new QLabel(QString::fromStdString(m_recipe.notes), this);
        what->setWordWrap(true);
        layout->addWidget(what);
    }
    auto* ticks = new QHBoxLayout;
    ticks->setSpacing(12);
    if (!isKit)
        for (const auto& module : m_recipe.parts.front().chain) {
            auto* box = new QCheckBox(words(session::wordsOf(module)), this);
            box->setChecked(true);
            connect(box, &QCheckBox::toggled, this, &RecipeSheet::replan);
            ticks->addWidget(box);
            m_modules.push_back(box);
        }
    ticks->addStretch();
    layout->addLayout(ticks);
    auto* choices = new QHBoxLayout;
    choices->setSpacing(24);
    m_adapting->setAccessibleName(tr("Values"));
    m_adapting->setToolTip(tr("Thresholds follow the level of own hits, frequencies up to ten times the "
                              "fundamental follow it, release, hold and decay follow the tempo"));
    m_placing->setAccessibleName(tr("Place"));
    m_placing->setChosen(m_recipe.scope == session::RecipeScope::Modules ? 1 : kReplaces);
    m_placing->setVisible(!isKit);
    for (auto* row : {m_adapting, m_placing}) {
        choices->addWidget(row);
        connect(row, &ChoiceRow::choiceEdited, this, &RecipeSheet::replan);
    }
    choices->addStretch();
    layout->addLayout(choices);
    m_values->setHorizontalHeaderLabels({tr("On"), tr("Value"), tr("written"), tr("here"), tr("because of")});
    m_values->setAccessibleName(tr("Values that are adapted"));
    m_values->verticalHeader()->hide();
    m_values->verticalHeader()->setDefaultSectionSize(24);
    m_values->setEditTriggers(QAbstractItemView::NoEditTriggers);
    m_values->setSelectionBehavior(QAbstractItemView::SelectRows);
    m_values->setShowGrid(false);
    m_values->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    m_values->horizontalHeader()->setSectionResizeMode(kValue, QHeaderView::Stretch);
    layout->addWidget(m_values, 1);
    m_notes->setFont(textFont(12));
    m_notes->setWordWrap(true);
    m_notes->setAccessibleName(tr("Notes"));
    layout->addWidget(m_notes);
    auto* buttons = new QHBoxLayout;
    buttons->addStretch();
    auto* leave = new QPushButton(tr("leave it"), this);
    m_try->setToolTip(tr("While held: from the playhead on with it, as loud as without"));
    m_take->setToolTip(tr("In one edit, which can be undone (Enter)"));
    m_take->setDefault(true);
    for (auto* button : {m_try, m_take, leave})
        buttons->addWidget(button);
    layout->addLayout(buttons);
    connect(leave, &QPushButton::clicked, this, &QDialog::reject);
    connect(m_take, &QPushButton::clicked, this, &RecipeSheet::take);
    connect(m_try, &QPushButton::pressed, this, [this] {
        constexpr double kLongS = 8;
        const double from = m_desk.playback.positionS();
        m_desk.playback.audition(
            {{}, from, from + kLongS, [recipe = wanted(), plan = m_plan](session::Session s) {
                 return session::withRecipe(std::move(s), recipe, plan);
             }});
    });
    connect(m_try, &QPushButton::released, this, [this] { m_desk.playback.endAudition(); });
    connect(&desk.document, &Document::opened, this, &QDialog::reject);
    // What is measured meanwhile counts.
    connect(&desk.hits, &HitModel::hitsChanged, this, &RecipeSheet::replan);
    replan();
}

bool RecipeSheet::event(QEvent* event) {
    if (event->type() == QEvent::ShortcutOverride)
        event->accept();
    return QDialog::event(event);
}

session::Recipe RecipeSheet::wanted() const {
    session::Recipe recipe = m_recipe;
    if (recipe.scope == session::RecipeScope::Kit)
        return recipe;
    recipe.scope =
        m_placing->chosen() == kReplaces ? session::RecipeScope::Chain : session::RecipeScope::Modules;
    auto& chain = recipe.parts.front().chain;
    for (std::size_t i = m_modules.size(); i-- > 0;)
        if (!m_modules[i]->isChecked())
            chain.erase(chain.begin() + static_cast<std::ptrdiff_t>(i));
    return recipe;
}

void RecipeSheet::replan() {
    const auto& s = m_desk.document.session();
    const auto recipe = wanted();
    m_plan = session::planRecipe(s, recipe, m_owners, factsIn(m_desk), m_adapting->chosen() == kAdapted);
    m_values->setRowCount(0);
    QStringList notes;
    for (const auto& note : m_plan.notes)
        notes << pretty(note);
    for (const auto& step : m_plan.steps) {
        for (const auto& value : step.adapted.values) {
            const int row = m_values->rowCount();
            m_values->insertRow(row);
            const std::array cells = {QString::fromStdString(s.nameOf(step.owner)), words(value.name),
                                      words(session::formatValue(*value.info, value.before)),
                                      words(session::formatValue(*value.info, value.after)),
                                      because(value.follows)};
            for (int column = 0; column < kRecipeColumns; ++column)
                m_values->setItem(row, column, new QTableWidgetItem(cells[static_cast<std::size_t>(column)]));
        }
        for (const auto& note : step.adapted.notes)
            if (const QString said =
                    QStringLiteral("%1: %2").arg(QString::fromStdString(s.nameOf(step.owner)), pretty(note));
                !notes.contains(said))
                notes << said;
    }
    if (m_values->rowCount() == 0)
        notes.prepend(m_adapting->chosen() == kAdapted ? tr("No value needs adapting.")
                                                       : tr("All values stay as they are written."));
    for (const int column : {kWhere, kWritten, kHere, kBecause})
        m_values->resizeColumnToContents(column);
    m_notes->setText(notes.join(QLatin1Char('\n')));
    const bool hasAny = std::any_of(m_plan.steps.begin(), m_plan.steps.end(),
                                    [](const auto& step) { return !step.adapted.chain.empty(); });
    m_take->setEnabled(hasAny);
    m_try->setEnabled(hasAny);
}

QString RecipeSheet::notesText() const {
    return m_notes->text();
}

void RecipeSheet::take() {
    m_desk.document.edit(session::withRecipe(m_desk.document.session(), wanted(), m_plan),
                         tr("Put %1").arg(windowTitle()), {}, Document::Spreads::No);
    accept();
}

} // namespace cask::app
