#include "app/bench/layers/layers_bench.h"

#include "app/bench/layers/layer_pictures.h"
#include "app/bench/layers/layer_values.h"
#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"
#include "app/widgets/value_bar.h"
#include "core/project/played_files.h"

#include <QCheckBox>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QMimeData>
#include <QPushButton>
#include <QUrl>
#include <QVBoxLayout>

#include <algorithm>
#include <array>
#include <cmath>

namespace cask::app {
namespace {

/// What is said where a value does nothing.
QString wordsForNothing(std::string_view id) {
    if (id == "low_cut_hz" || id == "high_cut_hz" || id == "drive_db" || id == "level_spread_db")
        return LayersBench::tr("off");
    if (id == "decay_ms")
        return LayersBench::tr("as it is");
    return {};
}

} // namespace

LayersBench::LayersBench(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_model(new LayerModel(desk.document, desk.analyst, this)),
      m_played(new QWidget(this)), m_picture(new LayersPicture(*m_model, m_played)),
      m_bands(new LayerBandsPicture(*m_model, m_played)),
      m_strikes(new LayerStrikesPicture(*m_model, m_played)), m_said(new QLabel(m_played)),
      m_isOn(new QCheckBox(tr("on"), m_played)),
      m_isInverted(new QCheckBox(tr("polarity inverted"), m_played)),
      m_neverInRolls(new QCheckBox(tr("never in rolls"), m_played)),
      m_hits(new ChoiceRow({tr("all hits"), tr("accents"), tr("no ghosts"), tr("ghosts")}, m_played)),
      m_add(new QPushButton(this)), m_remove(new QPushButton(tr("Remove layer"), this)),
      m_hint(new QLabel(this)) {
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
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(16);
    grid->setVerticalSpacing(4);
    constexpr int kColumns = 4;
    for (std::size_t i = 0; i < layerValues().size(); ++i) {
        const auto& value = layerValues()[i];
        auto* bar = new ValueBar(value.info, m_played);
        bar->setAccessibleName(
            QString::fromUtf8(value.info.words.data(), static_cast<qsizetype>(value.info.words.size())));
        if (const QString nothing = wordsForNothing(value.info.id); !nothing.isEmpty())
            bar->sayValue = [nothing, standard = value.info.standard](double v) {
                return v == standard ? nothing : QString();
            };
        if (value.info.id == "rule/every")
            bar->sayValue = [](double v) {
                const int n = static_cast<int>(std::lround(v));
                return n == 1   ? tr("hit")
                       : n == 2 ? tr("2nd hit")
                       : n == 3 ? tr("3rd hit")
                                : tr("%1th hit").arg(n);
            };
        grid->addWidget(bar, static_cast<int>(i) / kColumns, static_cast<int>(i) % kColumns);
        m_bars.emplace_back(value.info.id, bar);
        connect(bar, &ValueBar::valueEdited, this, [this, i](double to, bool isDragging) {
            if (isDragging)
                return; // heard once it is let go: the stack is struck anew
            const auto& v = layerValues()[i];
            edit([&](layers::Layer& l) { v.set(l, to); },
                 QString::fromUtf8(v.info.words.data(), static_cast<qsizetype>(v.info.words.size())));
        });
        connect(bar, &ValueBar::editFinished, this, [this, i, bar] {
            const auto& v = layerValues()[i];
            const auto* layer = chosen();
            // A value that was set elsewhere may lie beyond the bar: it stays until the bar is moved.
            const bool isWithin =
                layer != nullptr && v.get(*layer) >= v.info.least && v.get(*layer) <= v.info.most;
            if (isWithin && std::abs(v.get(*layer) - bar->value()) > 1e-9)
                edit([&](layers::Layer& l) { v.set(l, bar->value()); },
                     QString::fromUtf8(v.info.words.data(), static_cast<qsizetype>(v.info.words.size())));
        });
    }
    played->addLayout(grid);
    auto* row = new QHBoxLayout;
    row->setSpacing(12);
    m_hits->setAccessibleName(tr("Strikes that the layer plays"));
    row->addWidget(m_hits);
    for (QWidget* w : {m_neverInRolls, m_isInverted, m_isOn})
        row->addWidget(w);
    row->addStretch(1);
    played->addLayout(row);
    layout->addWidget(m_played, 1);
    m_hint->setWordWrap(true);
    m_hint->setAlignment(Qt::AlignCenter);
    m_hint->setFont(textFont(14));
    layout->addWidget(m_hint, 1);
    auto* actions = new QHBoxLayout;
    actions->addWidget(m_add);
    actions->addWidget(m_remove);
    actions->addStretch(1);
    layout->addLayout(actions);
    connect(m_hits, &ChoiceRow::choiceEdited, this, [this](int index) {
        edit([&](layers::Layer& l) { l.rule.kind = static_cast<layers::StrikeKind>(index); }, tr("strikes"));
    });
    connect(m_isOn, &QCheckBox::clicked, this,
            [this](bool on) { edit([&](layers::Layer& l) { l.isOn = on; }, on ? tr("on") : tr("off")); });
    connect(m_isInverted, &QCheckBox::clicked, this,
            [this](bool on) { edit([&](layers::Layer& l) { l.isInverted = on; }, tr("polarity")); });
    connect(m_neverInRolls, &QCheckBox::clicked, this,
            [this](bool on) { edit([&](layers::Layer& l) { l.rule.neverInRolls = on; }, tr("rolls")); });
    connect(m_add, &QPushButton::clicked, this, &LayersBench::addSounds);
    connect(m_remove, &QPushButton::clicked, this, [this] {
        const int at = m_model->chosen();
        m_model->edit([at](layers::Stack& stack) { stack.layers.erase(stack.layers.begin() + at); },
                      tr("Remove a layer"));
    });
    connect(m_model, &LayerModel::changed, this, &LayersBench::refresh);
    connect(&desk.hits, &HitModel::hitsChanged, this, &LayersBench::refresh);
    refresh();
}

ValueBar& LayersBench::bar(std::string_view name) const {
    return *std::find_if(m_bars.begin(), m_bars.end(), [&](const auto& b) {
                return b.first == name;
            })->second;
}

const layers::Layer* LayersBench::chosen() const {
    const auto* stack = m_model->stack();
    return stack == nullptr || stack->layers.empty()
               ? nullptr
               : &stack->layers[static_cast<std::size_t>(m_model->chosen())];
}

QString LayersBench::summary() const {
    const auto* stack = m_model->stack();
    if (stack == nullptr)
        return m_desk.document.session().element(m_desk.document.selected()) != nullptr ? tr("recorded")
                                                                                        : QString();
    return tr("%1 strikes, %2")
        .arg(stack->strikes.size())
        .arg(stack->layers.size() == 1 ? tr("1 layer") : tr("%1 layers").arg(stack->layers.size()));
}

void LayersBench::edit(const std::function<void(layers::Layer&)>& change, const QString& what) {
    const int at = m_model->chosen();
    const auto* layer = chosen();
    if (layer != nullptr)
        m_model->edit([&](layers::Stack& stack) { change(stack.layers[static_cast<std::size_t>(at)]); },
                      tr("%1 of %2").arg(what, QString::fromStdString(layer->name)));
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
            m_model->strikeWith(strikes, sounds);
        return;
    }
    m_model->edit([&](layers::Stack& stack) { stack.layers.push_back(layers::layerOf(sounds)); },
                  tr("Add a layer"));
    m_model->choose(static_cast<int>(m_model->stack()->layers.size()) - 1);
}

void LayersBench::dragEnterEvent(QDragEnterEvent* event) {
    if (m_add->isEnabled() && m_add->isVisible() && event->mimeData()->hasUrls())
        event->acceptProposedAction();
}

void LayersBench::dropEvent(QDropEvent* event) {
    QStringList files;
    for (const auto& url : event->mimeData()->urls())
        if (url.isLocalFile())
            files << url.toLocalFile();
    event->acceptProposedAction();
    takeSounds(files);
}

void LayersBench::refresh() {
    const auto* stack = m_model->stack();
    const bool isElement = m_desk.document.session().element(m_desk.document.selected()) != nullptr;
    m_played->setVisible(stack != nullptr);
    m_hint->setVisible(stack == nullptr);
    m_remove->setVisible(stack != nullptr);
    m_add->setVisible(isElement);
    m_add->setText(stack != nullptr ? tr("Add a layer\u2026") : tr("Strike a sound with its hits\u2026"));
    if (stack == nullptr) {
        const auto analysis = m_desk.hits.shared();
        const auto strikes =
            isElement && analysis != nullptr
                ? project::strikesOf(m_desk.document.session(), *analysis, m_desk.document.selected()).size()
                : 0;
        m_add->setEnabled(strikes > 0);
        m_hint->setText(
            !isElement            ? tr("A bus has no layers: choose an element.")
            : m_model->isBusy()   ? tr("Striking \u2026")
            : analysis == nullptr ? tr("This element is recorded. Its hits are being searched for.")
            : strikes == 0
                ? tr("This element is recorded and has no hits of its own.")
                : tr("This element is recorded. Its %1 own hits can strike other sounds: they become an "
                     "element beside it, each at its hit, as loud as it was hit.")
                      .arg(strikes));
        emit summaryChanged();
        return;
    }
    const auto* layer = chosen();
    for (std::size_t i = 0; i < m_bars.size(); ++i) {
        m_bars[i].second->setEnabled(layer != nullptr);
        if (layer != nullptr)
            m_bars[i].second->setValue(layerValues()[i].get(*layer));
    }
    for (QWidget* w : {static_cast<QWidget*>(m_isOn), static_cast<QWidget*>(m_isInverted),
                       static_cast<QWidget*>(m_neverInRolls), static_cast<QWidget*>(m_hits),
                       static_cast<QWidget*>(m_remove)})
        w->setEnabled(layer != nullptr);
    if (layer != nullptr) {
        m_isOn->setChecked(layer->isOn);
        m_isInverted->setChecked(layer->isInverted);
        m_neverInRolls->setChecked(layer->rule.neverInRolls);
        m_hits->setChosen(static_cast<int>(layer->rule.kind));
        const QString sum = m_picture->sumText();
        m_said->setText(m_picture->textOf(m_model->chosen()) +
                        (sum.isEmpty() ? sum : QStringLiteral("\n") + sum));
    } else {
        m_said->setText(tr("No layers: nothing sounds. Add one."));
    }
    emit summaryChanged();
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
