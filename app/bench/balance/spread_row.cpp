#include "app/bench/balance/spread_row.h"

#include "app/models/spread_model.h"
#include "app/theme/theme.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QShortcut>

#include <cmath>

namespace cask::app {
namespace {

constexpr double kToldDb = 0.5; // drums that lose less are not named
constexpr std::size_t kMostTold = 2;

} // namespace

SpreadRow::SpreadRow(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk),
      m_model(new SpreadModel(desk.document, desk.analyst, desk.hits, desk.playback, this)),
      m_text(new QLabel(this)) {
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    auto* title = new QLabel(tr("spread"), this);
    title->setFont(textFont(12));
    layout->addWidget(title);
    // As the last two digits of the width are read: 2 for 20, 5 for 50, 0 for 100.
    const std::array keys = {Qt::Key_2, Qt::Key_5, Qt::Key_0};
    for (std::size_t i = 0; i < kSpreads.size(); ++i) {
        auto* button = new QPushButton(this);
        button->setCheckable(true);
        const QKeySequence key(Qt::ALT | keys[i]);
        button->setToolTip(tr("Width of the chosen element; all three are heard equally loud while it plays "
                              "(%1)")
                               .arg(key.toString(QKeySequence::NativeText)));
        const auto choose = [this, i] { m_model->choose(kSpreads[i]); };
        connect(button, &QPushButton::clicked, m_model, choose);
        // At once: a button's own shortcut waits a moment.
        connect(new QShortcut(key, this), &QShortcut::activated, m_model, choose);
        layout->addWidget(button);
        m_buttons[i] = button;
    }
    m_text->setFont(textFont(12));
    layout->addWidget(m_text, 1);
    connect(m_model, &SpreadModel::changed, this, &SpreadRow::refresh);
    refresh();
}

void SpreadRow::showEvent(QShowEvent*) {
    m_model->setWatched(true);
}

void SpreadRow::hideEvent(QHideEvent*) {
    m_model->setWatched(false);
}

QString SpreadRow::text() const {
    return m_text->text();
}

void SpreadRow::refresh() {
    const auto* e = m_desk.document.session().element(m_desk.document.selected());
    const bool isStereo = e != nullptr && e->isStereo();
    const auto& losses = m_model->losses();
    QString told;
    for (std::size_t i = 0; i < kSpreads.size(); ++i) {
        auto* button = m_buttons[i];
        const QString percent = tr("%1 %").arg(kSpreads[i]);
        const bool isChosen = isStereo && std::abs(e->out.widthPercent - kSpreads[i]) < 0.5;
        button->setEnabled(isStereo);
        button->setText(
            i < losses.size()
                ? tr("%1: \u2212%2 dB in mono").arg(percent).arg(std::max(0.0, losses[i].lossLu), 0, 'f', 1)
                : percent);
        button->setAccessibleName(tr("Spread %1").arg(percent));
        button->setChecked(isChosen);
        if (!isChosen || i >= losses.size())
            continue;
        std::size_t count = 0;
        for (const auto& drum : losses[i].drums)
            if (drum.lossDb >= kToldDb && count++ < kMostTold)
                told +=
                    (told.isEmpty() ? QString() : QStringLiteral(", ")) +
                    tr("%1 \u2212%2 dB").arg(QString::fromStdString(drum.drum)).arg(drum.lossDb, 0, 'f', 1);
    }
    m_text->setText(!isStereo                                  ? tr("only a stereo element has a spread")
                    : m_model->isMeasuring() && losses.empty() ? tr("measuring \u2026")
                                                               : told);
}

} // namespace cask::app
