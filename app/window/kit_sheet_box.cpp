#include "app/window/kit_sheet_box.h"

#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"
#include "app/widgets/role_chooser.h"
#include "app/widgets/words.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QKeyEvent>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

enum Column { kName, kRole, kPair, kFile, kFormat, kTake, kColumns };

QStringList takeWords(const session::KitSheet& sheet) {
    QStringList words;
    for (const auto& take : sheet.takes)
        words << QString::fromStdString(take);
    words << KitSheetBox::tr("all together");
    return words;
}

QString lengthText(const session::IntakeFile& f) {
    const double seconds = f.sampleRateHz > 0 ? static_cast<double>(f.frames) / f.sampleRateHz : 0;
    const int minutes = static_cast<int>(seconds / 60);
    return QStringLiteral("%1:%2").arg(minutes).arg(seconds - 60 * minutes, 4, 'f', 1, QLatin1Char('0'));
}

} // namespace

KitSheetBox::KitSheetBox(const session::KitSheet& sheet, double sessionRateHz, const QStringList& problems,
                         QWidget* parent)
    : QDialog(parent), m_sheet(sheet), m_sessionRateHz(sessionRateHz),
      m_takes(new ChoiceRow(takeWords(sheet), this)), m_table(new QTableWidget(0, kColumns, this)),
      m_summary(new QLabel(this)), m_problems(new QLabel(this)), m_roles(new RoleChooser(this)),
      m_role(new QPushButton(tr("role\u2026"), this)), m_pair(new QPushButton(tr("join as a pair"), this)),
      m_clean(new QPushButton(tr("shorten names"), this)), m_import(new QPushButton(this)) {
    setWindowTitle(tr("Kit sheet"));
    resize(980, 620);
    auto* layout = new QVBoxLayout(this);
    layout->setSpacing(8);
    auto* top = new QHBoxLayout;
    m_summary->setFont(textFont(13));
    m_summary->setWordWrap(true);
    top->addWidget(m_summary, 1);
    m_takes->setAccessibleName(tr("Which take"));
    m_takes->setVisible(m_sheet.takes.size() > 1);
    top->addWidget(m_takes);
    layout->addLayout(top);
    m_table->setHorizontalHeaderLabels(
        {tr("Element"), tr("role"), tr("pair"), tr("file"), tr("format"), tr("take")});
    m_table->setAccessibleName(tr("Files that were found"));
    m_table->verticalHeader()->hide();
    m_table->verticalHeader()->setDefaultSectionSize(24);
    m_table->setSelectionBehavior(QAbstractItemView::SelectRows);
    m_table->setShowGrid(false);
    m_table->setEditTriggers(QAbstractItemView::EditKeyPressed | QAbstractItemView::DoubleClicked);
    m_table->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    m_table->horizontalHeader()->setSectionResizeMode(kName, QHeaderView::Stretch);
    m_table->installEventFilter(this);
    layout->addWidget(m_table, 1);
    m_problems->setFont(textFont(12));
    m_problems->setWordWrap(true);
    m_problems->setText(problems.join(QLatin1Char('\n')));
    m_problems->setVisible(!problems.isEmpty());
    layout->addWidget(m_problems);
    auto* buttons = new QHBoxLayout;
    m_role->setToolTip(tr("Role of the selected rows (R or Enter, then its letter)"));
    m_pair->setToolTip(tr("Joins two selected mono files as left and right, or parts them (P)"));
    m_clean->setToolTip(tr("Takes off what all names begin or end with (N)"));
    m_import->setToolTip(tr("Ctrl+Enter"));
    auto* leave = new QPushButton(tr("leave them"), this);
    for (auto* button : {m_role, m_pair, m_clean})
        buttons->addWidget(button);
    buttons->addStretch();
    buttons->addWidget(leave);
    buttons->addWidget(m_import);
    for (auto* button : {m_role, m_pair, m_clean, leave, m_import})
        button->setAutoDefault(false);
    layout->addLayout(buttons);
    connect(m_role, &QPushButton::clicked, this, &KitSheetBox::chooseRole);
    connect(m_pair, &QPushButton::clicked, this, &KitSheetBox::joinOrPart);
    connect(m_clean, &QPushButton::clicked, this, [this] {
        session::cleanNames(m_sheet);
        refresh();
    });
    connect(m_import, &QPushButton::clicked, this, &QDialog::accept);
    connect(leave, &QPushButton::clicked, this, &QDialog::reject);
    connect(m_takes, &ChoiceRow::choiceEdited, this, &KitSheetBox::fill);
    connect(m_roles, &RoleChooser::chosen, this, [this](Role role) {
        for (const auto row : chosenRows())
            session::setRowRole(m_sheet, row, role);
        refresh();
        m_table->setFocus();
    });
    connect(m_table, &QTableWidget::itemChanged, this, [this](const QTableWidgetItem* item) {
        if (m_isFilling || item->column() != kName)
            return;
        auto& row = m_sheet.rows[m_rows[static_cast<std::size_t>(item->row())]];
        row.isWanted = item->checkState() == Qt::Checked;
        if (const auto name = item->text().trimmed().toStdString(); !name.empty())
            row.name = name;
        refresh();
    });
    connect(m_table, &QTableWidget::itemSelectionChanged, this, &KitSheetBox::refresh);
    fill();
    m_table->selectRow(0);
    m_table->setFocus();
}

