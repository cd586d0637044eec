#include "app/bench/layers/layers_bench.h"

#include "app/bench/layers/dropped_sounds.h"
#include "app/bench/layers/kit_change_box.h"
#include "app/bench/layers/layer_fields.h"
#include "app/bench/layers/layer_pictures.h"
#include "app/bench/layers/live_row.h"
#include "app/bench/layers/loop_panel.h"
#include "app/bench/layers/strike_way_row.h"
#include "app/bench/module/module_boxes.h"
#include "app/models/live_model.h"
#include "app/theme/theme.h"
#include "core/advise/words.h"
#include "core/project/played_files.h"

#include <QDragEnterEvent>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QRegularExpression>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace cask::app {

LayersBench::LayersBench(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_model(new LayerModel(desk.document, desk.analyst, this)),
      m_played(new QWidget(this)), m_picture(new LayersPicture(*m_model, m_played)),
      m_bands(new LayerBandsPicture(*m_model, m_played)),
      m_strikes(new LayerStrikesPicture(*m_model, m_played)), m_said(new QLabel(m_played)),
      m_fields(new LayerFields(desk, *m_model, m_played)), m_live(new LiveModel(desk, *m_model, this)),
      m_liveRow(new LiveRow(*m_live, m_played)), m_place(new QPushButton(this)),
      m_keepPlace(new QPushButton(tr("Keep it"), this)), m_tune(new QPushButton(this)),
      m_proposal(new QLabel(m_played)), m_add(new QPushButton(this)),
      m_remove(new QPushButton(tr("Remove layer"), this)), m_ownChain(new QPushButton(tr("Own chain"), this)),
      m_otherKit(new QPushButton(tr("Another kit\u2026"), this)), m_hint(new QLabel(this)),
      m_way(new StrikeWayRow(this)), m_loop(new LoopPanel(desk, this)) {
    setAccessibleName(tr("Layers bench"));
    setAcceptDrops(true);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    auto* played = new QVBoxLayout(m_played);
    played->setContentsMargins(0, 0, 0, 0);
    played->setSpacing(8);
    auto* pictures = new QHBoxLayout;
    pictures->setSpacing(8);
    pictures->addWidget(m_picture, 5);
    pictures->addWidget(m_bands, 3);
    played->addLayout(pictures, 1);
    played->addWidget(m_strikes);
    m_said->setFont(textFont(12));
    m_said->setWordWrap(true);
    m_said->setAccessibleName(tr("What the layer is worth"));
    played->addWidget(m_said);
    m_place->setText(tr("Find its best place"));
    m_place->setToolTip(tr("Every offset within 6 ms and both polarities, over all strikes that it plays"));
    m_tune->setText(tr("Tune it"));
    m_proposal->setFont(textFont(12));
    m_proposal->setWordWrap(true);
    m_proposal->setAccessibleName(tr("What is proposed for the layer"));
    auto* proposal = new QHBoxLayout;
    proposal->addWidget(m_proposal, 1);
    for (auto* button : {m_tune, m_place, m_keepPlace})
        proposal->addWidget(button);
    played->addLayout(proposal);
    played->addWidget(m_fields);
    played->addWidget(m_liveRow);
    layout->addWidget(m_played, 1);
    m_hint->setWordWrap(true);
    m_hint->setAlignment(Qt::AlignCenter);
    m_hint->setFont(textFont(14));
    layout->addWidget(m_hint, 1);
    layout->addWidget(m_loop, 4);
    auto* actions = new QHBoxLayout;
    actions->addWidget(m_add, 0, Qt::AlignTop);
    actions->addWidget(m_way);
    actions->addWidget(m_remove);
    actions->addWidget(m_ownChain);
    actions->addWidget(m_otherKit);
    actions->addStretch(1);
    layout->addLayout(actions);
    connect(&m_fields->moreButton(), &QToolButton::toggled, this, &LayersBench::giveWay);
    connect(m_place, &QPushButton::clicked, m_model, &LayerModel::findPlace);
    connect(m_keepPlace, &QPushButton::clicked, m_model, &LayerModel::keepPlace);
    connect(m_tune, &QPushButton::clicked, m_model, &LayerModel::tune);
    connect(m_add, &QPushButton::clicked, this, &LayersBench::addSounds);
    connect(m_remove, &QPushButton::clicked, this, [this] {
        const int at = m_model->chosen();
        m_model->edit([at](layers::Stack& stack) { stack.layers.erase(stack.layers.begin() + at); },
                      tr("Remove a layer"));
    });
    m_ownChain->setToolTip(
        tr("Makes the layer an element that plays the same strikes, with a chain and a level of its own"));
    connect(m_ownChain, &QPushButton::clicked, m_model, &LayerModel::giveOwnChain);
    m_otherKit->setToolTip(tr("Other sounds for the pattern that this element and others play"));
    connect(m_otherKit, &QPushButton::clicked, this, [this] {
        if (m_kitBox != nullptr)
            m_kitBox->close();
        m_kitBox = new KitChangeBox(m_desk, window());
        m_kitBox->setAttribute(Qt::WA_DeleteOnClose);
        m_kitBox->show();
    });
    connect(m_model, &LayerModel::changed, this, &LayersBench::refresh);
    connect(&desk.hits, &HitModel::hitsChanged, this, &LayersBench::refresh);
    refresh();
}

KitChangeBox* LayersBench::kitBox() const {
    return m_kitBox;
}

const layers::Layer* LayersBench::chosen() const {
    const auto* stack = m_model->stack();
    return stack == nullptr || stack->layers.empty()
               ? nullptr
               : &stack->layers[static_cast<std::size_t>(m_model->chosen())];
}

QString LayersBench::proposalText() const {
    if (m_model->isPlacing())
        return tr("Trying every place \u2026");
    QStringList parts;
    if (const auto& place = m_model->place()) {
        const QString where = place->shiftMs == 0
                                  ? QString()
                                  : tr("%1 ms %2")
                                        .arg(QString::number(std::abs(place->shiftMs), 'f', 2),
                                             place->shiftMs < 0 ? tr("earlier") : tr("later"));
        const QString polarity = place->isInverted ? tr("inverted") : QString();
        const QStringList how = QStringList{where, polarity}.filter(QRegularExpression(QStringLiteral(".")));
        parts << (how.isEmpty()
                      ? tr("It lies well: no place within 6 ms is better over %1 strikes").arg(place->strikes)
                      : tr("%1: first 10 ms %2 dB, below 200 Hz %3 dB over %4 strikes (softer half %5, "
                           "louder %6)")
                            .arg(how.join(QStringLiteral(", ")), signedDb(place->attackDb),
                                 signedDb(place->lowDb))
                            .arg(place->strikes)
                            .arg(signedDb(place->softDb), signedDb(place->loudDb)));
    }
    if (const auto tuning = m_model->tuning()) {
        const QString note = tr("note %1").arg(QString::fromStdString(advise::noteText(tuning->noteHz)));
        const long cents = std::lround(tuning->cents);
        parts << (tuning->against < 0 ? note
                  : cents == 0
                      ? tr("%1, in tune with %2").arg(note, m_model->nameOf(tuning->against))
                      : tr("%1, %2 cents %3 the nearest octave of %4")
                            .arg(note)
                            .arg(std::abs(cents))
                            .arg(cents > 0 ? tr("over") : tr("under"), m_model->nameOf(tuning->against)));
    }
    return parts.join(QStringLiteral("; "));
}

QString LayersBench::summary() const {
    const auto* stack = m_model->stack();
    if (stack == nullptr)
        return m_desk.document.session().element(m_desk.document.selected()) != nullptr ? tr("recorded")
                                                                                        : QString();
    return tr("%1 strikes, %2")
        .arg(layers::ownStrikes(*stack).size())
        .arg(stack->layers.size() == 1 ? tr("1 layer") : tr("%1 layers").arg(stack->layers.size()));
}

void LayersBench::addSounds() {
    const QStringList files =
        askForSounds ? askForSounds()
                     : QFileDialog::getOpenFileNames(
                           this, m_add->text(), {},
                           tr("One-shots and kits (*.wav *.flac *.aif *.aiff *.ogg *.mp3 *.sfz)"));
    takeSounds(files);
}

void LayersBench::takeSounds(const QStringList& files) {
    std::vector<std::filesystem::path> sounds;
    for (const auto& file : files)
        sounds.emplace_back(file.toStdString());
    if (sounds.empty())
        return;
    if (m_model->stack() == nullptr) {
        const auto analysis = m_desk.hits.shared();
        const auto strikes = analysis == nullptr ? std::vector<layers::Strike>()
                                                 : project::strikesOf(m_desk.document.session(), *analysis,
                                                                      m_desk.document.selected());
        if (strikes.empty())
            m_desk.document.addNote(
                analysis == nullptr ? tr("The hits of %1 are not known yet; nothing was struck.")
                                          .arg(QString::fromStdString(
                                              m_desk.document.session().nameOf(m_desk.document.selected())))
                                    : tr("%1 has no hits of its own; nothing was struck.")
                                          .arg(QString::fromStdString(
                                              m_desk.document.session().nameOf(m_desk.document.selected()))));
        else
            m_model->strikeWith(strikes, sounds, m_way->way());
        return;
    }
    m_model->edit([&](layers::Stack& stack) { stack.layers.push_back(layers::layerOf(sounds)); },
                  tr("Add a layer"));
    m_model->choose(static_cast<int>(m_model->stack()->layers.size()) - 1);
}

void LayersBench::dragEnterEvent(QDragEnterEvent* event) {
    if (m_add->isEnabled() && m_add->isVisible() && holdsSounds(*event->mimeData(), true))
        event->acceptProposedAction();
}

void LayersBench::dropEvent(QDropEvent* event) {
    event->acceptProposedAction();
    takeSounds(filesOf(*event->mimeData()));
}

void LayersBench::refresh() {
    const auto* stack = m_model->stack();
    const bool isElement = m_desk.document.session().element(m_desk.document.selected()) != nullptr;
    m_played->setVisible(stack != nullptr);
    m_hint->setVisible(stack == nullptr);
    m_remove->setVisible(stack != nullptr);
    m_ownChain->setVisible(stack != nullptr && !m_desk.document.isReadOnly());
    m_otherKit->setVisible(stack != nullptr && !m_desk.document.isReadOnly());
    m_add->setVisible(isElement);
    m_add->setText(stack != nullptr ? tr("Add a layer\u2026") : tr("Strike a sound with its hits\u2026"));
    m_place->setVisible(stack != nullptr);
    if (stack == nullptr) {
        m_keepPlace->hide();
        m_tune->hide();
        const auto analysis = m_desk.hits.shared();
        const auto own =
            isElement && analysis != nullptr
                ? project::strikesOf(m_desk.document.session(), *analysis, m_desk.document.selected())
                : std::vector<layers::Strike>();
        const auto strikes = own.size();
        m_way->setStrikes(m_desk.document.selected(), own);
        m_way->setVisible(strikes > 0 && !m_model->isBusy());
        m_add->setEnabled(strikes > 0);
        m_loop->setVisible(strikes > 0 && !m_model->isBusy());
        m_loop->model().follow();
        m_hint->setText(
            !isElement            ? tr("A bus has no layers: choose an element.")
            : m_model->isBusy()   ? tr("Striking \u2026")
            : analysis == nullptr ? tr("This element is recorded. Its hits are being searched for.")
            : strikes == 0
                ? tr("This element is recorded and has no hits of its own.")
                : tr("This element is recorded. Its %1 own hits can strike other sounds: they become an "
                     "element of their own, each at its hit, as loud as it was hit. Or it is cut into "
                     "pieces: "
                     "some "
                     "of its drums, tighter, shuffled, at another tempo.")
                      .arg(strikes));
        emit summaryChanged();
        return;
    }
    m_loop->hide();
    m_way->hide();
    // Pieces of a loop have more notes than anything plays by hand.
    m_liveRow->setVisible(std::none_of(stack->layers.begin(), stack->layers.end(),
                                       [](const auto& l) { return l.noteShift != 0; }));
    const auto* layer = chosen();
    m_remove->setEnabled(layer != nullptr);
    const bool hasOthers = stack->layers.size() > 1;
    m_ownChain->setEnabled(layer != nullptr && hasOthers && !m_model->isBusy());
    m_place->setEnabled(layer != nullptr && hasOthers && !m_model->isPlacing());
    const auto& place = m_model->place();
    m_keepPlace->setVisible(place && (place->shiftMs != 0 || place->isInverted));
    const auto tuning = m_model->tuning();
    m_tune->setVisible(tuning && tuning->against >= 0 && std::lround(tuning->cents) != 0);
    m_proposal->setText(proposalText());
    if (layer != nullptr) {
        const QString sum = m_picture->sumText();
        m_said->setText(m_picture->textOf(m_model->chosen()) +
                        (sum.isEmpty() ? sum : QStringLiteral("\n") + sum));
    } else {
        m_said->setText(tr("No layers: nothing sounds. Add one."));
    }
    emit summaryChanged();
}

void LayersBench::giveWay() {
    constexpr int kRoomyPx = 540;
    constexpr int kTightPx = 500;
    const bool hasRoom = height() >= kRoomyPx || !m_fields->moreButton().isChecked();
    m_strikes->setVisible(hasRoom && height() >= kTightPx); // the Hit strip shows them too
    m_said->setVisible(hasRoom);
}

void LayersBench::resizeEvent(QResizeEvent* event) {
    QWidget::resizeEvent(event);
    giveWay();
}

void LayersBench::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    m_model->setActive(true);
    refresh();
}

void LayersBench::hideEvent(QHideEvent* event) {
    m_model->setActive(false);
    QWidget::hideEvent(event);
}

} // namespace cask::app
