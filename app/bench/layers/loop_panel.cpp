#include "app/bench/layers/loop_panel.h"

#include "app/bench/layers/layer_values.h"
#include "app/bench/layers/loop_picture.h"
#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"
#include "app/widgets/value_bar.h"

#include <QCheckBox>
#include <QComboBox>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include <array>
#include <cmath>

namespace cask::app {
namespace {

constexpr std::array kSteps = {2, 3, 4, 6};
constexpr int kBarColumns = 3;

} // namespace

LoopPanel::LoopPanel(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_model(new LoopModel(desk, this)),
      m_picture(new LoopPicture(*m_model, this)), m_barBox(new QWidget(this)),
      m_grid(new ChoiceRow({tr("8ths"), tr("8th triplets"), tr("16ths"), tr("16th triplets")}, this)),
      m_drumRow(new QHBoxLayout), m_duckBy(new QComboBox(this)),
      m_stretched(new QCheckBox(tr("pieces stretch"), this)),
      m_onlyLoop(new QCheckBox(tr("only what repeats"), this)),
      m_mutes(new QCheckBox(tr("mute the loop"), this)), m_said(new QLabel(this)),
      m_cut(new QPushButton(tr("Cut it at its hits"), this)) {
    using session::Unit;
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    layout->addWidget(m_picture, 1);
    layout->addLayout(m_drumRow);
    m_drumRow->setSpacing(12);
    auto* grid = new QGridLayout(m_barBox);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setHorizontalSpacing(16);
    grid->setVerticalSpacing(4);
    layout->addWidget(m_barBox);
    const auto change = [this](auto member) {
        return [this, member](double v) {
            auto fit = m_model->fit();
            fit.*member = static_cast<std::remove_reference_t<decltype(fit.*member)>>(v);
            m_model->setFit(fit);
        };
    };
    using layers::LoopFit;
    addBar(number("tighten", "tighten", Unit::Percent, {0, 100, 0, 5}, "How far each hit goes to the grid."),
           tr("not at all"), change(&LoopFit::tightenPercent));
    addBar(number("shuffle", "shuffle", Unit::Percent, {50, 80, 50, 1},
                  "Where every second step lies between its neighbours."),
           tr("straight"), change(&LoopFit::shufflePercent));
    addBar(number("tempo", "tempo", Unit::None, {0, 300, 0, 0.5},
                  "Quarter notes a minute to which the loop is brought."),
           tr("its own"), change(&LoopFit::bpm));
    addBar(number("low_cut", "low cut", Unit::Hertz, {0, 2000, 0, 10}, "High-pass of all pieces."), tr("off"),
           change(&LoopFit::lowCutHz));
    addBar(number("repeats", "plays", Unit::None, {1, 64, 1, 1}, "So many times after each other."), {},
           change(&LoopFit::repeats));
    addBar(number("duck", "ducks", Unit::DecibelSpan, {0, 24, 0, 0.5},
                  "Up to so much under what is chosen beside it."),
           tr("not"), [this](double v) { m_model->setDuck(m_model->duckBy(), v); });
    bar("repeats").sayValue = [](double v) {
        return v < 1.5 ? tr("once") : tr("%1 times").arg(std::lround(v));
    };
    bar("tempo").sayValue = [](double v) {
        return v <= 0 ? tr("its own") : tr("%1 a minute").arg(v, 0, 'f', 1);
    };
    auto* words = new QHBoxLayout;
    words->setSpacing(12);
    m_grid->setAccessibleName(tr("Steps of the grid"));
    m_duckBy->setAccessibleName(tr("What it ducks under"));
    words->addWidget(m_grid);
    words->addStretch(1);
    words->addWidget(m_duckBy);
    layout->addLayout(words);
    auto* acts = new QHBoxLayout;
    acts->setSpacing(12);
    for (QWidget* w : {static_cast<QWidget*>(m_stretched), static_cast<QWidget*>(m_onlyLoop),
                       static_cast<QWidget*>(m_mutes)})
        acts->addWidget(w);
    acts->addStretch(1);
    acts->addWidget(m_cut);
    layout->addLayout(acts);
    m_said->setFont(textFont(12));
    m_said->setWordWrap(true);
    m_said->setAccessibleName(tr("What the cut gives"));
    layout->addWidget(m_said);
    m_mutes->setChecked(true);
    m_stretched->setToolTip(
        tr("With the tempo, behind their attacks; else they are cut off or leave silence"));
    m_onlyLoop->setToolTip(tr("The stretch between the loop marks of the strip"));
    m_cut->setToolTip(tr("The pieces become sounds in the session's folder, struck by a pattern: an element "
                         "beside the loop, with its chain"));
    connect(m_grid, &ChoiceRow::choiceEdited, this, [this](int index) {
        auto fit = m_model->fit();
        fit.stepsPerBeat = kSteps[static_cast<std::size_t>(index)];
        m_model->setFit(fit);
    });
    connect(m_stretched, &QCheckBox::clicked, this, [this](bool on) {
        auto fit = m_model->fit();
        fit.isStretched = on;
        m_model->setFit(fit);
    });
    connect(m_onlyLoop, &QCheckBox::clicked, m_model, &LoopModel::setOnlyLoop);
    connect(m_duckBy, &QComboBox::activated, this,
            [this](int index) { m_model->setDuck(m_duckBy->itemData(index).toInt(), m_model->duckDb()); });
    connect(m_cut, &QPushButton::clicked, this, [this] { m_model->cut(m_mutes->isChecked()); });
    connect(m_model, &LoopModel::changed, this, &LoopPanel::refresh);
    connect(&desk.playback, &Playback::transportChanged, this, &LoopPanel::refresh);
    refresh();
}

void LoopPanel::addBar(const session::ParameterInfo& info, const QString& nothing,
                       const std::function<void(double)>& set) {
    auto* bar = new ValueBar(info, m_barBox);
    bar->setAccessibleName(QString::fromUtf8(info.words.data(), static_cast<qsizetype>(info.words.size())));
    if (!nothing.isEmpty())
        bar->sayValue = [nothing, standard = info.standard](double v) {
            return v == standard ? nothing : QString();
        };
    auto* grid = static_cast<QGridLayout*>(m_barBox->layout());
    const int place = static_cast<int>(m_bars.size());
    grid->addWidget(bar, place / kBarColumns, place % kBarColumns);
    connect(bar, &ValueBar::valueEdited, this, [set](double v, bool) { set(v); });
    m_bars[std::string(info.id)] = bar;
}

QCheckBox* LoopPanel::drumBox(const std::string& drum) const {
    for (auto* box : m_drums)
        if (box->text().toStdString() == drum)
            return box;
    return nullptr;
}

QString LoopPanel::said() const {
    return m_said->text();
}

void LoopPanel::fillDrums() {
    std::vector<std::string> shown;
    for (const auto* box : m_drums)
        shown.push_back(box->text().toStdString());
    if (shown != m_model->drums() || m_drumRow->isEmpty()) {
        while (auto* item = m_drumRow->takeAt(0)) {
            if (item->widget() != nullptr)
                item->widget()->deleteLater();
            delete item;
        }
        m_drums.clear();
        auto* caption = new QLabel(tr("stays:"), this);
        caption->setFont(textFont(12));
        m_drumRow->addWidget(caption);
        for (const auto& drum : m_model->drums()) {
            auto* box = new QCheckBox(QString::fromStdString(drum), this);
            m_drumRow->addWidget(box);
            m_drums.push_back(box);
            connect(box, &QCheckBox::clicked, this, [this, drum](bool stays) {
                auto fit = m_model->fit();
                std::erase(fit.dropped, drum);
                if (!stays)
                    fit.dropped.push_back(drum);
                m_model->setFit(fit);
            });
        }
        m_drumRow->addStretch(1);
    }
    for (auto* box : m_drums)
        box->setChecked(!m_model->isDropped(box->text().toStdString()));
}

void LoopPanel::fillKeys() {
    const auto& s = m_desk.document.session();
    m_duckBy->clear();
    m_duckBy->addItem(tr("under nothing"), session::kNoId);
    for (const auto& e : s.elements)
        if (e->id != m_desk.document.selected())
            m_duckBy->addItem(tr("under %1").arg(QString::fromStdString(e->name)), e->id);
    m_duckBy->setCurrentIndex(std::max(0, m_duckBy->findData(m_model->duckBy())));
}

void LoopPanel::refresh() {
    const auto& fit = m_model->fit();
    fillDrums();
    fillKeys();
    bar("tighten").setValue(fit.tightenPercent);
    bar("shuffle").setValue(fit.shufflePercent);
    bar("tempo").setValue(fit.bpm);
    bar("low_cut").setValue(fit.lowCutHz);
    bar("repeats").setValue(fit.repeats);
    bar("duck").setValue(m_model->duckDb());
    bar("duck").setEnabled(m_model->duckBy() != session::kNoId);
    m_grid->setChosen(
        static_cast<int>(std::find(kSteps.begin(), kSteps.end(), fit.stepsPerBeat) - kSteps.begin()));
    m_stretched->setChecked(fit.isStretched);
    m_onlyLoop->setChecked(m_model->isOnlyLoop());
    m_onlyLoop->setEnabled(m_desk.playback.hasLoop() || m_model->isOnlyLoop());
    const QString& problem = m_model->problem();
    m_said->setText(problem.isEmpty() || m_model->pieces().empty()
                        ? m_model->summary()
                        : m_model->summary() + QStringLiteral(". ") + problem);
    m_cut->setEnabled(problem.isEmpty() && !m_model->pieces().empty() && !m_model->isBusy() &&
                      !m_desk.document.isReadOnly());
    m_cut->setText(m_model->isBusy() ? tr("Cutting \u2026") : tr("Cut it at its hits"));
}

void LoopPanel::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    m_model->follow();
}

} // namespace cask::app
