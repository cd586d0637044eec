#include "app/shelf/shelf_page.h"

#include "app/shelf/shelf_list.h"
#include "app/shelf/shelf_map_picture.h"
#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QLocale>
#include <QMenu>
#include <QProgressBar>
#include <QPushButton>
#include <QTableView>
#include <QVBoxLayout>

#include <algorithm>
#include <limits>

namespace cask::app {
namespace {

struct NumberWords {
    const char* number;
    const char* words;
    const char* unit;
};
constexpr NumberWords kNumberWords[] = {
    {"length_ms", QT_TRANSLATE_NOOP("ShelfPage", "length"), "ms"},
    {"fundamental_hz", QT_TRANSLATE_NOOP("ShelfPage", "note"), "Hz"},
    {"brightness_hz", QT_TRANSLATE_NOOP("ShelfPage", "brightness"), "Hz"},
    {"attack_ms", QT_TRANSLATE_NOOP("ShelfPage", "attack"), "ms"},
    {"decay_ms", QT_TRANSLATE_NOOP("ShelfPage", "decay"), "ms"},
    {"from_hz", QT_TRANSLATE_NOOP("ShelfPage", "falls from"), "Hz"},
    {"fall_ms", QT_TRANSLATE_NOOP("ShelfPage", "falls for"), "ms"},
    {"noisiness", QT_TRANSLATE_NOOP("ShelfPage", "noisiness"), "0\u20131"},
    {"low_share", QT_TRANSLATE_NOOP("ShelfPage", "share of lows"), "0\u20131"},
    {"width_percent", QT_TRANSLATE_NOOP("ShelfPage", "width"), "%"},
    {"loudness_db", QT_TRANSLATE_NOOP("ShelfPage", "loudness"), "dB"},
};

QLineEdit* limitField(const QString& name, QWidget* parent) {
    auto* field = new QLineEdit(parent);
    field->setAccessibleName(name);
    field->setPlaceholderText(name);
    field->setMaximumWidth(70);
    field->setToolTip(ShelfPage::tr("Left empty: no limit"));
    return field;
}

} // namespace

ShelfPage::ShelfPage(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_model(new ShelfModel(desk, this)), m_title(new QLabel(this)),
      m_folders(new QPushButton(tr("Folders"), this)), m_folderMenu(new QMenu(this)),
      m_progress(new QProgressBar(this)), m_stop(new QPushButton(tr("Stop"), this)),
      m_words(new QLineEdit(this)), m_role(new QComboBox(this)), m_number(new QComboBox(this)),
      m_least(limitField(tr("from"), this)), m_most(limitField(tr("to"), this)),
      m_subject(new QPushButton(this)), m_map(new ShelfMapPicture(*m_model, this)),
      m_list(new ShelfList(this)), m_table(new QTableView(this)),
      m_place(new ChoiceRow({tr("by itself"), tr("instead"), tr("with it")}, this)),
      m_hear(new QPushButton(this)), m_like(new QPushButton(tr("More like this"), this)),
      m_complement(new QPushButton(tr("What complements it"), this)),
      m_likeMoment(new QPushButton(tr("Like the chosen hit"), this)),
      m_onBass(new QPushButton(tr("Kicks on the bass"), this)), m_take(new QPushButton(this)),
      m_status(new QLabel(this)) {
    setAccessibleName(tr("Shelf"));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(16, 6, 16, 12);
    layout->setSpacing(8);
    m_title->setFont(textFont(16, QFont::DemiBold));
    m_progress->setTextVisible(false);
    m_progress->setFixedHeight(5);
    m_progress->setRange(0, 1000);
    m_folders->setMenu(m_folderMenu);
    auto* head = new QHBoxLayout;
    head->addWidget(m_title);
    head->addWidget(m_progress, 1);
    head->addWidget(m_stop);
    head->addStretch();
    head->addWidget(m_folders);
    layout->addLayout(head);

    m_words->setAccessibleName(tr("Words"));
    m_words->setPlaceholderText(tr("words in name or folder"));
    m_words->setClearButtonEnabled(true);
    m_role->setAccessibleName(tr("Role"));
    m_role->addItem(tr("any role"), -1);
    for (const auto& info : allRoles())
        m_role->addItem(QString::fromUtf8(info.name.data(), static_cast<qsizetype>(info.name.size())),
                        static_cast<int>(info.role));
    m_number->setAccessibleName(tr("Number"));
    for (const auto& number : kNumberWords)
        m_number->addItem(QStringLiteral("%1 (%2)").arg(tr(number.words), QString::fromUtf8(number.unit)),
                          QString::fromLatin1(number.number));
    m_subject->setToolTip(tr("Back to the search (Esc)"));
    auto* filters = new QHBoxLayout;
    filters->setSpacing(8);
    filters->addWidget(m_words, 1);
    filters->addWidget(m_role);
    filters->addWidget(m_number);
    filters->addWidget(m_least);
    filters->addWidget(m_most);
    layout->addLayout(filters);
    layout->addWidget(m_subject, 0, Qt::AlignLeft);
    layout->addWidget(m_map, 4);

    m_table->setModel(m_list);
    m_table->setAccessibleName(tr("Sounds"));
    m_table->setFont(textFont(12));
    m_table->setSelectionBehavior(QAbstractItemView::SelectRows);
    m_table->setSelectionMode(QAbstractItemView::SingleSelection);
    m_table->setDragEnabled(true);
    m_table->setShowGrid(false);
    m_table->setTabKeyNavigation(false);
    m_table->setWordWrap(false);
    m_table->verticalHeader()->hide();
    m_table->verticalHeader()->setDefaultSectionSize(20);
    m_table->horizontalHeader()->setHighlightSections(false);
    m_table->horizontalHeader()->setFont(textFont(11));
    m_table->horizontalHeader()->setSectionResizeMode(QHeaderView::Fixed);
    m_table->horizontalHeader()->setSectionResizeMode(ShelfList::Name, QHeaderView::Stretch);
    for (const auto& [column, px] : {std::pair(ShelfList::Role, 92),
                                     {ShelfList::Length, 64},
                                     {ShelfList::Brightness, 66},
                                     {ShelfList::Note, 66},
                                     {ShelfList::Why, 178}})
        m_table->setColumnWidth(column, px);
    m_table->installEventFilter(this);
    layout->addWidget(m_table, 4);

    m_place->setAccessibleName(tr("Where it is heard"));
    m_place->setToolTip(tr("By itself, or struck by the selected element's hits in its place or beside it; "
                           "always as loud"));
    auto* hearing = new QHBoxLayout;
    hearing->setSpacing(8);
    hearing->addWidget(m_hear);
    hearing->addWidget(m_place);
    hearing->addWidget(m_status, 1);
    hearing->addWidget(m_take);
    layout->addLayout(hearing);
    auto* actions = new QHBoxLayout;
    actions->setSpacing(8);
    for (auto* button : {m_like, m_complement, m_likeMoment, m_onBass})
        actions->addWidget(button);
    actions->addStretch();
    layout->addLayout(actions);
    m_status->setFont(textFont(12));
    m_like->setToolTip(tr("The nearest first (L)"));
    m_complement->setToolTip(tr("Strong where it is weak, attacks that add up, no second low end (K)"));
    m_likeMoment->setToolTip(
        tr("Of the selected element, also a reference: the hit chosen on the strip, or the loop"));
    m_take->setToolTip(
        tr("As a layer of the selected element (A); or drag the sound to an element of the Board"));

    connect(m_words, &QLineEdit::textChanged, this, &ShelfPage::ask);
    for (auto* field : {m_least, m_most})
        connect(field, &QLineEdit::textChanged, this, &ShelfPage::ask);
    for (auto* box : {m_role, m_number})
        connect(box, &QComboBox::currentIndexChanged, this, &ShelfPage::ask);
    connect(m_subject, &QPushButton::clicked, this, [this] { m_model->search(query()); });
    connect(m_stop, &QPushButton::clicked, m_model, &ShelfModel::stop);
    connect(m_hear, &QPushButton::clicked, this, &ShelfPage::hearOrStop);
    connect(m_like, &QPushButton::clicked, this, &ShelfPage::askLike);
    connect(m_complement, &QPushButton::clicked, this, &ShelfPage::askComplement);
    connect(m_likeMoment, &QPushButton::clicked, m_model, &ShelfModel::askLikeMoment);
    m_onBass->setToolTip(
        tr("By the low end of the sum with the bass, less what beats; as loud as the kick that is there"));
    connect(m_onBass, &QPushButton::clicked, m_model, &ShelfModel::askOnBass);
    connect(m_take, &QPushButton::clicked, this, &ShelfPage::takeSound);
    connect(m_map, &ShelfMapPicture::boxEdited, this, &ShelfPage::fillList);
    connect(m_map, &ShelfMapPicture::soundChosen, this, [this](qint64 sound) {
        if (const int row = m_list->indexOf(sound); row >= 0) {
            m_table->selectRow(row);
            m_table->setFocus();
        }
    });
    connect(m_place, &ChoiceRow::choiceEdited, this, [this] {
        if (const auto* sound = chosen(); sound != nullptr && !m_model->heard().empty())
            m_model->hear(sound->file, static_cast<project::TrialPlace>(m_place->chosen()));
    });
    connect(m_table->selectionModel(), &QItemSelectionModel::selectionChanged, this, [this] {
        // While one is heard, so is the next.
        if (const auto* sound = chosen();
            sound != nullptr && !m_model->heard().empty() && m_model->heard() != sound->file)
            m_model->hear(sound->file, static_cast<project::TrialPlace>(m_place->chosen()));
        refresh();
    });
    connect(m_model, &ShelfModel::rowsChanged, this, &ShelfPage::fillList);
    connect(m_model, &ShelfModel::mapChanged, this, &ShelfPage::fillList);
    connect(m_model, &ShelfModel::foldersChanged, this, &ShelfPage::fillFolders);
    for (const auto signal :
         {&ShelfModel::progressChanged, &ShelfModel::hearingChanged, &ShelfModel::foldersChanged})
        connect(m_model, signal, this, &ShelfPage::refresh);
    for (const auto signal : {&Document::selectionChanged, &Document::changed, &Document::opened})
        connect(&desk.document, signal, this, &ShelfPage::refresh);
    fillFolders();
    refresh();
}

QString ShelfPage::statusText() const {
    return m_status->text();
}

layers::ShelfQuery ShelfPage::query() const {
    layers::ShelfQuery query;
    query.words = m_words->text().toStdString();
    if (const int role = m_role->currentData().toInt(); role >= 0)
        query.role = static_cast<Role>(role);
    const auto limit = [](const QLineEdit& field, double otherwise) {
        bool isNumber = false;
        const double value = QLocale::c().toDouble(field.text().trimmed(), &isNumber);
        return isNumber ? value : otherwise;
    };
    constexpr double kFar = std::numeric_limits<double>::max();
    const double least = limit(*m_least, -kFar);
    const double most = limit(*m_most, kFar);
    if (least > -kFar || most < kFar)
        query.ranges.push_back({m_number->currentData().toString().toStdString(), least, most});
    return query;
}

bool ShelfPage::isWanted(const layers::ShelfSound& sound) const {
    if (const QRectF box = m_map->box(); !box.isNull()) {
        const auto place = m_model->placeOf(sound.id);
        if (!place ||
            !box.contains(QPointF(static_cast<double>((*place)[0]), static_cast<double>((*place)[1]))))
            return false;
    }
    if (m_model->question() == ShelfModel::Question::Search)
        return true; // the shelf has done the rest
    const auto wanted = query();
    const QString path = QString::fromStdString(sound.file.string());
    for (const auto& word : m_words->text().split(QLatin1Char(' '), Qt::SkipEmptyParts))
        if (!path.contains(word, Qt::CaseInsensitive))
            return false;
    if (wanted.role && sound.role != *wanted.role)
        return false;
    return std::all_of(wanted.ranges.begin(), wanted.ranges.end(), [&](const layers::ShelfRange& range) {
        for (const auto& number : layers::shelfNumbers())
            if (number.name == range.number)
                return sound.look.*number.value >= range.least && sound.look.*number.value <= range.most;
        return true;
    });
}

void ShelfPage::ask() {
    if (m_model->question() == ShelfModel::Question::Search)
        m_model->search(query());
    else
        fillList();
}

void ShelfPage::fillList() {
    const std::int64_t before = chosen() == nullptr ? 0 : chosen()->id;
    std::vector<ShelfModel::Row> rows;
    for (const auto& row : m_model->rows())
        if (isWanted(row.sound))
            rows.push_back(row);
    m_list->setRows(std::move(rows), m_model->question() == ShelfModel::Question::Like
                                         ? tr("unlike by, dB")
                                         : tr("what it brings"));
    m_table->setColumnHidden(ShelfList::Why, m_model->question() == ShelfModel::Question::Search);
    std::vector<const layers::ShelfSound*> listed;
    for (int i = 0; i < m_list->rowCount(); ++i)
        listed.push_back(&m_list->row(i).sound);
    m_map->setListed(listed);
    if (const int row = m_list->indexOf(before); row >= 0)
        m_table->selectRow(row);
    refresh();
}

void ShelfPage::fillFolders() {
    m_folderMenu->clear();
    m_folderMenu->addAction(tr("Add a folder\u2026"), this, &ShelfPage::addFolder);
    if (!m_model->folders().empty())
        m_folderMenu->addSeparator();
    for (const auto& folder : m_model->folders())
        m_folderMenu->addAction(tr("Take %1 off the shelf").arg(QString::fromStdString(folder.string())),
                                this, [this, folder] { m_model->forgetFolder(folder); });
}

const layers::ShelfSound* ShelfPage::chosen() const {
    const auto rows = m_table->selectionModel()->selectedRows();
    return rows.isEmpty() ? nullptr : &m_list->row(rows.front().row()).sound;
}

void ShelfPage::refresh() {
    const auto* sound = chosen();
    const auto* element = m_desk.document.session().element(m_desk.document.selected());
    const int folders = static_cast<int>(m_model->folders().size());
    m_title->setText(tr("Shelf \u2014 %1")
                         .arg(m_model->count() == 0 ? tr("no sounds yet")
                              : folders == 1
                                  ? tr("%1 sounds of 1 folder").arg(m_model->count())
                                  : tr("%1 sounds of %2 folders").arg(m_model->count()).arg(folders)));
    const bool isBusy = m_model->isIndexing() || m_model->isAsking();
    m_progress->setVisible(m_model->isIndexing());
    m_progress->setValue(static_cast<int>(1000 * m_model->progress()));
    m_stop->setVisible(isBusy &&
                       (m_model->isIndexing() || m_model->question() >= ShelfModel::Question::Complement));
    m_subject->setVisible(!m_model->subject().isEmpty());
    m_subject->setText(m_model->subject() + QStringLiteral("  \u00d7"));
    const bool isHeard = !m_model->heard().empty();
    m_hear->setText(isHeard ? tr("Stop hearing") : tr("Hear it"));
    m_hear->setToolTip(tr("At matched loudness; the next one that is chosen is heard at once (Enter)"));
    m_hear->setEnabled(isHeard || sound != nullptr);
    for (auto* button : {m_like, m_complement})
        button->setEnabled(sound != nullptr);
    m_likeMoment->setEnabled(element != nullptr && m_model->count() > 0);
    const auto& elements = m_desk.document.session().elements;
    m_onBass->setVisible(
        std::any_of(elements.begin(), elements.end(), [](const auto& e) { return e->role == Role::Bass; }));
    m_take->setEnabled(sound != nullptr && element != nullptr);
    m_take->setText(element == nullptr ? tr("Take it as a layer")
                                       : tr("Take it for %1").arg(QString::fromStdString(element->name)));
    m_map->setChosen(sound == nullptr ? 0 : sound->id);
    QString status = m_model->hearingText();
    if (status.isEmpty())
        status = m_model->isAsking()                               ? tr("Searching \u2026")
                 : m_model->isIndexing()                           ? tr("Measuring folders \u2026")
                 : !m_model->status().isEmpty()                    ? m_model->status()
                 : m_model->count() > 0 && m_list->rowCount() == 0 ? tr("Nothing on the shelf is so.")
                 : m_list->rowCount() >= ShelfModel::kMostRows ? tr("the first %1").arg(ShelfModel::kMostRows)
                 : m_list->rowCount() > 0                      ? tr("%1 listed").arg(m_list->rowCount())
                                                               : QString();
    m_status->setText(
        m_status->fontMetrics().elidedText(status, Qt::ElideMiddle, std::max(120, m_status->width())));
    m_status->setToolTip(status);
}

} // namespace cask::app
