#include "app/bench/drive/denser_row.h"

#include "app/models/priorities.h"
#include "app/theme/theme.h"
#include "app/widgets/value_bar.h"
#include "core/project/offline_sources.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>

namespace cask::app {
namespace {

constexpr session::ParameterInfo kDenserInfo{"denser_db",
                                             "denser by",
                                             session::ParameterKind::Number,
                                             session::Unit::DecibelSpan,
                                             0.5,
                                             8,
                                             2,
                                             session::Scale::Linear,
                                             0.5,
                                             {},
                                             "Loudness against true peak, over the middle 20 s."};

QString shortName(kit::DenseApproach approach) {
    switch (approach) {
    case kit::DenseApproach::Bus:
        return DenserRow::tr("on the bus");
    case kit::DenseApproach::Elements:
        return DenserRow::tr("on every shell");
    case kit::DenseApproach::Path:
    case kit::DenseApproach::None:
        break;
    }
    return DenserRow::tr("crushed path");
}

} // namespace

DenserRow::DenserRow(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_amount(new ValueBar(kDenserInfo, this)),
      m_find(new QPushButton(tr("find ways"), this)), m_text(new QLabel(this)),
      m_layout(new QHBoxLayout(this)), m_jobs(desk.analyst.pool()) {
    m_layout->setContentsMargins(0, 0, 0, 0);
    m_layout->setSpacing(8);
    m_amount->setMinimumWidth(150);
    m_layout->addWidget(m_amount);
    m_layout->addWidget(m_find);
    m_layout->addWidget(m_text, 1);
    m_text->setFont(textFont(12));
    m_find->setToolTip(
        tr("Searches three ways to it - on the bus, on every shell, by a crushed path - and tells what "
           "each costs in cymbals and beginnings. Press again to stop"));
    connect(m_amount, &ValueBar::valueEdited, this, [this](double value, bool) {
        m_amount->setValue(value);
        forget();
    });
    connect(m_find, &QPushButton::clicked, this, [this] { m_isSearching ? forget() : search(); });
    for (const auto signal : {&Document::changed, &Document::selectionChanged, &Document::opened})
        connect(&desk.document, signal, this, &DenserRow::forget);
    forget();
}

DenserRow::~DenserRow() {
    m_cancel.cancel();
}

bool DenserRow::isOffered() const {
    const auto* bus = m_desk.document.session().bus(m_desk.document.selected());
    return bus != nullptr && !bus->isMaster && !bus->path && m_desk.hits.shared() != nullptr;
}

void DenserRow::forget() {
    m_cancel.cancel();
    ++m_generation;
    m_isSearching = false;
    for (auto* button : m_takes)
        button->deleteLater();
    m_takes.clear();
    m_of.reset();
    m_text->clear();
    m_find->setText(tr("find ways"));
}

void DenserRow::search() {
    const auto hits = m_desk.hits.shared();
    if (!isOffered() || hits == nullptr)
        return;
    forget();
    m_isSearching = true;
    m_find->setText(tr("stop"));
    m_text->setText(tr("Searching\u2026"));
    m_cancel = CancelToken();
    m_of = m_desk.document.snapshot();
    m_jobs.post(
        [this, generation = m_generation, hits, snapshot = m_of, folder = m_desk.document.folder(),
         bus = m_desk.document.selected(), by = m_amount->value(), style = m_desk.findings.style(),
         cancel = m_cancel] {
            const auto sources = project::openOfflineSources(*snapshot, folder, cancel);
            auto ways = sources ? kit::densify(*snapshot, bus, by, *hits, sources->lookup(), style, cancel)
                                : Result<std::vector<kit::DenseWay>>(sources.error());
            QMetaObject::invokeMethod(
                this,
                [this, generation, ways = std::move(ways)] {
                    if (generation != m_generation)
                        return;
                    m_isSearching = false;
                    m_find->setText(tr("find ways"));
                    if (ways)
                        show(*ways);
                    else
                        m_text->setText(QString::fromStdString(ways.error().message));
                },
                Qt::QueuedConnection);
        },
        kMeasuringPriority);
}

void DenserRow::show(const std::vector<kit::DenseWay>& ways) {
    m_text->setText(ways.empty() ? tr("No way was found.") : QString());
    const Id bus = m_desk.document.selected();
    for (const auto& way : ways) {
        if (way.approach == kit::DenseApproach::None)
            continue; // nothing to take
        auto* take =
            new QPushButton(tr("%1: cymbals %2").arg(shortName(way.approach), signedDb(way.cymbalsDb)), this);
        const QString words = QString::fromStdString(kit::inWords(way, *m_of, bus));
        take->setToolTip(tr("%1. %2 dB denser, cymbals %3 dB, beginnings %4 dB, tails %5 dB%6")
                             .arg(words, signedDb(way.denserDb), signedDb(way.cymbalsDb),
                                  signedDb(way.keptAttackDb), signedDb(way.sustainDb),
                                  way.isReached ? QString() : tr("; more is not reached")));
        take->setEnabled(way.isReached);
        connect(take, &QPushButton::clicked, this,
                [this, next = way.session, words] { m_desk.document.edit(next, words); });
        m_layout->insertWidget(m_layout->count() - 1, take);
        take->show();
        m_takes.push_back(take);
    }
}

} // namespace cask::app
