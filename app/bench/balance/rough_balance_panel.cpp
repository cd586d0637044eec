#include "app/bench/balance/rough_balance_panel.h"

#include "app/theme/theme.h"
#include "app/widgets/words.h"
#include "core/base/headroom.h"
#include "core/session/parameters.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QKeyEvent>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>

#include <cmath>
#include <utility>

namespace cask::app {
namespace {

using kit::BalanceStep;

enum Column { kElement, kNow, kThen, kReason, kColumns };

QString panText(double pan) {
    const int percent = static_cast<int>(std::lround(100 * std::abs(pan)));
    return percent == 0 ? RoughBalancePanel::tr("centre")
                        : QStringLiteral("%1 %2")
                              .arg(pan < 0 ? QStringLiteral("L") : QStringLiteral("R"))
                              .arg(percent);
}
QString valueText(const BalanceStep& step, double value) {
    return step.what == BalanceStep::What::Level ? RoughBalancePanel::tr("%1 dB").arg(dbText(value))
                                                 : panText(value);
}

} // namespace

RoughBalancePanel::RoughBalancePanel(const Desk& desk, RoughBalanceModel& model, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_model(model), m_headroom(new QLabel(this)),
      m_progress(new QProgressBar(this)), m_steps(new QTableWidget(0, kColumns, this)),
      m_notes(new QLabel(this)), m_try(new QPushButton(tr("try"), this)),
      m_take(new QPushButton(tr("take"), this)), m_leave(new QPushButton(tr("leave as it is"), this)) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    m_headroom->setFont(textFont(13));
    m_headroom->setWordWrap(true);
    row->addWidget(m_headroom, 1);
    m_progress->setTextVisible(false);
    m_progress->setFixedHeight(6);
    m_progress->setAccessibleName(tr("Listening to the take"));
    row->addWidget(m_progress, 1);
    m_try->setToolTip(tr("While held: with these steps, as loud as it is without them"));
    m_take->setToolTip(tr("All ticked steps in one edit, which can be undone (Enter)"));
    for (auto* button : {m_try, m_take, m_leave})
        row->addWidget(button);
    layout->addLayout(row);
    m_steps->setHorizontalHeaderLabels({tr("Element"), tr("now"), tr("then"), tr("Reason")});
    m_steps->setAccessibleName(tr("Steps of the rough balance"));
    m_steps->verticalHeader()->hide();
    m_steps->setEditTriggers(QAbstractItemView::NoEditTriggers);
    m_steps->setSelectionBehavior(QAbstractItemView::SelectRows);
    m_steps->setShowGrid(false);
    m_steps->setWordWrap(true);
    m_steps->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    m_steps->horizontalHeader()->setSectionResizeMode(kReason, QHeaderView::Stretch);
    for (const int column : {kNow, kThen})
        m_steps->horizontalHeaderItem(column)->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
    // Reasons break where the column lets them.
    connect(m_steps->horizontalHeader(), &QHeaderView::sectionResized, m_steps,
            &QTableWidget::resizeRowsToContents);
    m_steps->installEventFilter(this);
    layout->addWidget(m_steps, 1);
    m_notes->setFont(textFont(12));
    m_notes->setWordWrap(true);
    layout->addWidget(m_notes);
    connect(m_try, &QPushButton::pressed, &m_model, [this] { m_model.setTrying(true); });
    connect(m_try, &QPushButton::released, &m_model, [this] { m_model.setTrying(false); });
    connect(m_take, &QPushButton::clicked, &m_model, &RoughBalanceModel::take);
    connect(m_leave, &QPushButton::clicked, &m_model, &RoughBalanceModel::forget);
    connect(m_steps, &QTableWidget::itemChanged, this, [this](const QTableWidgetItem* item) {
        if (m_isFilled && item->column() == kElement)
            m_model.setRefused(static_cast<std::size_t>(item->row()), item->checkState() != Qt::Checked);
    });
    connect(&m_model, &RoughBalanceModel::changed, this, &RoughBalancePanel::refresh);
    refresh();
}

bool RoughBalancePanel::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::ShortcutOverride && static_cast<QKeyEvent*>(event)->key() == Qt::Key_Space)
        event->accept();
    if (event->type() == QEvent::KeyPress && watched == m_steps) {
        const auto* key = static_cast<QKeyEvent*>(event);
        if (key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter) {
            m_take->click();
            return true;
        }
        if (key->key() == Qt::Key_Escape) {
            m_leave->click();
            return true;
        }
    }
    return QWidget::eventFilter(watched, event);
}

