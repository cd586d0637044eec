#include "app/proof/proof_page.h"

#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDesktopServices>
#include <QFileDialog>
#include <QGridLayout>
#include <QHeaderView>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QTableWidget>
#include <QUrl>
#include <QVBoxLayout>

#include <cmath>
#include <utility>

namespace cask::app {
namespace {

struct Format {
    const char* words;
    media::Container container;
    media::SampleFormat sampleFormat;
};
constexpr Format kFormats[] = {
    {"WAV, 24 bit", media::Container::Wav, media::SampleFormat::Pcm24},
    {"WAV, 16 bit", media::Container::Wav, media::SampleFormat::Pcm16},
    {"WAV, 32 bit float", media::Container::Wav, media::SampleFormat::Float32},
    {"FLAC, 24 bit", media::Container::Flac, media::SampleFormat::Pcm24},
    {"FLAC, 16 bit", media::Container::Flac, media::SampleFormat::Pcm16},
};

QLabel* caption(const QString& text, QWidget* parent) {
    auto* label = new QLabel(text, parent);
    label->setFont(textFont(13));
    return label;
}

} // namespace

ProofPage::ProofPage(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_mix(new QCheckBox(tr("the mix"), this)),
      // In the order of project::Stems.
      m_stems(new ChoiceRow(
          {tr("no stems"), tr("elements"), tr("buses"), tr("into the master"), tr("processed tracks")},
          this)),
      m_part(new QComboBox(this)), m_tails(new QCheckBox(tr("with tails"), this)),
      m_format(new ChoiceRow({}, this)), m_rate(new QComboBox(this)),
      m_dither(new QCheckBox(tr("dither"), this)), m_folder(new QLineEdit(this)),
      m_names(new QLineEdit(this)), m_preview(new QLabel(this)), m_what(new QLabel(this)),
      m_deliver(new QPushButton(tr("Export"), this)),
      m_hits(new QPushButton(tr("Export hits and MIDI"), this)), m_stop(new QPushButton(tr("Stop"), this)),
      m_open(new QPushButton(tr("Open folder"), this)), m_goOn(new QPushButton(this)),
      m_progress(new QProgressBar(this)), m_status(new QLabel(this)), m_results(new QTableWidget(0, 4, this)),
      m_jobs(desk.analyst.pool()) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(16, 6, 16, 12);
    layout->setSpacing(10);
    auto* title = new QLabel(tr("Proof \u2014 export the mix, stems and tracks"), this);
    title->setFont(textFont(16, QFont::DemiBold));
    layout->addWidget(title);

    QStringList formats;
    for (const auto& format : kFormats)
        formats << QLatin1String(format.words);
    m_format->setWords(formats);
    m_format->setAccessibleName(tr("File format"));
    m_stems->setAccessibleName(tr("Stems"));
    m_part->setAccessibleName(tr("Part of the session"));
    m_tails->setToolTip(tr("Tracks go on to the end of the session, not of their files"));
    m_mix->setChecked(true);
    m_dither->setChecked(true);
    m_dither->setToolTip(tr("Triangular dither when the sound is reduced to 16 or 24 bits"));
    m_rate->setAccessibleName(tr("Sample rate"));
    m_rate->addItem(tr("the session's sample rate"), 0.0);
    for (const double hz : {44100.0, 48000.0, 88200.0, 96000.0})
        m_rate->addItem(tr("%1 kHz").arg(hz / 1000), hz);
    m_folder->setAccessibleName(tr("Folder"));

    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(16);
    grid->setVerticalSpacing(8);
    grid->setColumnStretch(1, 1);
    const auto row = [&](int r, const QString& name, std::initializer_list<QWidget*> widgets) {
        grid->addWidget(caption(name, this), r, 0);
        auto* line = new QHBoxLayout;
        line->setSpacing(12);
        for (QWidget* widget : widgets)
            line->addWidget(widget);
        if (*widgets.begin() != m_folder)
            line->addStretch();
        grid->addLayout(line, r, 1);
    };
    m_names->setAccessibleName(tr("Names of the files"));
    m_names->setMinimumWidth(240);
    m_names->setToolTip(
        tr("Words in braces are filled in: {session} {name} {file} {role} {bus} {number}. Left "
           "empty: {session} - {name}; of tracks {file}."));
    m_preview->setFont(textFont(12));
    auto* choose = new QPushButton(tr("Choose"), this);
    row(0, tr("what"), {m_mix, m_stems});
    row(1, tr("part"), {m_part, m_tails});
    row(2, tr("as"), {m_format});
    row(3, tr("at"), {m_rate, m_dither});
    row(4, tr("names"), {m_names, m_preview});
    row(5, tr("into"), {m_folder, choose});
    layout->addLayout(grid);
    m_what->setFont(textFont(13));
    m_what->setWordWrap(true);
    layout->addWidget(m_what);

    auto* actions = new QHBoxLayout;
    m_deliver->setFont(textFont(14, QFont::DemiBold));
    m_deliver->setToolTip(tr("Ctrl+Enter"));
    actions->addWidget(m_deliver);
    m_hits->setToolTip(tr("hits.csv, hits.json, hits.mid and a list of labels for each element"));
    actions->addWidget(m_hits);
    actions->addWidget(m_stop);
    actions->addWidget(m_open);
    actions->addWidget(m_goOn);
    m_progress->setRange(0, 1000);
    m_progress->setTextVisible(false);
    m_progress->setFixedHeight(6);
    actions->addWidget(m_progress, 1);
    actions->addStretch();
    layout->addLayout(actions);
    m_status->setFont(textFont(13));
    m_status->setWordWrap(true);
    layout->addWidget(m_status);

    m_results->setHorizontalHeaderLabels({tr("file"), tr("loudness"), tr("true peak"), tr("length")});
    m_results->setAccessibleName(tr("Exported files"));
    m_results->verticalHeader()->hide();
    m_results->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    m_results->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    m_results->setEditTriggers(QAbstractItemView::NoEditTriggers);
    m_results->setSelectionMode(QAbstractItemView::NoSelection);
    m_results->setShowGrid(false);
    layout->addWidget(m_results, 1);

    connect(choose, &QPushButton::clicked, this, &ProofPage::chooseFolder);
    connect(m_deliver, &QPushButton::clicked, this, &ProofPage::deliver);
    connect(m_hits, &QPushButton::clicked, this, &ProofPage::writeHits);
    connect(m_names, &QLineEdit::textChanged, this, &ProofPage::refresh);
    connect(&desk.hits, &HitModel::hitsChanged, this, &ProofPage::refresh);
    connect(m_goOn, &QPushButton::clicked, this, [this] {
        if (const auto goOn = std::exchange(m_offer, {}))
            goOn();
    });
    connect(m_stop, &QPushButton::clicked, this, [this] { m_cancel.cancel(); });
    connect(m_open, &QPushButton::clicked, this,
            [this] { QDesktopServices::openUrl(QUrl::fromLocalFile(m_folder->text())); });
    connect(m_mix, &QCheckBox::toggled, this, &ProofPage::refresh);
    connect(m_stems, &ChoiceRow::choiceEdited, this, &ProofPage::refresh);
    connect(m_part, &QComboBox::activated, this, &ProofPage::refresh);
    connect(m_tails, &QCheckBox::toggled, this, &ProofPage::refresh);
    connect(m_format, &ChoiceRow::choiceEdited, this, &ProofPage::refresh);
    connect(m_folder, &QLineEdit::textChanged, this, [this] {
        m_offer = {}; // it was about another folder
        refresh();
    });
    connect(&desk.document, &Document::changed, this, &ProofPage::refresh);
    connect(&desk.playback, &Playback::transportChanged, this, [this] {
        if (isVisible())
            refresh();
    });
    connect(&desk.document, &Document::opened, this, [this] {
        m_folder->setText(QString::fromStdString(m_desk.document.store().deliveryFolder().string()));
        m_report.reset();
        m_results->setRowCount(0);
        m_status->setText(tr("What was exported will be listed here with its loudness and true peak."));
        refresh();
    });
    m_folder->setText(QString::fromStdString(desk.document.store().deliveryFolder().string()));
    m_progress->hide();
    refresh();
}

ProofPage::~ProofPage() {
    m_cancel.cancel();
}

void ProofPage::showEvent(QShowEvent*) {
    refresh();
    m_stems->setFocus();
}

void ProofPage::keyPressEvent(QKeyEvent* event) {
    const bool isEnter = event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter;
    if (isEnter && (event->modifiers() & Qt::ControlModifier) != 0)
        deliver();
    else
        QWidget::keyPressEvent(event);
}

QString ProofPage::statusText() const {
    return m_status->text();
}

project::DeliveryOptions ProofPage::options() const {
    project::DeliveryOptions o;
    const auto& format = kFormats[std::max(0, m_format->chosen())];
    o.mix = m_mix->isChecked();
    o.stems = static_cast<project::Stems>(m_stems->chosen());
    o.withTails = m_tails->isChecked();
    const auto& s = m_desk.document.session();
    const int part = m_part->currentIndex() - 1;
    if (part >= 0 && part < static_cast<int>(s.sections.size())) {
        const auto& section = s.sections[static_cast<std::size_t>(part)];
        o.from = secondsToFrames(section.startS, s.sampleRateHz);
        o.frames = secondsToFrames(section.endS, s.sampleRateHz) - o.from;
    }
    if (part == static_cast<int>(s.sections.size()) && m_desk.playback.hasLoop()) {
        o.from = secondsToFrames(m_desk.playback.loopStartS(), s.sampleRateHz);
        o.frames = secondsToFrames(m_desk.playback.loopEndS(), s.sampleRateHz) - o.from;
    }
    o.file.container = format.container;
    o.file.sampleFormat = format.sampleFormat;
    o.file.dither = m_dither->isChecked();
    o.sampleRateHz = m_rate->currentData().toDouble();
    o.namePattern = m_names->text().trimmed().toStdString();
    return o;
}

void ProofPage::refresh() {
    const auto& s = m_desk.document.session();
    fillParts();
    const auto wanted = options();
    const int files = static_cast<int>(stemsOf(s, wanted.stems).size()) + (wanted.mix ? 1 : 0);
    const double seconds =
        framesToSeconds(wanted.frames > 0 ? wanted.frames : s.lengthFrames(), s.sampleRateHz);
    const bool isNamed = bool(project::deliveryNames(s, wanted));
    previewNames();
    m_tails->setVisible(wanted.stems == project::Stems::Tracks);
    m_dither->setEnabled(kFormats[std::max(0, m_format->chosen())].sampleFormat !=
                         media::SampleFormat::Float32);
    m_what->setText(
        s.elements.empty() ? tr("There is nothing to export yet: import files first.")
        : files == 0       ? tr("Nothing is chosen.")
                           : (files == 1 ? tr("1 file, %1 s.")
                                         : tr("%2 files, %1 s.").arg(QStringLiteral("%1"), QString::number(files)))
                               .arg(seconds, 0, 'f', 1) +
                           stemWords());
    if (const auto solo = project::soloSentences(s); !solo.empty())
        m_what->setText(m_what->text() + QLatin1Char(' ') + QString::fromStdString(solo.front()));
    const bool hasHits = m_desk.hits.analysis() != nullptr && !m_desk.hits.analysis()->hits.strokes.empty();
    m_hits->setEnabled(!m_isDelivering && hasHits && !m_folder->text().trimmed().isEmpty());
    m_deliver->setEnabled(!m_isDelivering && files > 0 && !s.elements.empty() && isNamed &&
                          !m_folder->text().trimmed().isEmpty());
    m_stop->setVisible(m_isDelivering);
    m_open->setVisible(!m_isDelivering && m_report.has_value());
    m_progress->setVisible(m_isDelivering);
    m_goOn->setVisible(!m_isDelivering && m_offer != nullptr);
}

void ProofPage::previewNames() {
    const auto names = project::deliveryNames(m_desk.document.session(), options());
    m_names->setPlaceholderText(m_stems->chosen() == static_cast<int>(project::Stems::Tracks)
                                    ? QStringLiteral("{file}")
                                    : QStringLiteral("{session} - {name}"));
    QPalette palette = m_preview->palette();
    palette.setColor(QPalette::WindowText, names ? theme().faint : theme().ember);
    m_preview->setPalette(palette);
    if (!names) {
        m_preview->setText(QString::fromStdString(names.error().message));
        return;
    }
    constexpr std::size_t kShown = 2;
    QStringList shown;
    for (std::size_t i = 0; i < std::min(kShown, names->size()); ++i)
        shown << QString::fromStdString((*names)[i]);
    if (names->size() > kShown)
        shown << tr("\u2026");
    m_preview->setText(shown.join(QStringLiteral(", ")));
}

QString ProofPage::namesText() const {
    return m_preview->text();
}

QString ProofPage::whatText() const {
    return m_what->text();
}

QString ProofPage::stemWords() const {
    switch (static_cast<project::Stems>(m_stems->chosen())) {
    case project::Stems::Elements:
        return tr(
            " Elements as they enter their bus, after level and pan: where a bus has processing they do not "
            "sum to the mix.");
    case project::Stems::Buses:
        return tr(
            " Each bus after its processing, level and pan; buses that feed other buses are in these too.");
    case project::Stems::MasterInputs:
        return tr(
            " All that goes straight into the master: it sums to the mix before the master's processing.");
    case project::Stems::Tracks:
        return tr(
            " Elements behind their processing, before level and pan, muted or not, under the names of their "
            "files.");
    case project::Stems::None:
        break;
    }
    return {};
}

void ProofPage::fillParts() {
    QStringList parts{tr("the whole session")};
    for (const auto& section : m_desk.document.session().sections)
        parts << tr("%1, %2 s to %3 s")
                     .arg(QString::fromStdString(section.name))
                     .arg(section.startS, 0, 'f', 1)
                     .arg(section.endS, 0, 'f', 1);
    if (m_desk.playback.hasLoop())
        parts << tr("the loop, %1 s to %2 s")
                     .arg(m_desk.playback.loopStartS(), 0, 'f', 1)
                     .arg(m_desk.playback.loopEndS(), 0, 'f', 1);
    QStringList shown;
    for (int i = 0; i < m_part->count(); ++i)
        shown << m_part->itemText(i);
    if (shown == parts)
        return;
    m_part->clear(); // another session or other sections: the whole again
    m_part->addItems(parts);
}

void ProofPage::chooseFolder() {
    const QString folder = QFileDialog::getExistingDirectory(this, tr("Export into"), m_folder->text());
    if (!folder.isEmpty())
        m_folder->setText(folder);
}

} // namespace cask::app
