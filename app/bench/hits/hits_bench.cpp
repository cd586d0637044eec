#include "app/bench/hits/hits_bench.h"

#include "app/bench/hits/hit_pictures.h"
#include "app/bench/hits/tempo_row.h"
#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"
#include "app/widgets/elided_label.h"
#include "core/measure/hits/hit_summary.h"
#include "core/measure/hits/loop_hits.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QPushButton>

#include <algorithm>
#include <cmath>

namespace cask::app {

HitsBench::HitsBench(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_levels(new LevelPicture(desk, this)),
      m_timing(new TimingPicture(desk, this)), m_spill(new SpillPicture(desk, this)),
      m_hit(new ElidedLabel(this)),
      m_classes(new ChoiceRow({tr("accent"), tr("normal"), tr("ghost"), tr("flam"), tr("roll")}, this)),
      m_owner(new QComboBox(this)), m_add(new QPushButton(tr("Add at the playhead"), this)),
      m_remove(new QPushButton(tr("Delete hit"), this)), m_play(new QPushButton(tr("Hear hit"), this)),
      m_tempoRow(new TempoRow(desk, this)) {
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Hits bench"));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    auto* top = new QHBoxLayout;
    top->setSpacing(8);
    top->addWidget(m_levels, 4);
    top->addWidget(m_timing, 5);
    layout->addLayout(top, 5);
    layout->addWidget(m_spill, 4);

    layout->addWidget(m_tempoRow);

    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    m_hit->setFont(textFont(13));
    row->addWidget(m_hit, 1);
    m_classes->setAccessibleName(tr("Class of the hit"));
    row->addWidget(m_classes);
    m_owner->setAccessibleName(tr("Drum that made the hit"));
    m_owner->setToolTip(tr("The drum that made this hit"));
    row->addWidget(m_owner);
    layout->addLayout(row);
    auto* actions = new QHBoxLayout;
    actions->setSpacing(8);
    actions->addWidget(m_play);
    actions->addWidget(m_remove);
    actions->addWidget(m_add);
    auto* keys = new QLabel(tr("left and right: next hit; with Alt: move it 1 ms, with Shift 0.1 ms"), this);
    keys->setFont(textFont(12));
    keys->setWordWrap(true);
    keys->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    actions->addWidget(keys, 1);
    layout->addLayout(actions);
    m_play->setToolTip(tr("Plays from the hit (Enter)"));
    m_remove->setToolTip(tr("The hit is taken out, also from later analyses (Delete)"));
    m_add->setToolTip(tr("A hit of this drum at the playhead (Insert)"));

    connect(m_classes, &ChoiceRow::choiceEdited, this,
            [this](int index) { m_desk.hits.classSelected(static_cast<measure::HitClass>(index)); });
    connect(m_owner, &QComboBox::activated, this, [this](int index) {
        const auto to = m_owner->itemData(index);
        if (to.typeId() == QMetaType::QString)
            m_desk.hits.giveSelectedToDrum(to.toString().toStdString());
        else
            m_desk.hits.giveSelectedTo(to.toInt());
    });
    connect(m_remove, &QPushButton::clicked, &desk.hits, &HitModel::removeSelected);
    connect(m_add, &QPushButton::clicked, this,
            [this] { m_desk.hits.addHit(m_desk.document.selected(), m_desk.playback.positionS()); });
    connect(m_play, &QPushButton::clicked, this, &HitsBench::hearSelection);
    connect(&desk.hits, &HitModel::hitsChanged, this, &HitsBench::refresh);
    connect(&desk.hits, &HitModel::choiceChanged, this, &HitsBench::refresh);
    connect(&desk.document, &Document::selectionChanged, this, &HitsBench::refresh);
    connect(&desk.document, &Document::changed, this, &HitsBench::refresh);
    refresh();
}

QString HitsBench::summary() const {
    const auto* a = m_desk.hits.analysis();
    if (a == nullptr)
        return m_desk.document.session().elements.empty() ? QString() : tr("searching for hits");
    const int input = a->inputOf(m_desk.document.selected());
    const int drum = m_desk.hits.drumShown(m_desk.document.selected());
    if (drum < 0)
        return tr("%1 hits in all").arg(a->hits.strokes.size());
    const auto& shown = a->hits.kit.drums[static_cast<std::size_t>(drum)];
    int own = 0;
    int ghosts = 0;
    for (const auto& stroke : a->hits.strokes)
        if (stroke.drum == drum) {
            ++own;
            ghosts += stroke.hitClass == measure::HitClass::Ghost ? 1 : 0;
        }
    QString text =
        ghosts > 0 ? tr("%1 own hits, %2 of them ghosts").arg(own).arg(ghosts) : tr("%1 own hits").arg(own);
    if (!shown.isMiked())
        return tr("%1: %2; %3 hits in all")
            .arg(QString::fromStdString(shown.name), text, QString::number(a->hits.strokes.size()));
    const auto& room = a->spill.rooms[static_cast<std::size_t>(input)];
    if (own > 0 && room.spillDrum >= 0)
        text += room.roomDb() >= 0 ? tr("; %1 dB between the softest and spill").arg(dbText(room.roomDb(), 0))
                                   : tr("; the softest lie %1 dB under spill").arg(dbText(-room.roomDb(), 0));
    return text;
}

void HitsBench::refresh() {
    const auto* a = m_desk.hits.analysis();
    const int stroke = m_desk.hits.chosenStroke();
    const bool isChosen = a != nullptr && stroke >= 0;
    const int input = a == nullptr ? -1 : a->inputOf(m_desk.document.selected());
    const int drum = input < 0 ? -1 : a->hits.kit.drumOf[static_cast<std::size_t>(input)];
    m_add->setEnabled(drum >= 0 || m_desk.hits.isLoop(m_desk.document.selected()));
    m_play->setEnabled(isChosen);
    const auto& selected = m_desk.hits.selection();
    const bool isEditable = isChosen && std::any_of(selected.begin(), selected.end(),
                                                    [&](int s) { return m_desk.hits.canEdit(s); });
    for (QWidget* w :
         {static_cast<QWidget*>(m_classes), static_cast<QWidget*>(m_owner), static_cast<QWidget*>(m_remove)})
        w->setEnabled(isEditable);
    m_owner->clear();
    const auto count = m_desk.hits.selection().size();
    m_play->setText(count > 1 ? tr("Hear %1 hits").arg(count) : tr("Hear hit"));
    m_remove->setText(count > 1 ? tr("Delete %1 hits").arg(count) : tr("Delete hit"));
    if (isChosen && count > 1) {
        m_hit->setText(selectionText());
        m_classes->setChosen(-1);
        fillOwners(-1);
    } else if (isChosen) {
        const auto& hit = a->hits.strokes[static_cast<std::size_t>(stroke)];
        m_hit->setText(tr("%1 s   %2 dBFS   confidence %3 %")
                           .arg(QString::number(hit.timeS, 'f', 4), dbText(hit.levelDb))
                           .arg(std::lround(100 * hit.confidence)));
        m_classes->setChosen(static_cast<int>(hit.hitClass));
        fillOwners(hit.drum);
    } else {
        m_hit->setText(tr("No hit chosen: click one, or drag a box in the strip"));
        m_classes->setChosen(-1);
    }
}

void HitsBench::fillOwners(int drum) {
    const auto& a = *m_desk.hits.analysis();
    const auto& kit = a.hits.kit;
    const auto& selected = m_desk.hits.selection();
    const auto isInLoop = [&](int s) {
        return kit.drums[static_cast<std::size_t>(a.hits.strokes[static_cast<std::size_t>(s)].drum)].loop >=
               0;
    };
    const bool areOfLoop = !selected.empty() && std::all_of(selected.begin(), selected.end(), isInLoop);
    if (areOfLoop) {
        const std::string now =
            drum < 0 ? std::string() : measure::loopDrumName(kit.drums[static_cast<std::size_t>(drum)]);
        for (std::size_t d = 0; d < measure::kLoopDrums; ++d) {
            const char* name = measure::nameOf(static_cast<measure::LoopDrum>(d));
            m_owner->addItem(tr(name), QString::fromLatin1(name));
            if (now == name)
                m_owner->setCurrentIndex(m_owner->count() - 1);
        }
    }
    for (std::size_t d = 0; !areOfLoop && d < kit.drums.size(); ++d) {
        if (!kit.drums[d].isMiked())
            continue;
        m_owner->addItem(QString::fromStdString(kit.drums[d].name), a.elementOf(static_cast<int>(d)));
        if (static_cast<int>(d) == drum)
            m_owner->setCurrentIndex(m_owner->count() - 1);
    }
    if (drum < 0)
        m_owner->setCurrentIndex(-1);
}

/// The selected hits in a few numbers.
QString HitsBench::selectionText() const {
    const auto& a = *m_desk.hits.analysis();
    const std::vector<int> strokes(m_desk.hits.selection().begin(), m_desk.hits.selection().end());
    const auto summary = measure::summariseHits(a.hits, a.tempo, a.timing, strokes);
    QString text = tr("%1 hits: %2 dBFS, range %3 dB")
                       .arg(summary.count)
                       .arg(dbText(summary.medianDb), dbText(summary.rangeDb));
    if (summary.timed > 0)
        text += tr("; %1 ms %2, spread %3 ms")
                    .arg(dbText(std::abs(summary.feelMs)), summary.feelMs < 0 ? tr("early") : tr("late"),
                         dbText(summary.spreadMs));
    return text;
}

void HitsBench::hearSelection() {
    auto& playback = m_desk.playback;
    if (playback.isAuditioning()) {
        playback.endAudition();
        return;
    }
    auto stretches = m_desk.hits.selectedStretchesS();
    if (stretches.empty())
        return;
    const auto [fromS, toS] = stretches.front();
    stretches.erase(stretches.begin());
    playback.audition({{}, fromS, toS, {}, std::move(stretches)});
}

void HitsBench::keyPressEvent(QKeyEvent* event) {
    const bool isFine = (event->modifiers() & Qt::ShiftModifier) != 0;
    const bool moves = (event->modifiers() & Qt::AltModifier) != 0;
    const Id element = m_desk.document.selected();
    switch (event->key()) {
    case Qt::Key_Left:
    case Qt::Key_Right: {
        const int by = event->key() == Qt::Key_Right ? 1 : -1;
        if (moves)
            m_desk.hits.moveSelected(0.001 * by * (isFine ? 0.1 : 1));
        else
            m_desk.hits.step(element, by, m_desk.playback.positionS());
        break;
    }
    case Qt::Key_T:
        if (!event->isAutoRepeat())
            m_tempoRow->tap();
        break;
    case Qt::Key_Delete:
        m_desk.hits.removeSelected();
        break;
    case Qt::Key_Insert:
        m_add->click();
        break;
    case Qt::Key_Return:
    case Qt::Key_Enter:
        m_play->click();
        break;
    default:
        QWidget::keyPressEvent(event);
    }
}

} // namespace cask::app
