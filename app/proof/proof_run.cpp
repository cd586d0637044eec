// What the page Proof writes: exports and hits, in the background, and what came of it.
#include "app/proof/proof_page.h"
#include "app/theme/theme.h"
#include "app/widgets/words.h"
#include "core/project/hit_files.h"
#include "core/project/offline_sources.h"
#include "core/project/played_files.h"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QTableWidget>

#include <cmath>

namespace cask::app {
namespace {

constexpr int kDeliveryPriority = -1; // before measuring: somebody waits for it

} // namespace

void ProofPage::offer(const QString& words, std::function<void()> goOn) {
    m_goOn->setText(words);
    m_offer = std::move(goOn);
    refresh();
}

void ProofPage::deliver() {
    if (m_deliver->isEnabled())
        begin(options(), false);
}

void ProofPage::begin(const project::DeliveryOptions& wanted, bool allowsMissing) {
    m_isDelivering = true;
    m_offer = {};
    m_report.reset();
    m_results->setRowCount(0);
    m_status->setText(tr("Rendering \u2026"));
    m_progress->setValue(0);
    m_cancel = CancelToken();
    refresh();
    m_jobs.post(
        [this, snapshot = m_desk.document.snapshot(), folder = m_desk.document.folder(), cancel = m_cancel,
         target = std::filesystem::path(m_folder->text().trimmed().toStdString()), wanted, allowsMissing] {
            QStringList missing;
            const auto sources = project::openOfflineSources(*snapshot, folder, cancel);
            int last = -1;
            const auto progress = [this, &last](double share) {
                const int value = static_cast<int>(share * 1000);
                if (value == last)
                    return;
                last = value;
                QMetaObject::invokeMethod(
                    m_progress, [bar = m_progress, value] { bar->setValue(value); }, Qt::QueuedConnection);
            };
            Result<project::DeliveryReport> result = Error{ErrorCode::Cancelled, {}};
            if (sources) {
                for (const auto& problem : sources->problems)
                    missing << QString::fromStdString(problem);
                const auto protectedFiles = project::protectedFiles(*snapshot, folder);
                auto o = wanted;
                o.rules.sources = &protectedFiles;
                o.missing = sources->problems;
                result = missing.isEmpty() || allowsMissing
                             ? project::deliver(*snapshot, sources->lookup(), target, o, cancel, progress)
                             : Result<project::DeliveryReport>(Error{ErrorCode::NotReadable, {}});
            }
            QMetaObject::invokeMethod(
                this,
                [this, result, wanted, missing, allowsMissing] {
                    finish(result, wanted, missing, allowsMissing);
                },
                Qt::QueuedConnection);
        },
        kDeliveryPriority);
}

void ProofPage::finish(const Result<project::DeliveryReport>& result, const project::DeliveryOptions& wanted,
                       const QStringList& missing, bool allowsMissing) {
    m_isDelivering = false;
    if (!result) {
        const bool lacksSources = !missing.isEmpty() && !allowsMissing;
        m_status->setText(
            result.error().code == ErrorCode::Cancelled ? tr("Stopped. Nothing was left behind.")
            : lacksSources ? missing.join(QLatin1Char(' ')) + tr(" Nothing was exported.")
                           : QString::fromStdString(result.error().message) + tr(" Nothing was exported."));
        if (lacksSources) {
            offer(tr("Export with silence in their place"), [this, wanted] { begin(wanted, true); });
        } else if (result.error().code == ErrorCode::Exists) {
            auto replacing = wanted;
            replacing.rules.ifExists = IfExists::Replace;
            offer(tr("Replace what is there"),
                  [this, replacing, allowsMissing] { begin(replacing, allowsMissing); });
        }
        refresh();
        return;
    }
    m_report = *result;
    QStringList lines;
    lines << tr("%1 in %2 s, %3 times faster than real time.")
                 .arg(result->files.size() == 1 ? tr("1 file") : tr("%1 files").arg(result->files.size()))
                 .arg(result->wallS, 0, 'f', 1)
                 .arg(std::lround(result->soundS / std::max(0.001, result->wallS)));
    for (const auto& note : result->notes)
        lines << QString::fromStdString(note);
    for (const auto& sentence : missing)
        lines << sentence + tr(" It is silent in what was exported.");
    m_status->setText(lines.join(QLatin1Char(' ')));
    m_results->setRowCount(static_cast<int>(result->files.size()));
    int row = 0;
    for (const auto& file : result->files) {
        const double rate = m_rate->currentData().toDouble() > 0 ? m_rate->currentData().toDouble()
                                                                 : m_desk.document.session().sampleRateHz;
        const QString loudness =
            file.integratedLufs > -100 ? tr("%1 LUFS").arg(dbText(file.integratedLufs)) : tr("silent");
        const QString cells[] = {QString::fromStdString(file.path.filename().string()), loudness,
                                 tr("%1 dBTP").arg(dbText(file.truePeakDb)),
                                 tr("%1 s").arg(framesToSeconds(file.frames, rate), 0, 'f', 2)};
        for (int column = 0; column < 4; ++column)
            m_results->setItem(row, column, new QTableWidgetItem(cells[column]));
        ++row;
    }
    refresh();
}

void ProofPage::writeHits() {
    if (m_hits->isEnabled())
        beginHits(IfExists::Refuse);
}

void ProofPage::beginHits(IfExists ifExists) {
    const auto hits = m_desk.hits.shared();
    if (hits == nullptr)
        return;
    m_isDelivering = true;
    m_offer = {};
    m_report.reset();
    m_results->setRowCount(0);
    m_status->setText(tr("Writing the hits \u2026"));
    m_cancel = CancelToken();
    refresh();
    m_jobs.post(
        [this, hits, ifExists, snapshot = m_desk.document.snapshot(), folder = m_desk.document.folder(),
         cancel = m_cancel, target = std::filesystem::path(m_folder->text().trimmed().toStdString())] {
            const auto written =
                project::writeHitFiles(*snapshot, *hits, folder, target, false, ifExists, cancel);
            QMetaObject::invokeMethod(
                this, [this, written] { finishHits(written); }, Qt::QueuedConnection);
        },
        kDeliveryPriority);
}

void ProofPage::finishHits(const Result<std::vector<std::filesystem::path>>& written) {
    m_isDelivering = false;
    if (written) {
        m_status->setText(
            tr("%1 written: hits.csv, hits.json, hits.mid and a list of labels for each element.")
                .arg(counted(static_cast<long long>(written->size()), tr("file"), tr("files"))));
        m_results->setRowCount(static_cast<int>(written->size()));
        for (int row = 0; row < m_results->rowCount(); ++row)
            m_results->setItem(row, 0,
                               new QTableWidgetItem(QString::fromStdString(
                                   (*written)[static_cast<std::size_t>(row)].filename().string())));
    } else {
        m_status->setText(written.error().code == ErrorCode::Cancelled
                              ? tr("Stopped. Nothing was left behind.")
                              : QString::fromStdString(written.error().message) +
                                    tr(" No hits were exported."));
        if (written.error().code == ErrorCode::Exists)
            offer(tr("Replace what is there"), [this] { beginHits(IfExists::Replace); });
    }
    refresh();
}

} // namespace cask::app
