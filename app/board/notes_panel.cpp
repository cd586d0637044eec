#include "app/board/notes_panel.h"

#include "app/theme/theme.h"

#include <QFileDialog>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>

namespace cask::app {

NotesPanel::NotesPanel(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_title(new QLabel(this)), m_text(new QLabel(this)),
      m_find(new QPushButton(tr("Find the file"), this)), m_clear(new QPushButton(tr("Clear"), this)) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(12, 8, 12, 8);
    layout->setSpacing(6);
    m_title->setFont(textFont(12, QFont::DemiBold));
    m_text->setFont(textFont(13));
    m_text->setAccessibleName(tr("Notes"));
    m_text->setWordWrap(true);
    m_text->setTextInteractionFlags(Qt::TextSelectableByMouse);
    m_text->setAlignment(Qt::AlignTop | Qt::AlignLeft);
    auto* scroll = new QScrollArea(this);
    scroll->setWidget(m_text);
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setFocusPolicy(Qt::NoFocus);
    auto* actions = new QHBoxLayout;
    actions->addWidget(m_find);
    actions->addWidget(m_clear);
    actions->addStretch();
    layout->addWidget(m_title);
    layout->addWidget(scroll, 1);
    layout->addLayout(actions);
    connect(m_find, &QPushButton::clicked, this, &NotesPanel::findFile);
    connect(m_clear, &QPushButton::clicked, &m_desk.document, &Document::clearNotes);
    connect(&desk.document, &Document::selectionChanged, this, &NotesPanel::refresh);
    connect(&desk.document, &Document::notesChanged, this, &NotesPanel::refresh);
    connect(&desk.document, &Document::changed, this, &NotesPanel::refresh);
    connect(&desk.document, &Document::opened, this, &NotesPanel::refresh);
    connect(&desk.analyst, &Analyst::fileChanged, this, &NotesPanel::refresh);
    connect(&desk.playback, &Playback::deviceChanged, this, &NotesPanel::refresh);
    refresh();
}

QString NotesPanel::text() const {
    return m_text->text();
}

void NotesPanel::refresh() {
    const auto& document = m_desk.document;
    const Id id = document.selected();
    QStringList lines;
    for (const auto& note : document.notes())
        lines << note;
    const auto problems = m_desk.analyst.problemsOf(id);
    for (const auto& problem : problems)
        lines << problem;
    const auto* state = m_desk.analyst.element(id);
    m_find->setVisible(state != nullptr && state->isMissing);
    m_clear->setVisible(!document.notes().isEmpty());
    const QString name = QString::fromStdString(document.session().nameOf(id));
    m_title->setText(name.isEmpty() ? tr("Notes") : tr("Notes on %1").arg(name));
    if (lines.isEmpty())
        lines << (document.session().elements.empty()
                      ? tr("Drop a folder of drum tracks on the window to begin.")
                  : state != nullptr && state->status != FileStatus::Ready
                      ? tr("Still being measured.")
                      : tr("Nothing wants attention here."));
    m_text->setText(lines.join(QStringLiteral("\n\n")));
}

void NotesPanel::findFile() {
    const auto* e = m_desk.document.session().element(m_desk.document.selected());
    if (e == nullptr)
        return;
    const QString path =
        QFileDialog::getOpenFileName(this, tr("Where is %1?").arg(QString::fromStdString(e->name)));
    if (!path.isEmpty())
        m_desk.document.relink(e->channels.front().file, path);
}

} // namespace cask::app
