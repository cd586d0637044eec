#include "app/bench/layers/layer_sounds_box.h"

#include "app/bench/layers/dropped_sounds.h"
#include "app/models/layer_model.h"
#include "app/theme/theme.h"

#include <QDragEnterEvent>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLocale>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>
#include <set>

namespace cask::app {
namespace {

constexpr int kLoudest = 127;

bool plays(const layers::LayerSound& sound, double velocity) {
    return velocity >= sound.lowVelocity && velocity <= sound.highVelocity;
}

/// Whole velocities from 1 on that no sound is for, as stretches ("33 to 40").
QStringList silentVelocities(const std::vector<layers::LayerSound>& sounds) {
    QStringList stretches;
    int from = 0;
    for (int velocity = 1; velocity <= kLoudest + 1; ++velocity) {
        const bool isSilent =
            velocity <= kLoudest && std::none_of(sounds.begin(), sounds.end(),
                                                 [&](const auto& sound) { return plays(sound, velocity); });
        if (isSilent && from == 0)
            from = velocity;
        if (!isSilent && from > 0) {
            stretches << (from == velocity - 1 ? QString::number(from)
                                               : LayerSoundsBox::tr("%1 to %2").arg(from).arg(velocity - 1));
            from = 0;
        }
    }
    return stretches;
}

} // namespace

LayerSoundsBox::LayerSoundsBox(LayerModel& model, QWidget* parent)
    : QDialog(parent), m_model(model), m_said(new QLabel(this)), m_table(new QTableWidget(0, kColumns, this)),
      m_add(new QPushButton(tr("Add sounds\u2026"), this)), m_remove(new QPushButton(tr("Remove"), this)),
      m_sort(new QPushButton(tr("Put by strength"), this)),
      m_alike(new QPushButton(tr("All for every velocity"), this)) {
    setAcceptDrops(true);
    resize(720, 420);
    auto* layout = new QVBoxLayout(this);
    layout->setSpacing(12);
    m_said->setFont(textFont(12));
    m_said->setWordWrap(true);
    layout->addWidget(m_said);
    m_table->setHorizontalHeaderLabels(
        {tr("sound"), tr("from velocity"), tr("to velocity"), tr("gain, dB"), tr("plays")});
    m_table->setAccessibleName(tr("Sounds of the layer"));
    m_table->verticalHeader()->hide();
    m_table->setSelectionBehavior(QAbstractItemView::SelectRows);
    m_table->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    m_table->horizontalHeader()->setSectionResizeMode(kSound, QHeaderView::Stretch);
    m_table->horizontalHeader()->setDefaultAlignment(Qt::AlignRight | Qt::AlignVCenter);
    m_table->horizontalHeaderItem(kSound)->setTextAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    layout->addWidget(m_table, 1);
    m_sort->setToolTip(tr("Softer and harder sounds, by what their names say or by their loudness, each for "
                          "its part of the velocities"));
    m_alike->setToolTip(tr("Alternates: they play in turn, or by chance"));
    auto* buttons = new QHBoxLayout;
    auto* close = new QPushButton(tr("Close"), this);
    for (auto* button : {m_add, m_remove, m_sort, m_alike}) {
        button->setAutoDefault(false);
        buttons->addWidget(button);
    }
    buttons->addStretch(1);
    buttons->addWidget(close);
    layout->addLayout(buttons);
    connect(m_add, &QPushButton::clicked, this, [this] {
        take(askForSounds ? askForSounds()
                          : QFileDialog::getOpenFileNames(this, tr("Add sounds"), {}, soundsFilter()));
    });
    connect(m_remove, &QPushButton::clicked, this, [this] {
        std::set<int, std::greater<>> rows;
        for (const auto& index : m_table->selectionModel()->selectedRows())
            rows.insert(index.row());
        edit([&](auto& sounds) {
            for (const int row : rows)
                sounds.erase(sounds.begin() + row);
        });
    });
    connect(m_sort, &QPushButton::clicked, this, [this] { m_model.setByVelocity(true); });
    connect(m_alike, &QPushButton::clicked, this, [this] { m_model.setByVelocity(false); });
    connect(close, &QPushButton::clicked, this, &QDialog::close);
    connect(m_table, &QTableWidget::cellChanged, this, &LayerSoundsBox::setCell);
    connect(m_table, &QTableWidget::itemSelectionChanged, this, &LayerSoundsBox::refreshButtons);
    connect(&model, &LayerModel::changed, this, &LayerSoundsBox::refresh);
    refresh();
}

QString LayerSoundsBox::said() const {
    return m_said->text();
}

const layers::Layer* LayerSoundsBox::layer() const {
    return m_model.count() == 0 ? nullptr
                                : &m_model.stack()->layers[static_cast<std::size_t>(m_model.chosen())];
}

void LayerSoundsBox::edit(const std::function<void(std::vector<layers::LayerSound>&)>& change) {
    const auto* now = layer();
    if (now == nullptr)
        return;
    auto sounds = now->sounds;
    change(sounds);
    if (sounds == now->sounds || (sounds.empty() && now->kit.empty())) {
        refresh(); // a layer without a sound is none: it is removed on the bench
        return;
    }
    m_model.edit([&, at = static_cast<std::size_t>(m_model.chosen())](
                     layers::Stack& stack) { stack.layers[at].sounds = sounds; },
                 tr("Sounds of %1").arg(m_model.nameOf(m_model.chosen())));
}

void LayerSoundsBox::take(const QStringList& files) {
    edit([&](auto& sounds) {
        for (const auto& file : files)
            sounds.push_back({file.toStdString()});
    });
}

void LayerSoundsBox::setCell(int row, int column) {
    if (m_isFilling)
        return;
    bool isNumber = false;
    QString text = m_table->item(row, column)->text().trimmed();
    const double value = text.replace(QLatin1Char(','), QLatin1Char('.')).toDouble(&isNumber);
    if (!isNumber) {
        refresh();
        return;
    }
    edit([&](auto& sounds) {
        auto& sound = sounds[static_cast<std::size_t>(row)];
        const double velocity = std::clamp(value, 0.0, static_cast<double>(kLoudest));
        if (column == kFrom) {
            sound.lowVelocity = velocity;
            sound.highVelocity = std::max(sound.highVelocity, velocity);
        } else if (column == kTo) {
            sound.highVelocity = velocity;
            sound.lowVelocity = std::min(sound.lowVelocity, velocity);
        } else {
            sound.gainDb = std::clamp(value, -layers::kMostSoundGainDb, layers::kMostSoundGainDb);
        }
    });
}

void LayerSoundsBox::refresh() {
    const auto* now = layer();
    if (now == nullptr) {
        close();
        return;
    }
    setWindowTitle(tr("Sounds of %1").arg(m_model.nameOf(m_model.chosen())));
    m_isFilling = true;
    const auto& strikes = m_model.stack()->strikes;
    const auto played = m_model.playedBy(m_model.chosen());
    m_table->setRowCount(static_cast<int>(now->sounds.size()));
    for (int row = 0; row < m_table->rowCount(); ++row) {
        const auto& sound = now->sounds[static_cast<std::size_t>(row)];
        const auto many = std::count_if(played.begin(), played.end(), [&](std::size_t strike) {
            return plays(sound, strikes[strike].velocity);
        });
        const QString cells[kColumns] = {QString::fromStdString(sound.file.stem().string()),
                                         QString::number(std::ceil(sound.lowVelocity)),
                                         QString::number(std::floor(sound.highVelocity)),
                                         QString::number(sound.gainDb, 'f', 1), QString::number(many)};
        for (int column = 0; column < kColumns; ++column) {
            auto* item = m_table->item(row, column);
            if (item == nullptr) {
                item = new QTableWidgetItem;
                m_table->setItem(row, column, item);
            }
            const bool isValue = column == kFrom || column == kTo || column == kGain;
            item->setFlags(Qt::ItemIsSelectable | Qt::ItemIsEnabled |
                           (isValue ? Qt::ItemIsEditable : Qt::NoItemFlags));
            item->setTextAlignment(Qt::AlignVCenter | (column == kSound ? Qt::AlignLeft : Qt::AlignRight));
            item->setText(cells[column]);
            item->setToolTip(column == kSound ? QString::fromStdString(sound.file.string())
                             : column == kPlays
                                 ? tr("Strikes that it may play, with the others of their velocity")
                                 : QString());
        }
    }
    m_isFilling = false;
    const QStringList silent = silentVelocities(now->sounds);
    if (!now->kit.empty())
        m_said->setText(tr("This layer plays the kit %1, which says itself which of its sounds play when.")
                            .arg(QString::fromStdString(now->kit.filename().string())));
    else
        m_said->setText((now->alternatesByChance ? tr("Sounds of one velocity play by chance.")
                                                 : tr("Sounds of one velocity play in turn.")) +
                        (silent.isEmpty() ? QString()
                                          : QLatin1Char(' ') + tr("Nothing sounds at velocity %1.")
                                                                   .arg(silent.join(QStringLiteral(", ")))));
    m_table->setVisible(now->kit.empty());
    refreshButtons();
}

void LayerSoundsBox::refreshButtons() {
    const auto* now = layer();
    const bool isOfSounds = now != nullptr && now->kit.empty();
    const auto chosen = m_table->selectionModel()->selectedRows().size();
    m_add->setEnabled(isOfSounds);
    m_remove->setEnabled(isOfSounds && chosen > 0 && chosen < m_table->rowCount());
    m_sort->setEnabled(isOfSounds && now->sounds.size() > 1);
    m_alike->setEnabled(isOfSounds && now->sounds.size() > 1);
}

void LayerSoundsBox::dragEnterEvent(QDragEnterEvent* event) {
    if (m_add->isEnabled() && holdsSounds(*event->mimeData(), false))
        event->acceptProposedAction();
}

void LayerSoundsBox::dropEvent(QDropEvent* event) {
    event->acceptProposedAction();
    take(filesOf(*event->mimeData()));
}

} // namespace cask::app
