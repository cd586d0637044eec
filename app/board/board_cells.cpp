// What the cells of the Board say.
#include "app/board/board.h"
#include "app/theme/theme.h"
#include "app/widgets/words.h"
#include "core/session/kinds.h"

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr qsizetype kMostCharacters = 5;

/// A cell has room for few characters: the unit goes first, then spaces, then all but the first value.
QString shortened(QString text) {
    if (text.size() <= kMostCharacters)
        return text;
    if (text.endsWith(QStringLiteral(" Hz"))) // a note: whole hertz suffice
        text = QStringLiteral("%1 Hz").arg(std::lround(text.section(QLatin1Char(' '), 0, 0).toDouble()));
    text.remove(QStringLiteral(" dB"));
    if (QString joined = text; joined.remove(QLatin1Char(' ')).size() <= kMostCharacters)
        return text.size() <= kMostCharacters ? text : joined;
    return text.section(QLatin1Char(' '), 0, 0).left(kMostCharacters);
}

/// Whether a name tells the role: each word of it, in any form.
bool says(const QString& name, const QString& role) {
    for (const QString& word : role.split(QLatin1Char(' ')))
        if (!name.contains(word, Qt::CaseInsensitive))
            return false;
    return true;
}

} // namespace

QString Board::roleText(Id id) const {
    if (m_desk.playback.frozen().contains(id))
        return m_playedFrozen.contains(id) ? tr("frozen") : tr("changed, not frozen");
    const auto* e = m_desk.document.session().element(id);
    if (e == nullptr)
        return {};
    const QString role = words(roleInfo(e->role).name);
    constexpr double kSure = 0.5;
    if (e->roleConfidence < kSure)
        return role + QStringLiteral(" ?");
    return says(QString::fromStdString(e->name), role) ? QString() : role;
}

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
        if (e->input != session::InputSettings{})
            return tr("set");
        // A mark is all there is to say.
        return m_desk.findings.worstOpen(id, stage) ? QStringLiteral("\u00b7") : QStringLiteral("ok");
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
        return QString::number(count);
    }
    case Stage::Balance:
        return s.output(id)->levelDb <= -79.9 ? QStringLiteral("\u2212\u221e")
                                              : dbText(s.output(id)->levelDb);
    case Stage::Clean: {
        const auto* gate = session::findModule<dsp::GateSettings>(*s.chain(id));
        // What the gates take off the spill of all close microphones together.
        if (const auto* bus = s.bus(id); bus != nullptr && bus->isMaster && gate == nullptr) {
            const auto spill = m_desk.findings.spillChangeDb();
            return spill ? dbText(*spill, 0) : QStringLiteral("\u00b7");
        }
        if (gate == nullptr)
            return QStringLiteral("\u00b7");
        const auto kept = m_desk.findings.gateKeptPercent(id);
        return !gate->isOn ? tr("off") : kept ? tr("%1 %").arg(*kept) : tr("gate");
    }
    case Stage::Tone: {
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
        return bands == 0 ? QStringLiteral("\u00b7") : QStringLiteral("[%1]").arg(bands);
    }
    case Stage::Punch:
    case Stage::Drive:
        return modulesText(id, stage);
    case Stage::Layers: {
        // Played or recorded; how many sounds it has, the bench knows.
        const auto* file = e == nullptr ? nullptr : s.file(e->channels.front().file);
        return file != nullptr && file->format == session::kStackFormat ? tr("stack")
                                                                        : QStringLiteral("\u00b7");
    }
    default:
        return {}; // no bench yet
    }
}

/// As it was measured with these settings; null while it was not.
const advise::DriveMeasure* Board::driveOf(const session::Module& module) const {
    const auto& drives = m_desk.findings.drive().modules;
    const auto it = std::find_if(drives.begin(), drives.end(), [&](const auto& d) {
        return d.module == module.id && d.change.before.lufs > kSilenceDb &&
               std::visit([&](const auto& x) { return module.settings == session::ModuleSettings(x); },
                          d.settings);
    });
    return it == drives.end() ? nullptr : &*it;
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
    if (on.empty())
        return hasAny ? tr("off") : QStringLiteral("\u00b7");
    if (const auto gain = m_compressorDb.find(id); stage == Stage::Punch && gain != m_compressorDb.end())
        return dbText(gain->second);
    // Of what drives how far, and by how much denser that makes it.
    if (const auto* drive = on.size() == 1 ? driveOf(*on.front()) : nullptr)
        if (const auto* saturation = std::get_if<dsp::SaturationSettings>(&on.front()->settings))
            return tr("%1\u2009%2%3")
                .arg(QString::number(std::lround(saturation->driveDb)),
                     drive->change.denserDb() >= 0.5    ? QStringLiteral("+")
                     : drive->change.denserDb() <= -0.5 ? QString()
                                                        : QStringLiteral("\u00b1"),
                     dbText(drive->change.denserDb(), 0));
    return on.size() > 1 ? tr("%1 on").arg(on.size())
                         : shortened(words(session::cellText(on.front()->settings)));
}

/// What a cell stands for: its value in words, then its findings.
bool Board::isRidden(Id id, Stage stage) const {
    const auto& s = m_desk.document.session();
    if (stage == Stage::Balance)
        return !s.output(id)->rides.empty();
    const auto* chain = s.chain(id);
    return std::any_of(chain->begin(), chain->end(), [&](const session::Module& module) {
        return !module.rides.empty() && session::stageOf(module.settings) == stage;
    });
}

QString Board::cellHelp(Id id, Stage stage) const {
    QStringList lines;
    const QString text = cellText(id, stage);
    if (const QString value = valueHelp(id, stage, text);
        !value.isEmpty() && text != QStringLiteral("\u00b7") && text != QStringLiteral("\u2026"))
        lines << value;
    if (const QString findings = m_desk.findings.openSentences(id, stage); !findings.isEmpty())
        lines << findings;
    if (isRidden(id, stage))
        lines << tr("Rides along the performance (J shows them on the strip).");
    return lines.join(QLatin1Char('\n'));
}

QString Board::valueHelp(Id id, Stage stage, const QString& text) const {
    const auto& s = m_desk.document.session();
    switch (stage) {
    case Stage::Hits:
        return tr("Hits found on it: %1").arg(text);
    case Stage::Balance:
        return tr("Level: %1 dB").arg(text);
    case Stage::Clean: {
        const auto* bus = s.bus(id);
        if (bus != nullptr && bus->isMaster)
            return tr("How far all gates lower the spill in the close microphones, dB");
        return m_desk.findings.gateKeptPercent(id) ? tr("Own hits that its gate keeps") : QString();
    }
    case Stage::Tone:
        return tr("Bands and filters: %1")
            .arg(QString(text).remove(QLatin1Char('[')).remove(QLatin1Char(']')));
    case Stage::Punch:
    case Stage::Drive: {
        QStringList modules;
        for (const auto& module : *s.chain(id))
            if (session::stageOf(module.settings) == stage)
                modules << words(session::wordsOf(module)) + QStringLiteral(" ") +
                               (module.isOn ? words(session::cellText(module.settings)) : tr("off"));
        for (const auto& module : *s.chain(id))
            if (const auto* drive = stage == Stage::Drive && module.isOn ? driveOf(module) : nullptr)
                modules << tr("%1 dB denser at equal loudness").arg(dbText(drive->change.denserDb()));
        const QString list = modules.join(QStringLiteral(", "));
        return stage == Stage::Punch && !modules.empty() ? tr("%1; while it plays its gain, dB").arg(list)
                                                         : list;
    }
    default:
        return {};
    }
}

} // namespace cask::app
