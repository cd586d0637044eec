#include "app/models/loop_model.h"

#include "app/models/priorities.h"
#include "core/layers/stack_file.h"
#include "core/measure/hits/loop_hits.h"
#include "core/project/offline_sources.h"
#include "core/session/quick_moves.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace cask::app {

LoopModel::LoopModel(const Desk& desk, QObject* parent)
    : QObject(parent), m_desk(desk), m_jobs(desk.analyst.pool()) {
    connect(&desk.hits, &HitModel::hitsChanged, this, &LoopModel::follow);
    connect(&desk.playback, &Playback::transportChanged, this, [this] {
        const std::pair loop(m_desk.playback.loopStartS(), m_desk.playback.loopEndS());
        if (m_isOnlyLoop && std::exchange(m_loopS, loop) != loop)
            workOut();
    });
}

LoopModel::~LoopModel() = default;

project::LoopWish LoopModel::wish() const {
    project::LoopWish wish{m_element, 0, 0, m_fit, {}};
    if (m_isOnlyLoop && m_desk.playback.hasLoop()) {
        wish.fromS = m_desk.playback.loopStartS();
        wish.toS = m_desk.playback.loopEndS();
    }
    return wish;
}

void LoopModel::setFit(const layers::LoopFit& fit) {
    m_fit = fit;
    workOut();
}

void LoopModel::setOnlyLoop(bool on) {
    m_isOnlyLoop = on;
    m_loopS = {m_desk.playback.loopStartS(), m_desk.playback.loopEndS()};
    workOut();
}

void LoopModel::setDuck(Id key, double rangeDb) {
    m_duckBy = key;
    m_duckDb = rangeDb;
    emit changed();
}

bool LoopModel::isDropped(const std::string& drum) const {
    return std::find(m_fit.dropped.begin(), m_fit.dropped.end(), drum) != m_fit.dropped.end();
}

void LoopModel::follow() {
    const Id selected = m_desk.document.selected();
    if (selected != m_element)
        m_fit.dropped.clear(); // drums of another loop
    m_element = selected;
    m_analysis = m_desk.hits.shared();
    workOut();
}

void LoopModel::workOut() {
    m_pieces.clear();
    m_drums.clear();
    m_nowS.clear();
    m_thenS.clear();
    m_problem.clear();
    const auto& s = m_desk.document.session();
    const auto* e = s.element(m_element);
    const auto* file = e == nullptr ? nullptr : s.file(e->channels.front().file);
    if (file != nullptr && m_analysis != nullptr && !layers::isStackFile(file->path)) {
        m_tempo = m_analysis->tempo;
        const auto frames = static_cast<Frames>(
            std::llround(static_cast<double>(file->frames) * s.sampleRateHz / file->sampleRateHz));
        auto asked = wish();
        auto plan = project::planLoop(s, *m_analysis, frames, asked);
        if (!plan) {
            m_problem = QString::fromStdString(plan.error().message);
            asked.fit = {}; // the pieces are shown all the same, where they are
            plan = project::planLoop(s, *m_analysis, frames, asked);
        }
        if (plan) {
            m_made = std::move(plan->made);
            m_thenS = std::move(plan->hitS);
            m_pieces = std::move(plan->pieces);
            for (const auto& piece : m_pieces) {
                m_nowS.push_back(plan->startS + framesToSeconds(piece.hit, s.sampleRateHz));
                for (const auto& drum : piece.drums)
                    if (std::find(m_drums.begin(), m_drums.end(), drum) == m_drums.end())
                        m_drums.push_back(drum);
            }
            std::stable_sort(m_drums.begin(), m_drums.end(), [](const auto& a, const auto& b) {
                return measure::loopDrumFromName(a) < measure::loopDrumFromName(b);
            });
        }
    }
    emit changed();
}

QString LoopModel::summary() const {
    if (m_pieces.empty())
        return m_problem;
    QStringList parts{m_pieces.size() == 1 ? tr("1 piece") : tr("%1 pieces").arg(m_pieces.size())};
    if (m_made.dropped > 0)
        parts << tr("%1 silent").arg(m_made.dropped);
    if (m_made.besides > 0)
        parts << (m_fit.besideKickHz > 0 && isDropped("kick")
                      ? tr("%1 stay for another drum in them (with a kick high-passed at %2 Hz)")
                            .arg(m_made.besides)
                            .arg(std::lround(m_fit.besideKickHz))
                      : tr("%1 stay for another drum in them").arg(m_made.besides));
    if (m_made.lengthPercent != 100)
        parts << tr("%1 % as long").arg(QString::number(m_made.lengthPercent, 'f', 1));
    parts << (m_tempo.isKnown ? tr("tempo %1 beats a minute").arg(QString::number(m_tempo.bpm, 'f', 1))
                              : tr("no tempo found"));
    return parts.join(QStringLiteral(", "));
}

void LoopModel::cut(bool mutesLoop) {
    if (m_isCutting || m_pieces.empty() || !m_problem.isEmpty() || m_desk.document.isReadOnly())
        return;
    if (m_desk.document.isUntitled()) {
        m_desk.document.addNote(tr("Save the session first: pieces are kept in its folder."));
        return;
    }
    m_isCutting = true;
    emit changed();
    m_jobs.post(
        [this, asked = wish(), mutesLoop, snapshot = m_desk.document.snapshot(), analysis = m_analysis,
         folder = m_desk.document.folder(), duckBy = m_duckBy, duckDb = m_duckDb] {
            auto made = [&]() -> Result<project::CutLoop> {
                const auto sources = project::openOfflineSources(*snapshot, folder);
                if (!sources)
                    return sources.error();
                return project::cutLoop(*snapshot, *analysis, sources->lookup(), folder, asked);
            }();
            QMetaObject::invokeMethod(
                this,
                [this, made = std::move(made), of = asked.element, mutesLoop, folder, duckBy, duckDb] {
                    m_isCutting = false;
                    auto& document = m_desk.document;
                    if (!made) {
                        document.addNote(QString::fromStdString(made.error().message) +
                                         tr(" Nothing was added."));
                    } else if (folder == document.folder() && document.session().element(of) != nullptr) {
                        const QString name = QString::fromStdString(document.session().nameOf(of));
                        auto with = project::withCutLoop(document.session(), *made, of, mutesLoop);
                        if (duckBy != session::kNoId && duckDb > 0)
                            with.session =
                                session::withDuck(std::move(with.session), with.element, duckBy, duckDb);
                        document.edit(std::move(with.session), tr("Cut %1 at its hits").arg(name), {},
                                      Document::Spreads::No);
                        document.select(with.element);
                    }
                    emit changed();
                },
                Qt::QueuedConnection);
        },
        kLayersPriority);
}

} // namespace cask::app
