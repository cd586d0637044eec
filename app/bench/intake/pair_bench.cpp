#include "app/bench/intake/pair_bench.h"

#include "app/bench/intake/pair_picture.h"
#include "app/theme/theme.h"

#include <QHBoxLayout>
#include <QPushButton>
#include <QVBoxLayout>

#include <cmath>

namespace cask::app {
namespace {

constexpr double kReachMs = 10; // of the best place around where it is
constexpr double kHearS = 4;

} // namespace

PairBench::PairBench(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_pair(desk.document, desk.analyst, desk.hits),
      m_picture(new PairPicture(desk.document, m_pair, this)), m_hearStill(new QPushButton(this)),
      m_hearMoving(new QPushButton(this)), m_hearBoth(new QPushButton(tr("Hear both"), this)),
      m_flip(new QPushButton(tr("Invert polarity"), this)), m_best(new QPushButton(this)),
      m_together(new QPushButton(this)) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    layout->addWidget(m_picture, 1);
    // Two rows, so that names and numbers are whole in the smallest window.
    for (const auto& buttons :
         {std::vector{m_hearMoving, m_hearStill, m_hearBoth}, {m_flip, m_best, m_together}}) {
        auto* row = new QHBoxLayout;
        row->setSpacing(8);
        for (auto* button : buttons) {
            button->setFont(textFont(12));
            row->addWidget(button);
        }
        row->addStretch();
        layout->addLayout(row);
    }
    m_best->setToolTip(tr("The strongest sum around the drum's note near where it stands"));
    m_together->setToolTip(tr("Where the sound arrives in both at once, measured over the whole band"));
    m_flip->setToolTip(tr("Inverts the polarity of the chosen microphone (F in the picture)"));
    connect(m_hearStill, &QPushButton::clicked, this, [this] { hear(Heard::Still); });
    connect(m_hearMoving, &QPushButton::clicked, this, [this] { hear(Heard::Moving); });
    connect(m_hearBoth, &QPushButton::clicked, this, [this] { hear(Heard::Both); });
    connect(m_flip, &QPushButton::clicked, this, [this] {
        if (const auto* e = m_desk.document.session().element(m_pair.moving()))
            m_pair.setInverted(!e->input.isInverted);
    });
    connect(m_best, &QPushButton::clicked, this, [this] { m_pair.moveTo(m_pair.best(kReachMs)); });
    connect(m_together, &QPushButton::clicked, this, [this] {
        if (const auto place = m_pair.together())
            m_pair.moveTo(*place);
    });
    connect(&m_pair, &PairModel::portraitChanged, this, &PairBench::refresh);
    connect(&desk.document, &Document::changed, this, &PairBench::refresh);
    refresh();
}

QPushButton* PairBench::hearButton(Heard which) const {
    return which == Heard::Still ? m_hearStill : which == Heard::Moving ? m_hearMoving : m_hearBoth;
}

void PairBench::hear(Heard which) {
    if (m_desk.playback.isAuditioning()) {
        m_desk.playback.endAudition();
        return;
    }
    std::vector<Id> alone;
    if (which != Heard::Moving)
        alone.push_back(m_pair.still());
    if (which != Heard::Still)
        alone.push_back(m_pair.moving());
    m_desk.playback.audition({alone, m_pair.hearFromS(), m_pair.hearFromS() + kHearS, {}});
}

void PairBench::refresh() {
    const auto& s = m_desk.document.session();
    const auto* e = s.element(m_pair.moving());
    const bool isMeasured = e != nullptr && m_pair.portrait() != nullptr && m_pair.portrait()->hits > 0;
    m_hearMoving->setText(tr("Hear %1").arg(QString::fromStdString(s.nameOf(m_pair.moving()))));
    m_hearStill->setText(tr("Hear %1").arg(QString::fromStdString(s.nameOf(m_pair.still()))));
    for (auto* button : {m_hearMoving, m_hearStill, m_hearBoth, m_flip, m_best, m_together})
        button->setEnabled(isMeasured);
    // Each place says what it would bring; where it stands already there is nothing to press.
    const auto show = [&](QPushButton* button, const QString& words,
                          const std::optional<PairModel::Best>& place) {
        const bool isThere = place && std::abs(place->shiftMs - e->input.shiftMs) < 0.025 &&
                             place->isInverted == e->input.isInverted;
        button->setEnabled(place.has_value() && !isThere);
        button->setText(!place
                            ? words
                            : tr("%1: %2 ms%3, %4 dB")
                                  .arg(words, dbText(place->shiftMs, 2),
                                       place->isInverted != e->input.isInverted ? tr(" inverted") : QString(),
                                       dbText(place->lowSumDb)));
    };
    show(m_best, tr("Best near"), isMeasured ? std::optional(m_pair.best(kReachMs)) : std::nullopt);
    show(m_together, tr("In time"), isMeasured ? m_pair.together() : std::nullopt);
}

} // namespace cask::app
