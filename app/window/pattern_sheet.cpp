#include "app/window/pattern_sheet.h"

#include "app/models/priorities.h"
#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"
#include "core/layers/drum_map.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDir>
#include <QFileDialog>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>
#include <set>

namespace cask::app {
namespace {

constexpr int kDrumChannel = 9;
constexpr int kListPx = 260;

} // namespace

PatternSheet::PatternSheet(const layers::Pattern& pattern, const QString& name, WorkerPool& pool,
                           QWidget* parent)
    : QDialog(parent), m_pattern(pattern),
      m_kits(new ChoiceRow({tr("built-in kit"), tr("a kit (SFZ)\u2026"), tr("a folder of one-shots\u2026")},
                           this)),
      m_pathLabel(new QLabel(this)), m_overheads(new QCheckBox(tr("overheads"), this)),
      m_room(new QCheckBox(tr("room"), this)),
      m_spill(new QCheckBox(tr("spill in the close microphones"), this)), m_said(new QLabel(this)),
      m_play(new QPushButton(tr("Play it"), this)), m_jobs(pool) {
    setWindowTitle(tr("Play %1").arg(name));
    setMinimumWidth(620);
    auto* layout = new QVBoxLayout(this);
    layout->setSpacing(12);
    std::map<int, int> counts;
    const bool hasDrumChannel =
        std::any_of(pattern.strokes.begin(), pattern.strokes.end(),
                    [](const auto& stroke) { return stroke.channel == kDrumChannel; });
    for (const auto& stroke : pattern.strokes)
        if (!hasDrumChannel || stroke.channel == kDrumChannel)
            ++counts[stroke.note];
    const auto bars = static_cast<int>(pattern.barLines().size()) - 1;
    auto* head = new QLabel((pattern.tempi.size() > 1
                                 ? tr("%1 notes in %2 bars, from %3 beats a minute on. Each note is a drum:")
                                 : tr("%1 notes in %2 bars at %3 beats a minute. Each note is a drum:"))
                                .arg(counts.size())
                                .arg(std::max(0, bars))
                                .arg(pattern.tempi.empty() ? 120 : pattern.tempi.front().bpm, 0, 'f', 1),
                            this);
    head->setFont(textFont(13, QFont::DemiBold));
    layout->addWidget(head);
    auto* list = new QWidget(this);
    auto* grid = new QGridLayout(list);
    grid->setContentsMargins(0, 0, 8, 0);
    grid->setColumnStretch(1, 1);
    int row = 0;
    for (const auto& [note, count] : counts) {
        auto* box = new QComboBox(list);
        for (const auto& mapped : layers::generalMidiMap())
            box->addItem(QString::fromStdString(mapped.name), mapped.note);
        if (box->findData(note) < 0)
            box->addItem(tr("as it is, note %1").arg(note), note);
        box->addItem(tr("left out"), -1);
        box->setCurrentIndex(box->findData(note));
        box->setAccessibleName(tr("Drum of note %1").arg(note));
        grid->addWidget(new QLabel(tr("note %1").arg(note), list), row, 0);
        grid->addWidget(new QLabel(count == 1 ? tr("1 stroke") : tr("%1 strokes").arg(count), list), row, 1);
        grid->addWidget(box, row, 2);
        auto* sound = new QComboBox(list);
        sound->setAccessibleName(tr("Sounds of note %1").arg(note));
        sound->setPlaceholderText(tr("no sound"));
        sound->setSizeAdjustPolicy(QComboBox::AdjustToContents);
        grid->addWidget(sound, row, 3);
        auto* hear = new QPushButton(tr("hear"), list);
        hear->setAccessibleName(tr("Hear the sounds of note %1").arg(note));
        hear->setToolTip(tr("The hardest stroke, by itself"));
        hear->setAutoDefault(false);
        grid->addWidget(hear, row, 4);
        m_rows[note] = {box, sound, hear};
        ++row;
        connect(box, &QComboBox::activated, this, &PatternSheet::refresh);
        connect(sound, &QComboBox::activated, this, [this, box](int drum) {
            m_kit->chosen[box->currentData().toInt()] = static_cast<std::size_t>(drum);
            refresh(); // other notes may be the same drum
        });
        connect(hear, &QPushButton::clicked, this, [this, sound] {
            emit hearingWanted(
                m_kit->oneShots[static_cast<std::size_t>(sound->currentIndex())].sounds.back().file);
        });
    }
    grid->setRowStretch(row, 1);
    auto* scroll = new QScrollArea(this);
    scroll->setWidget(list);
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setMinimumHeight(std::min(kListPx, 40 + 34 * row));
    layout->addWidget(scroll, 1);
    auto* kitHead = new QLabel(tr("Played by"), this);
    kitHead->setFont(textFont(13, QFont::DemiBold));
    layout->addWidget(kitHead);
    m_kits->setAccessibleName(tr("What plays it"));
    layout->addWidget(m_kits);
    m_pathLabel->setFont(textFont(12));
    m_pathLabel->setWordWrap(true);
    layout->addWidget(m_pathLabel);
    auto* microphones = new QHBoxLayout;
    for (auto* box : {m_overheads, m_room, m_spill})
        microphones->addWidget(box);
    microphones->addStretch(1);
    layout->addLayout(microphones);
    m_overheads->setChecked(true);
    m_room->setChecked(true);
    m_overheads->setToolTip(tr("An element with a layer for each drum: how much of it is there"));
    m_room->setToolTip(m_overheads->toolTip());
    m_spill->setToolTip(tr("As in a recording: each close microphone hears the other drums too"));
    m_said->setFont(textFont(12));
    m_said->setWordWrap(true);
    layout->addWidget(m_said);
    auto* buttons = new QHBoxLayout;
    auto* cancel = new QPushButton(tr("Cancel"), this);
    buttons->addStretch(1);
    buttons->addWidget(m_play);
    buttons->addWidget(cancel);
    layout->addLayout(buttons);
    m_play->setDefault(true);
    connect(m_play, &QPushButton::clicked, this, &QDialog::accept);
    connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
    connect(m_kits, &ChoiceRow::choiceEdited, this, &PatternSheet::chooseKit);
    refresh();
}

PatternSheet::~PatternSheet() {
    m_cancel.cancel();
}

layers::Pattern PatternSheet::pattern() const {
    layers::Pattern mapped = m_pattern;
    mapped.strokes.clear();
    const bool hasDrumChannel =
        std::any_of(m_pattern.strokes.begin(), m_pattern.strokes.end(),
                    [](const auto& stroke) { return stroke.channel == kDrumChannel; });
    for (auto stroke : m_pattern.strokes) {
        if (hasDrumChannel && stroke.channel != kDrumChannel)
            continue;
        stroke.note = m_rows.at(stroke.note).drum->currentData().toInt();
        stroke.channel = kDrumChannel;
        if (stroke.note >= 0)
            mapped.strokes.push_back(stroke);
    }
    return mapped;
}

PatternSheet::Kit PatternSheet::kit() const {
    return static_cast<Kit>(std::max(0, m_kits->chosen()));
}

project::KitMicrophones PatternSheet::microphones() const {
    return {m_overheads->isChecked(), m_room->isChecked(), m_spill->isChecked()};
}

project::KitSounds PatternSheet::chosenKit() const {
    return m_kit.value_or(project::KitSounds{});
}

QString PatternSheet::said() const {
    return m_said->text();
}

void PatternSheet::chooseKit(int index) {
    const auto wanted = static_cast<Kit>(index);
    m_cancel.cancel();
    m_cancel = CancelToken();
    m_kit.reset();
    m_problem.clear();
    m_isReading = false;
    m_path.clear();
    if (wanted != Kit::BuiltIn) {
        m_path = askForKit ? askForKit(wanted)
                 : wanted == Kit::Folder
                     ? QFileDialog::getExistingDirectory(this, tr("A folder of one-shots"))
                     : QFileDialog::getOpenFileName(this, tr("A kit"), {}, tr("Kits (*.sfz)"));
        if (m_path.isEmpty())
            m_kits->setChosen(static_cast<int>(Kit::BuiltIn));
        else
            readKit();
    }
    refresh();
}

void PatternSheet::readKit() {
    m_isReading = true;
    m_jobs.post(
        [this, path = m_path, cancel = m_cancel, generation = ++m_generation] {
            const auto kit = project::kitFrom(path.toStdString(), cancel);
            QMetaObject::invokeMethod(
                this,
                [this, kit, generation] {
                    if (!m_isReading || generation != m_generation)
                        return; // another one was chosen
                    m_isReading = false;
                    if (kit) {
                        m_kit = *kit;
                        for (const auto& row : m_rows) {
                            row.second.sound->clear();
                            for (const auto& drum : kit->oneShots)
                                row.second.sound->addItem(drum.sounds.size() == 1
                                                              ? QString::fromStdString(drum.name)
                                                              : tr("%1, %2 sounds")
                                                                    .arg(QString::fromStdString(drum.name))
                                                                    .arg(drum.sounds.size()));
                        }
                    } else {
                        m_problem = QString::fromStdString(kit.error().message);
                    }
                    refresh();
                },
                Qt::QueuedConnection);
        },
        kLayersPriority);
}

void PatternSheet::refreshSounds() {
    const bool isFolder = m_kit && !m_kit->oneShots.empty();
    std::set<int> notes;
    for (const auto& row : m_rows)
        notes.insert(row.second.drum->currentData().toInt());
    const auto struck = isFolder ? project::struckDrums(*m_kit, notes) : std::map<int, std::size_t>{};
    for (const auto& row : m_rows) {
        const int note = row.second.drum->currentData().toInt();
        const auto found = struck.find(note);
        row.second.sound->setVisible(isFolder);
        row.second.sound->setEnabled(note >= 0);
        row.second.sound->setCurrentIndex(found == struck.end() ? -1 : static_cast<int>(found->second));
        row.second.hear->setVisible(isFolder);
        row.second.hear->setEnabled(found != struck.end());
    }
}

QString PatternSheet::folderText() const {
    const QString path = QDir::toNativeSeparators(m_path);
    const auto byEar =
        m_kit ? std::count_if(m_kit->oneShots.begin(), m_kit->oneShots.end(),
                              [](const layers::FolderDrum& drum) { return drum.typical.has_value(); })
              : 0;
    if (byEar == 0)
        return path;
    return byEar == 1
               ? tr("%1. One drum, of which no name tells, was found by ear: hear it before you trust it.")
                     .arg(path)
               : tr("%1. %2 drums, of which no name tells, were found by ear: hear them before you "
                    "trust them.")
                     .arg(path)
                     .arg(byEar);
}

void PatternSheet::refresh() {
    const bool isBuiltIn = kit() == Kit::BuiltIn;
    for (auto* box : {m_overheads, m_room, m_spill})
        box->setEnabled(isBuiltIn);
    m_pathLabel->setText(isBuiltIn ? tr("Synthesised drums with their microphones, three strengths and two "
                                        "takes of each stroke.")
                         : !m_problem.isEmpty() ? m_problem
                         : m_isReading
                             ? tr("%1 is being looked through \u2026").arg(QDir::toNativeSeparators(m_path))
                             : folderText());
    refreshSounds();
    const auto drums = project::drumsOf(pattern());
    QStringList names;
    for (const auto& drum : drums)
        names << tr("%1 %2").arg(QString::fromStdString(drum.name)).arg(drum.strokes);
    m_said->setText(drums.empty()
                        ? tr("Nothing is left to be played.")
                        : tr("Becomes an element for each: %1.").arg(names.join(QStringLiteral(", "))));
    m_play->setEnabled(!drums.empty() && (isBuiltIn || m_kit));
}

} // namespace cask::app
