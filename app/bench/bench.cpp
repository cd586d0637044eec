#include "app/bench/bench.h"

#include "app/bench/balance/balance_bench.h"
#include "app/bench/clean/clean_bench.h"
#include "app/bench/drive/drive_bench.h"
#include "app/bench/hits/hits_bench.h"
#include "app/bench/intake/intake_bench.h"
#include "app/bench/layers/layers_bench.h"
#include "app/bench/punch/punch_bench.h"
#include "app/bench/tone/tone_bench.h"
#include "app/theme/theme.h"
#include "app/widgets/elided_label.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QStackedWidget>
#include <QVBoxLayout>

namespace cask::app {

Bench::Bench(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_title(new QLabel(this)), m_summary(new ElidedLabel(this)),
      m_stack(new QStackedWidget(this)), m_intake(new IntakeBench(desk, this)),
      m_hits(new HitsBench(desk, this)), m_balance(new BalanceBench(desk, this)),
      m_clean(new CleanBench(desk, this)), m_tone(new ToneBench(desk, this)),
      m_punch(new PunchBench(desk, this)), m_drive(new DriveBench(desk, this)),
      m_layers(new LayersBench(desk, this)), m_empty(makeEmpty()) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 6, 12, 8);
    layout->setSpacing(6);
    auto* head = new QHBoxLayout;
    m_title->setFont(textFont(16, QFont::DemiBold));
    m_summary->setFont(textFont(13));
    m_summary->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    head->addWidget(m_title);
    head->addWidget(m_summary, 1);
    layout->addLayout(head);
    layout->addWidget(m_stack, 1);
    for (QWidget* page :
         {static_cast<QWidget*>(m_intake), static_cast<QWidget*>(m_hits), static_cast<QWidget*>(m_balance),
          static_cast<QWidget*>(m_clean), static_cast<QWidget*>(m_tone), static_cast<QWidget*>(m_punch),
          static_cast<QWidget*>(m_drive), static_cast<QWidget*>(m_layers), m_empty})
        m_stack->addWidget(page);
    connect(&desk.document, &Document::selectionChanged, this, &Bench::refresh);
    connect(&desk.document, &Document::changed, this, &Bench::refresh);
    connect(&desk.document, &Document::opened, this, &Bench::refresh);
    connect(&desk.analyst, &Analyst::progressChanged, this, &Bench::refresh);
    connect(&desk.playback, &Playback::headroomChanged, this, &Bench::refresh);
    connect(&desk.hits, &HitModel::hitsChanged, this, &Bench::refresh);
    connect(m_clean, &CleanBench::summaryChanged, this, [this] {
        if (m_desk.document.stage() == Stage::Clean)
            m_summary->setText(m_clean->summary());
    });
    connect(m_drive, &DriveBench::summaryChanged, this, [this] {
        if (m_desk.document.stage() == Stage::Drive)
            m_summary->setText(m_drive->summary());
    });
    connect(m_layers, &LayersBench::summaryChanged, this, [this] {
        if (m_desk.document.stage() == Stage::Layers)
            m_summary->setText(m_layers->summary());
    });
    connect(m_punch, &PunchBench::summaryChanged, this, [this] {
        if (m_desk.document.stage() == Stage::Punch)
            m_summary->setText(m_punch->summary());
    });
    refresh();
}

QWidget* Bench::makeEmpty() {
    auto* page = new QWidget(this);
    auto* layout = new QVBoxLayout(page);
    layout->addStretch(2);
    auto* title = new QLabel(tr("Drop the files of a kit here"), page);
    title->setFont(textFont(20, QFont::DemiBold));
    auto* text = new QLabel(
        tr("A folder or single files: WAV, AIFF, FLAC, Ogg Vorbis, Opus or MP3, mono, stereo or more "
           "channels.\nRoles are guessed from the names; the files themselves are never changed."),
        page);
    text->setFont(textFont(14));
    layout->addWidget(title, 0, Qt::AlignHCenter);
    layout->addSpacing(8);
    text->setAlignment(Qt::AlignHCenter);
    layout->addWidget(text, 0, Qt::AlignHCenter);
    layout->addSpacing(20);
    auto* row = new QHBoxLayout;
    row->addStretch();
    const auto add = [&](const QString& words, void (Bench::*signal)()) {
        auto* button = new QPushButton(words, page);
        connect(button, &QPushButton::clicked, this, signal);
        row->addWidget(button);
    };
    add(tr("Choose files"), &Bench::wantsImport);
    add(tr("Open a session"), &Bench::wantsOpen);
    add(tr("Open the demo kit"), &Bench::wantsDemo);
    row->addStretch();
    layout->addLayout(row);
    layout->addStretch(3);
    return page;
}

void Bench::refresh() {
    const auto& document = m_desk.document;
    if (document.session().elements.empty()) {
        m_stack->setCurrentWidget(m_empty);
        m_title->setText({});
        m_summary->setText({});
        return;
    }
    const QString name = QString::fromStdString(document.session().nameOf(document.selected()));
    switch (document.stage()) {
    case Stage::Intake:
        m_stack->setCurrentWidget(m_intake);
        m_title->setText(tr("Intake \u2014 %1").arg(name));
        m_summary->setText(m_intake->summary());
        break;
    case Stage::Hits:
        m_stack->setCurrentWidget(m_hits);
        m_title->setText(tr("Hits \u2014 %1").arg(name));
        m_summary->setText(m_hits->summary());
        break;
    case Stage::Balance:
        m_stack->setCurrentWidget(m_balance);
        m_title->setText(tr("Balance \u2014 %1").arg(name));
        m_summary->setText(m_balance->summary());
        break;
    case Stage::Clean:
        m_stack->setCurrentWidget(m_clean);
        m_title->setText(tr("Clean \u2014 %1").arg(name));
        m_summary->setText(m_clean->summary());
        break;
    case Stage::Tone:
        m_stack->setCurrentWidget(m_tone);
        m_title->setText(tr("Tone \u2014 %1").arg(name));
        m_summary->setText(m_tone->summary());
        break;
    case Stage::Punch:
        m_stack->setCurrentWidget(m_punch);
        m_title->setText(tr("Punch \u2014 %1").arg(name));
        m_summary->setText(m_punch->summary());
        break;
    case Stage::Drive:
        m_stack->setCurrentWidget(m_drive);
        m_title->setText(tr("Drive \u2014 %1").arg(name));
        m_summary->setText(m_drive->summary());
        break;
    case Stage::Layers:
        m_stack->setCurrentWidget(m_layers);
        m_title->setText(tr("Layers \u2014 %1").arg(name));
        m_summary->setText(m_layers->summary());
        break;
    default:
        break; // no bench yet
    }
}

} // namespace cask::app