int KitSheetBox::take() const {
    const int chosen = m_takes->chosen();
    return m_sheet.takes.size() > 1 && chosen < static_cast<int>(m_sheet.takes.size()) ? chosen : -1;
}

bool KitSheetBox::isSeen(const session::SheetRow& row) const {
    return take() < 0 || row.take == take();
}

std::vector<std::size_t> KitSheetBox::chosenRows() const {
    std::vector<std::size_t> rows;
    for (const auto& index : m_table->selectionModel()->selectedRows())
        rows.push_back(m_rows[static_cast<std::size_t>(index.row())]);
    std::sort(rows.begin(), rows.end());
    return rows;
}

void KitSheetBox::fill() {
    m_isFilling = true;
    m_rows.clear();
    for (std::size_t i = 0; i < m_sheet.rows.size(); ++i)
        if (isSeen(m_sheet.rows[i]))
            m_rows.push_back(i);
    m_table->clearContents();
    m_table->setRowCount(static_cast<int>(m_rows.size()));
    for (int row = 0; row < m_table->rowCount(); ++row)
        for (int column = 0; column < kColumns; ++column) {
            auto* item = new QTableWidgetItem;
            auto flags = Qt::ItemIsSelectable | Qt::ItemIsEnabled;
            if (column == kName)
                flags |= Qt::ItemIsEditable | Qt::ItemIsUserCheckable;
            item->setFlags(flags);
            m_table->setItem(row, column, item);
        }
    m_isFilling = false;
    refresh();
    for (const int column : {kRole, kPair, kFile, kFormat, kTake})
        m_table->resizeColumnToContents(column);
    m_table->setColumnHidden(kTake, m_sheet.takes.size() < 2);
}

void KitSheetBox::refresh() {
    m_isFilling = true;
    for (int r = 0; r < m_table->rowCount(); ++r) {
        const auto& row = m_sheet.rows[m_rows[static_cast<std::size_t>(r)]];
        const auto& file = m_sheet.files[row.file];
        const QString role = words(roleInfo(row.role).name);
        const QString sure = row.role == Role::Unknown ? tr("? what is it")
                             : row.confidence >= 1
                                 ? role
                                 : tr("%1, confidence %2 %").arg(role).arg(std::lround(100 * row.confidence));
        const auto* partner =
            row.partner < 0 ? nullptr : &m_sheet.rows[static_cast<std::size_t>(row.partner)];
        const QString pair =
            row.sameAs >= 0
                ? tr("same file as %1")
                      .arg(QString::fromStdString(m_sheet.rows[static_cast<std::size_t>(row.sameAs)].name))
            : partner != nullptr
                ? tr("%1 of %2")
                      .arg(row.isRight ? tr("right") : tr("left"), QString::fromStdString(partner->name))
            : row.channels == 2 ? tr("stereo")
                                : QString();
        const bool isConverted = m_sessionRateHz > 0 && file.sampleRateHz != m_sessionRateHz;
        const QString format =
            tr("%1, %2 kHz%3, %4")
                .arg(QString::fromStdString(file.format))
                .arg(file.sampleRateHz / 1000)
                .arg(isConverted ? tr(" \u2192 %1 kHz").arg(m_sessionRateHz / 1000) : QString(),
                     lengthText(file));
        const std::array cells = {QString::fromStdString(row.name),
                                  sure,
                                  pair,
                                  QString::fromStdString(file.name),
                                  format,
                                  QString::fromStdString(m_sheet.takes[static_cast<std::size_t>(row.take)])};
        for (int column = 0; column < kColumns; ++column) {
            auto* item = m_table->item(r, column);
            item->setText(cells[static_cast<std::size_t>(column)]);
            item->setToolTip(column == kFile ? QString::fromStdString(file.path) : item->text());
            item->setForeground(row.isWanted ? theme().ink : theme().faint);
            QFont font = textFont(13);
            if (column == kRole && row.role == Role::Unknown && row.isWanted)
                font = textFont(13, QFont::DemiBold);
            item->setFont(font);
        }
        m_table->item(r, kName)->setCheckState(row.isWanted ? Qt::Checked : Qt::Unchecked);
    }
    m_isFilling = false;
    m_summary->setText(summary());
    const auto chosen = chosenRows();
    const bool isPair = !chosen.empty() && m_sheet.rows[chosen.front()].partner >= 0;
    m_pair->setText(isPair ? tr("part the pair") : tr("join as a pair"));
    m_pair->setEnabled(isPair || chosen.size() == 2);
    m_role->setEnabled(!chosen.empty());
    int elements = 0;
    for (const auto i : m_rows)
        elements += m_sheet.rows[i].isWanted && !m_sheet.rows[i].isRight ? 1 : 0;
    m_import->setText(tr("import %1").arg(counted(elements, tr("element"), tr("elements"))));
    m_import->setEnabled(elements > 0);
}