QString RoughBalancePanel::headroomText() const {
    const auto& found = m_model.found();
    if (!found)
        return m_model.isSearching() ? tr("Listening to the take, all drums at once") : m_model.problem();
    QStringList rungs;
    for (std::size_t r = 0; r < kRungs; ++r)
        if (found->after.truePeakDb[r] > kSilenceDb + 1)
            rungs << tr("%1 %2 → %3")
                         .arg(QString::fromUtf8(kRungNames[r].data(), static_cast<int>(kRungNames[r].size())),
                              dbText(found->before.truePeakDb[r]), dbText(found->after.truePeakDb[r]));
    return tr("True peak at the master, dBTP: %1.%2")
        .arg(rungs.join(QStringLiteral(", ")),
             found->turns ? tr(" Left and right of the kit change places.") : QString());
}

QString RoughBalancePanel::notesText() const {
    QStringList lines;
    if (m_model.found())
        for (const auto& note : m_model.found()->notes)
            lines << pretty(note);
    return lines.join(QLatin1Char(' '));
}

void RoughBalancePanel::fillSteps() {
    const auto& s = m_desk.document.session();
    const auto& steps = m_model.found()->steps;
    m_isFilled = false;
    m_steps->setRowCount(static_cast<int>(steps.size()));
    for (int row = 0; row < m_steps->rowCount(); ++row) {
        const auto& step = steps[static_cast<std::size_t>(row)];
        const QString name = QString::fromStdString(s.nameOf(step.element));
        const bool isLevel = step.what == BalanceStep::What::Level;
        const std::array cells = {isLevel ? name : tr("%1 pan").arg(name), valueText(step, step.before),
                                  valueText(step, step.after), pretty(step.reason)};
        for (int column = 0; column < kColumns; ++column) {
            auto* item = new QTableWidgetItem(cells[static_cast<std::size_t>(column)]);
            item->setToolTip(cells[static_cast<std::size_t>(column)]);
            if (column == kNow || column == kThen)
                item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
            if (column == kElement) {
                item->setFlags(item->flags() | Qt::ItemIsUserCheckable);
                item->setCheckState(Qt::Checked);
            }
            m_steps->setItem(row, column, item);
        }
    }
    for (const int column : {kElement, kNow, kThen})
        m_steps->resizeColumnToContents(column);
    m_steps->resizeRowsToContents();
    m_isFilled = true;
}

void RoughBalancePanel::refresh() {
    const bool isFound = m_model.found().has_value();
    if (isFound && !m_isFilled)
        fillSteps();
    if (!isFound) {
        m_isFilled = false;
        m_steps->setRowCount(0);
    }
    m_headroom->setText(headroomText());
    m_progress->setVisible(m_model.isSearching());
    m_progress->setValue(static_cast<int>(std::lround(100 * m_model.progress())));
    m_steps->setVisible(isFound);
    if (isFound && std::exchange(m_takesKeys, false))
        m_steps->setFocus();
    m_notes->setText(notesText());
    m_notes->setVisible(isFound && !m_model.found()->notes.empty());
    m_try->setVisible(isFound);
    m_take->setVisible(isFound);
    m_take->setEnabled(isFound && m_model.refused().size() < m_model.found()->steps.size());
    m_leave->setText(m_model.isSearching() ? tr("stop") : tr("leave as it is"));
}

} // namespace cask::app
