// What can be done with the selected elements and buses: copy, paste, recipes, links, rows of the Board.
#include "app/bench/bench.h"
#include "app/bench/intake/intake_bench.h"
#include "app/board/board.h"
#include "app/window/main_window.h"
#include "app/window/menu_entry.h"
#include "app/window/recipe_list.h"
#include "app/window/recipe_sheet.h"
#include "core/project/bounce.h"
#include "core/project/freeze.h"
#include "core/project/offline_sources.h"
#include "core/project/played_files.h"
#include "core/session/kinds.h"
#include "core/session/recipe_files.h"
#include "core/session/spread_edit.h"

#include <QApplication>
#include <QClipboard>

namespace cask::app {

void MainWindow::addSelectionActions(QMenu* menu) {
    addEntry(menu, tr("Copy the chain"), QKeySequence::Copy, this, [this] { copyChain(false); });
    addEntry(menu, tr("Copy this stage's modules"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_C), this,
             [this] { copyChain(true); });
    addEntry(menu, tr("Paste\u2026"), QKeySequence::Paste, this, [this] { pasteChain(); });
    addEntry(menu, tr("Recipes\u2026"), QKeySequence(Qt::CTRL | Qt::Key_R), this, [this] { showRecipes(); });
    addEntry(menu, tr("Render to a new element"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_R), this,
             [this] { bounceSelected(false); });
    addEntry(menu, tr("Render to a new element in its place"), QKeySequence(Qt::CTRL | Qt::ALT | Qt::Key_R),
             this, [this] { bounceSelected(true); });
    addEntry(menu, tr("Freeze, or thaw"), QKeySequence(Qt::SHIFT | Qt::Key_F), this,
             [this] { freezeSelected(); });
    addEntry(menu, tr("Role\u2026"), QKeySequence(Qt::Key_R), this,
             [this] { m_bench->intake().chooseRole(); });
    menu->addSeparator();
    addEntry(menu, tr("Select all that goes to this bus"), QKeySequence(Qt::CTRL | Qt::Key_B), this,
             [this] { selectBusMembers(); });
    addEntry(menu, tr("Link the selected, or part them"), QKeySequence(Qt::CTRL | Qt::Key_L), this,
             [this] { linkSelected(); });
    addEntry(menu, tr("Hide the selected rows"), QKeySequence(Qt::CTRL | Qt::Key_H), this,
             [this] { m_board->hideRows(m_document.selection()); });
    addEntry(menu, tr("Show hidden rows"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_H), this,
             [this] { m_board->showHiddenRows(); });
}

/// The entries that concern a row, out of the menus.
void MainWindow::fillBoardMenu(QMenu& menu) {
    const QStringList wanted = {tr("Solo"),
                                tr("Solo this alone"),
                                tr("Mute"),
                                tr("Solo-safe, or no longer"),
                                tr("Copy the chain"),
                                tr("Paste\u2026"),
                                tr("Recipes\u2026"),
                                tr("Render to a new element"),
                                tr("Render to a new element in its place"),
                                tr("Freeze, or thaw"),
                                tr("Select all that goes to this bus"),
                                tr("Link the selected, or part them"),
                                tr("Hide the selected rows"),
                                tr("Show hidden rows"),
                                tr("Role\u2026"),
                                tr("Rename\u2026"),
                                tr("Remove from the session")};
    const auto all = findChildren<QAction*>();
    for (const auto& text : wanted)
        for (auto* action : all)
            if (action->text() == text) {
                menu.addAction(action);
                break;
            }
}

void MainWindow::copyChain(bool isOfStageOnly) {
    const Id id = m_document.selected();
    const auto& s = m_document.session();
    const Desk desk{m_document, m_analyst, *m_playback, m_hits, m_tones, m_findings};
    const auto isWanted = [stage = m_document.stage()](const session::Module& m) {
        return session::stageOf(m.settings) == stage;
    };
    const auto recipe =
        session::recipeOf(s, id, RecipeSheet::factsIn(desk)(id),
                          isOfStageOnly ? session::RecipeScope::Modules : session::RecipeScope::Chain,
                          isOfStageOnly ? std::function<bool(const session::Module&)>(isWanted) : nullptr);
    if (recipe.parts.front().chain.empty()) {
        m_document.addNote(
            isOfStageOnly
                ? tr("Nothing to copy: %1 has no module of %2.")
                      .arg(QString::fromStdString(s.nameOf(id)), stageName(m_document.stage()))
                : tr("Nothing to copy: the chain of %1 is empty.").arg(QString::fromStdString(s.nameOf(id))));
        return;
    }
    QApplication::clipboard()->setText(QString::fromStdString(session::toJson(recipe)));
}

void MainWindow::pasteChain() {
    const auto recipe = session::recipeFromJson(QApplication::clipboard()->text().toStdString(),
                                                tr("What is on the clipboard").toStdString());
    if (!recipe) {
        m_document.addNote(QString::fromStdString(recipe.error().message) +
                           tr(" Copy a chain first (Ctrl+C on the Board)."));
        return;
    }
    const Desk desk{m_document, m_analyst, *m_playback, m_hits, m_tones, m_findings};
    auto* sheet = new RecipeSheet(desk, *recipe, m_document.selection(), this);
    sheet->setAttribute(Qt::WA_DeleteOnClose);
    sheet->show(); // nothing modal while sound plays
}

void MainWindow::showRecipes() {
    const auto* e = m_document.session().element(m_document.selected());
    auto* list = new RecipeList(e == nullptr ? Role::Unknown : e->role, this);
    list->setAttribute(Qt::WA_DeleteOnClose);
    connect(list, &RecipeList::wantsUse, this, [this](const session::Recipe& recipe) {
        const Desk desk{m_document, m_analyst, *m_playback, m_hits, m_tones, m_findings};
        auto* sheet = new RecipeSheet(desk, recipe, m_document.selection(), this);
        sheet->setAttribute(Qt::WA_DeleteOnClose);
        sheet->show();
    });
    connect(list, &RecipeList::wantsKeep, this, [this, list](bool isWholeKit) {
        const Desk desk{m_document, m_analyst, *m_playback, m_hits, m_tones, m_findings};
        const auto factsOf = RecipeSheet::factsIn(desk);
        const Id id = m_document.selected();
        saveRecipe(isWholeKit ? session::kitRecipeOf(m_document.session(), factsOf)
                              : session::recipeOf(m_document.session(), id, factsOf(id),
                                                  session::RecipeScope::Chain));
        list->refresh();
    });
    list->show();
}

void MainWindow::saveRecipe(session::Recipe recipe) {
    const QString suggested = QString::fromStdString(recipe.name);
    withName(tr("Name of the recipe"), suggested, [this, recipe](const QString& name) {
        auto named = recipe;
        named.name = name.toStdString();
        auto saved = session::saveRecipe(named);
        if (!saved && saved.error().code == ErrorCode::Exists) {
            m_document.addNote(QString::fromStdString(saved.error().message) +
                               tr(" Nothing was saved; choose another name, or remove that one first."));
            return;
        }
        m_document.addNote(QString::fromStdString(saved ? "The recipe is in " + saved->string() + "."
                                                        : saved.error().message));
    });
}

void MainWindow::bounceSelected(bool replaces) {
    const Id id = m_document.selected();
    const QString name = QString::fromStdString(m_document.session().nameOf(id));
    if (m_document.isUntitled()) {
        m_document.addNote(tr("Save the session first: what is rendered goes into its folder."));
        return;
    }
    if (const auto can = project::canBeReplaced(m_document.session(), id); replaces && !can) {
        m_document.addNote(QString::fromStdString(can.error().message));
        return;
    }
    runJob(tr("Rendering %1").arg(name),
           [this, id, name, replaces, snapshot = m_document.snapshot(), folder = m_document.folder(),
            audio = m_document.store().audioFolder()](const CancelToken& cancel,
                                                      const ProgressFn& progress) -> Finish {
               auto file = [&]() -> Result<session::IntakeFile> {
                   const auto sources = project::openOfflineSources(*snapshot, folder, cancel);
                   if (!sources)
                       return sources.error();
                   if (!sources->problems.empty())
                       return Error{ErrorCode::NotReadable, sources->problems.front()};
                   std::error_code error;
                   std::filesystem::create_directories(audio, error); // what is wrong is told by the file
                   const auto protectedFiles = project::protectedFiles(*snapshot, folder);
                   return project::bounce(*snapshot, sources->lookup(), {id},
                                          project::freeBounceName(audio, snapshot->nameOf(id)),
                                          {IfExists::Refuse, &protectedFiles}, cancel, progress);
               }();
               if (file)
                   file->path = session::storedPath(file->path, folder);
               return [this, id, name, replaces, file, folder] {
                   if (!file) {
                       if (file.error().code != ErrorCode::Cancelled)
                           m_document.addNote(QString::fromStdString(file.error().message) +
                                              tr(" Nothing was rendered."));
                       return;
                   }
                   if (folder != m_document.folder() || m_document.session().output(id) == nullptr)
                       return; // another session, or it is gone: the file stays
                   auto made = project::withBounced(m_document.session(), *file, {id},
                                                    tr("%1 bounced").arg(name).toStdString(), replaces);
                   m_document.edit(std::move(made.session), tr("Render %1").arg(name), {},
                                   Document::Spreads::No);
                   m_document.select(made.element);
               };
           });
}

void MainWindow::freezeSelected() {
    const Id id = m_document.selected();
    const auto played = m_playback->playedFrozen();
    if (std::find(played.begin(), played.end(), id) != played.end()) {
        m_freeze.thaw(id);
        return;
    }
    if (id == m_document.session().master().id) {
        m_document.addNote(tr("The master is not frozen: it is what is heard."));
        return;
    }
    runJob(tr("Freezing %1").arg(QString::fromStdString(m_document.session().nameOf(id))),
           [this, id, snapshot = m_document.snapshot(), folder = m_document.folder(),
            cache = m_document.store().cacheFolder()](const CancelToken& cancel,
                                                      const ProgressFn& progress) -> Finish {
               const auto done = [&]() -> Result<std::filesystem::path> {
                   const auto sources = project::openOfflineSources(*snapshot, folder, cancel);
                   if (!sources)
                       return sources.error();
                   return project::freeze(*snapshot, id, sources->lookup(), cache, cancel, progress);
               }();
               return [this, id, done, folder] {
                   if (!done && done.error().code != ErrorCode::Cancelled)
                       m_document.addNote(QString::fromStdString(done.error().message) +
                                          tr(" Nothing was frozen."));
                   if (done && folder == m_document.folder() && m_document.session().output(id) != nullptr)
                       m_freeze.take(id);
               };
           });
}

void MainWindow::linkSelected() {
    const auto owners = m_document.selection();
    const auto& s = m_document.session();
    const bool isLinked = !owners.empty() && !session::linkedWith(s, owners.front()).empty();
    if (owners.size() < 2 && !isLinked) {
        m_document.addNote(tr("Select two rows or more to link them: Ctrl or Shift with a click, Shift with "
                              "the arrow keys."));
        return;
    }
    const bool areOne = isLinked && owners.size() == session::linkedWith(s, owners.front()).size() + 1;
    const bool parts = owners.size() < 2 || areOne;
    m_document.edit(parts ? session::withoutLink(s, owners) : session::withLink(s, owners),
                    parts ? tr("Part the link") : tr("Link %1 elements").arg(owners.size()), {},
                    Document::Spreads::No);
}

void MainWindow::selectBusMembers() {
    const auto& s = m_document.session();
    const Id id = m_document.selected();
    const auto* e = s.element(id);
    const Id bus = e != nullptr ? e->out.bus : id;
    std::vector<Id> members;
    for (const auto& one : s.elements)
        if (one->out.bus == bus)
            members.push_back(one->id);
    if (members.empty())
        return;
    if (e == nullptr)
        m_document.select(members.front());
    m_document.selectAlso(members);
}

} // namespace cask::app