QString KitSheetBox::summary() const {
    QStringList parts;
    parts << counted(static_cast<long long>(m_sheet.files.size()), tr("file"), tr("files"));
    if (m_sheet.takes.size() > 1)
        parts << tr("%1 takes, one session each").arg(m_sheet.takes.size());
    if (const int unknown = session::rowsWithoutRole(m_sheet, take()); unknown > 0)
        parts << tr("%1 to say").arg(counted(unknown, tr("role"), tr("roles")));
    const auto copies = std::count_if(m_sheet.rows.begin(), m_sheet.rows.end(),
                                      [](const auto& row) { return row.sameAs >= 0; });
    if (copies > 0)
        parts << tr("%1 twice").arg(counted(copies, tr("file"), tr("files")));
    return parts.join(QStringLiteral(", ")) + tr(". R sets a role, U goes to the next without one, Space "
                                                 "takes or leaves, F2 renames, P pairs, Ctrl+Enter imports.");
}

void KitSheetBox::chooseRole() {
    const auto rows = chosenRows();
    if (rows.empty())
        return;
    std::optional<Role> now = m_sheet.rows[rows.front()].role;
    for (const auto row : rows)
        if (m_sheet.rows[row].role != *now) {
            now.reset();
            break;
        }
    m_roles->open(m_table->mapToGlobal(QPoint(m_table->columnViewportPosition(kRole), 60)), now);
}

void KitSheetBox::joinOrPart() {
    const auto rows = chosenRows();
    if (!rows.empty() && m_sheet.rows[rows.front()].partner >= 0)
        session::partRow(m_sheet, rows.front());
    else if (rows.size() == 2 && !session::joinRows(m_sheet, rows[0], rows[1])) {
        refresh();
        m_summary->setText(
            tr("%1 and %2 can't be a pair: both must be mono files of one length, rate and take.")
                .arg(QString::fromStdString(m_sheet.rows[rows[0]].name),
                     QString::fromStdString(m_sheet.rows[rows[1]].name)));
        return;
    }
    refresh();
}

void KitSheetBox::toggleWanted() {
    const auto rows = chosenRows();
    if (rows.empty())
        return;
    const bool on = !m_sheet.rows[rows.front()].isWanted;
    for (const auto row : rows)
        m_sheet.rows[row].isWanted = on;
    refresh();
}

/// The next row below, or from the top again, of which nobody knows what it is.
void KitSheetBox::chooseNextUnknown() {
    const int count = m_table->rowCount();
    for (int step = 1; step <= count; ++step) {
        const int r = (m_table->currentRow() + step) % count;
        const auto& row = m_sheet.rows[m_rows[static_cast<std::size_t>(r)]];
        if (row.isWanted && row.role == Role::Unknown) {
            m_table->selectRow(r);
            return;
        }
    }
}

bool KitSheetBox::event(QEvent* event) {
    if (event->type() == QEvent::ShortcutOverride)
        event->accept();
    return QDialog::event(event);
}

bool KitSheetBox::eventFilter(QObject* watched, QEvent* event) {
    if (watched != m_table || event->type() != QEvent::KeyPress)
        return QDialog::eventFilter(watched, event);
    const auto* key = static_cast<QKeyEvent*>(event);
    const bool isEnter = key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter;
    if (isEnter && key->modifiers() == Qt::ControlModifier) {
        if (m_import->isEnabled())
            accept();
        return true;
    }
    if (key->modifiers() != Qt::NoModifier)
        return false;
    switch (key->key()) {
    case Qt::Key_R:
    case Qt::Key_Return:
    case Qt::Key_Enter:
        chooseRole();
        return true;
    case Qt::Key_U:
        chooseNextUnknown();
        return true;
    case Qt::Key_P:
        joinOrPart();
        return true;
    case Qt::Key_N:
        m_clean->click();
        return true;
    case Qt::Key_Space:
        toggleWanted();
        return true;
    default:
        return false;
    }
}

} // namespace cask::app
