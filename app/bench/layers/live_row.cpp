#include "app/bench/layers/live_row.h"

#include "app/theme/theme.h"

#include <QCheckBox>
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>

#include <algorithm>

namespace cask::app {
namespace {

/// Asks what there is each time it is opened.
class InputBox : public QComboBox {
  public:
    using QComboBox::QComboBox;
    void showPopup() override {
        const QString chosen = currentText();
        clear();
        addItems(LiveModel::inputs());
        setCurrentIndex(std::max(0, findText(chosen)));
        QComboBox::showPopup();
    }
};

} // namespace

LiveRow::LiveRow(LiveModel& model, QWidget* parent)
    : QWidget(parent), m_model(model), m_input(new InputBox(this)),
      m_strike(new QPushButton(tr("Strike it"), this)), m_click(new QCheckBox(tr("click"), this)),
      m_chain(new QCheckBox(tr("chain"), this)), m_record(new QPushButton(this)),
      m_instead(new QCheckBox(tr("instead"), this)), m_status(new QLabel(this)) {
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    auto* caption = new QLabel(tr("by hand"), this);
    for (auto* label : {caption, m_status})
        label->setFont(textFont(12));
    m_input->addItems(LiveModel::ownInputs()); // the machine is asked when it is opened
    m_input->setAccessibleName(tr("What the stack is played from"));
    m_input->setMaximumWidth(150);
    m_input->setToolTip(tr("A MIDI device, or a simulated player that follows the strikes a little late"));
    m_strike->setToolTip(tr("One stroke at once, straight to the monitor"));
    m_click->setToolTip(tr("Beats of the session's tempo, heard at the monitor only"));
    m_record->setToolTip(tr("Plays the session or its loop and keeps what is played: strikes of this stack, "
                            "one step back, and a MIDI file in the session's folder of takes"));
    m_instead->setToolTip(tr("Strikes that were there where it was played go; else they stay beside"));
    for (QWidget* w :
         {static_cast<QWidget*>(caption), static_cast<QWidget*>(m_input), static_cast<QWidget*>(m_strike),
          static_cast<QWidget*>(m_chain), static_cast<QWidget*>(m_click), static_cast<QWidget*>(m_record),
          static_cast<QWidget*>(m_instead), static_cast<QWidget*>(m_status)})
        layout->addWidget(w);
    layout->addStretch(1);
    connect(m_input, &QComboBox::textActivated, &model, &LiveModel::useInput);
    connect(m_strike, &QPushButton::pressed, &model, [this] { m_model.strike(); });
    connect(m_click, &QCheckBox::clicked, &model, &LiveModel::setClick);
    connect(m_chain, &QCheckBox::clicked, &model, &LiveModel::setThroughChain);
    connect(m_record, &QPushButton::clicked, &model, [this] {
        if (m_model.isRecording())
            m_model.endRecording();
        else
            m_model.record(m_instead->isChecked());
    });
    connect(&model, &LiveModel::changed, this, &LiveRow::refresh);
    refresh();
}

void LiveRow::refresh() {
    for (QWidget* w : {static_cast<QWidget*>(m_strike), static_cast<QWidget*>(m_record)})
        w->setEnabled(m_model.isReady());
    m_record->setText(m_model.isRecording() ? tr("Stop and keep") : tr("Record"));
    m_instead->setEnabled(!m_model.isRecording());
    m_click->setChecked(m_model.hasClick());
    m_chain->setChecked(m_model.isThroughChain());
    m_chain->setToolTip(tr("What is played goes through the element's chain, its level and its buses, "
                           "without the other elements%1")
                            .arg(m_model.chainMs() > 0
                                     ? tr("; that makes it %1 ms later").arg(m_model.chainMs(), 0, 'f', 1)
                                     : QString()));
    m_input->setCurrentIndex(std::max(0, m_input->findText(m_model.input())));
    m_status->setText(m_model.isRecording()
                          ? m_model.strokes() == 1 ? tr("1 stroke") : tr("%1 strokes").arg(m_model.strokes())
                          : QString());
}

} // namespace cask::app
