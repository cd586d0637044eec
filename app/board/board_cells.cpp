// What the cells of the Board say.
#include "app/board/board.h"
#include "app/theme/theme.h"
#include "app/widgets/words.h"
#include "core/session/kinds.h"

#include <algorithm>

namespace cask::app {

QString Board::cellText(Id id, Stage stage) const {
    const auto& s = m_desk.document.session();
    const auto* e = s.element(id);
    switch (stage) {
    case Stage::Intake: {
        if (e == nullptr)
            return {};
        const auto* state = m_desk.analyst.element(id);
        if (state == nullptr || state->status == FileStatus::Waiting)
            return QStringLiteral("\u2026");
        if (state->status == FileStatus::Converting || state->status == FileStatus::Measuring)
            return QStringLiteral("%1 %").arg(static_cast<int>(100 * state->share));
        if (const int count = m_desk.findings.openCount(id, stage); count > 0)
            return QStringLiteral("! %1").arg(count);
        return e->input == session::InputSettings{} ? QStringLiteral("ok") : tr("set");
    }
    case Stage::Hits: {
        const auto* a = m_desk.hits.analysis();
        if (e == nullptr || a == nullptr)
            return e == nullptr ? QString() : QStringLiteral("\u2026");
        const int input = a->inputOf(id);
        if (m_desk.hits.drumShown(id) < 0)
            return QStringLiteral("\u00b7");
        const auto& heard = m_desk.hits.heardIn(input);
        const int drum = a->hits.kit.drumOf[static_cast<std::size_t>(input)];
        // All that a loop holds, or the strokes of the drum, whichever of its microphones heard them.
        const auto count = drum < 0 ? static_cast<std::ptrdiff_t>(heard.size())
                                    : std::count_if(a->hits.strokes.begin(), a->hits.strokes.end(),
                                                    [&](const auto& stroke) { return stroke.drum == drum; });
        return m_desk.findings.openCount(id, stage) > 0 ? QStringLiteral("! %1").arg(count)
                                                        : QString::number(count);
    }
    case Stage::Balance:
        return s.output(id)->levelDb <= -79.9 ? QStringLiteral("\u2212\u221e")
                                              : dbText(s.output(id)->levelDb);
    case Stage::Clean: {
        const auto* gate = session::findModule<dsp::GateSettings>(*s.chain(id));
        // What the gates take off the spill of all close microphones together.
        if (const auto* bus = s.bus(id); bus != nullptr && bus->isMaster && gate == nullptr) {
            const auto spill = m_desk.findings.spillChangeDb();
            return spill ? tr("%1 dB").arg(dbText(*spill, 0)) : QStringLiteral("\u00b7");
        }
        if (needsAttention(id, stage))
            return QStringLiteral("! %1").arg(m_desk.findings.openCount(id, stage));
        if (gate == nullptr)
            return QStringLiteral("\u00b7");
        const auto kept = m_desk.findings.gateKeptPercent(id);
        return !gate->isOn ? tr("off") : kept ? tr("%1 %").arg(*kept) : tr("gate");
    }
    case Stage::Tone: {
        if (needsAttention(id, stage))
            return QStringLiteral("! %1").arg(m_desk.findings.openCount(id, stage));
        int bands = 0;
        for (const auto& module : *s.chain(id))
            session::withSettings(module.settings, [&]<class T>(const T& settings) {
                if constexpr (session::KindOf<T>::stage != Stage::Tone)
                    return; // a pump has points, too
                else if constexpr (session::HasItems<T>)
                    bands += static_cast<int>(session::KindOf<T>::items(settings).size());
                else
                    ++bands;
            });
        return bands == 0 ? QStringLiteral("\u00b7") : bands == 1 ? tr("1 band") : tr("%1 bands").arg(bands);
    }
    case Stage::Punch:
    case Stage::Drive:
        return modulesText(id, stage);
    default:
        return {}; // no bench yet
    }
}

/// What its modules of a step are; of compressors while it plays what they do.
QString Board::modulesText(Id id, Stage stage) const {
    std::vector<const session::Module*> on;
    bool hasAny = false;
    for (const auto& module : *m_desk.document.session().chain(id))
        if (session::stageOf(module.settings) == stage) {
            hasAny = true;
            if (module.isOn)
                on.push_back(&module);
        }
    if (needsAttention(id, stage))
        return QStringLiteral("! %1").arg(m_desk.findings.openCount(id, stage));
    if (on.empty())
        return hasAny ? tr("off") : QStringLiteral("\u00b7");
    if (const auto gain = m_compressorDb.find(id); stage == Stage::Punch && gain != m_compressorDb.end())
        return dbText(gain->second);
    return on.size() > 1 ? tr("%1 on").arg(on.size()) : words(session::cellText(on.front()->settings));
}

bool Board::needsAttention(Id id, Stage stage) const {
    return m_desk.findings.openCount(id, stage) > 0;
}

/// What a cell stands for: its findings, or what its number says.
QString Board::cellHelp(Id id, Stage stage) const {
    const QString findings = m_desk.findings.openSentences(id, stage);
    if (findings.isEmpty() && (stage == Stage::Punch || stage == Stage::Drive)) {
        QStringList modules;
        for (const auto& module : *m_desk.document.session().chain(id))
            if (session::stageOf(module.settings) == stage)
                modules << words(session::wordsOf(module)) + QStringLiteral(" ") +
                               (module.isOn ? words(session::cellText(module.settings)) : tr("off"));
        const QString text = modules.join(QStringLiteral(", "));
        return stage == Stage::Punch && !modules.empty() ? tr("%1; while it plays its gain, dB").arg(text)
                                                         : text;
    }
    if (!findings.isEmpty() || stage != Stage::Clean || cellText(id, stage) == QStringLiteral("\u00b7"))
        return findings;
    const auto* bus = m_desk.document.session().bus(id);
    return bus != nullptr && bus->isMaster
               ? tr("By so much all gates take the spill of the close microphones down")
               : tr("Own hits that its gate keeps");
}

} // namespace cask::app
