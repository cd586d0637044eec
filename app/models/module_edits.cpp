#include "app/models/module_edits.h"

#include "app/widgets/words.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"

namespace cask::app {
namespace {

using session::Module;

QString tr(const char* text) {
    return QCoreApplication::translate("ModuleEdits", text);
}

/// "Compressor 2": as it stands at the beginning of a line.
QString kindNameOf(const Module& module) {
    QString name = words(session::wordsOf(module));
    if (!name.isEmpty())
        name[0] = name[0].toUpper();
    return name;
}

QString ownerName(const Document& document, const ModuleAt& at) {
    return QString::fromStdString(document.session().nameOf(at.owner));
}

bool take(Document& document, Result<session::Session> next, const QString& label) {
    if (!next) {
        document.addNote(QString::fromStdString(next.error().message));
        return false;
    }
    document.edit(std::move(*next), label);
    return true;
}

} // namespace

const Module* findModule(const session::Session& session, const ModuleAt& at) {
    if (const auto* chain = session.chain(at.owner))
        for (const auto& m : *chain)
            if (m.id == at.module)
                return &m;
    return nullptr;
}

void editModuleValue(Document& document, const ModuleAt& at, const std::string& section,
                     const std::string& id, double value, bool isDragging,
                     const std::function<void(Module&)>& adjust) {
    const Module* m = findModule(document.session(), at);
    if (m == nullptr)
        return;
    const auto moving = session::movingValue(m->settings, id);
    for (const auto* info : session::parametersOf(m->settings)) {
        if (info->id != id)
            continue;
        const double clamped = session::clampValue(*info, value);
        const QString what = kindNameOf(*m) + QLatin1Char(' ') + words(info->words);
        const QString merge = isDragging
                                  ? QStringLiteral("module-%1-%2-%3")
                                        .arg(m->id)
                                        .arg(QString::fromStdString(id), QString::fromStdString(section))
                                  : QString();
        if (!section.empty() && moving) {
            const auto* kept = session::changeIn(m->changes, section);
            session::SectionChange change;
            if (kept != nullptr)
                change = *kept;
            change.section = section;
            change.values[id] = clamped;
            document.edit(session::withSectionChange(document.session(), m->id, change),
                          tr("%1 in %2").arg(what, QString::fromStdString(section)), merge);
            return;
        }
        document.edit(session::withModule(document.session(), m->id,
                                          [&](Module& x) {
                                              x.settings = session::withSetting(x.settings, id, clamped);
                                              if (adjust)
                                                  adjust(x);
                                          }),
                      tr("%1, %2").arg(what, ownerName(document, at)), merge);
        return;
    }
}

void setModuleOn(Document& document, const ModuleAt& at, bool on) {
    if (const Module* m = findModule(document.session(), at))
        document.edit(session::withModule(document.session(), m->id, [&](Module& x) { x.isOn = on; }),
                      (on ? tr("%1 on") : tr("%1 off")).arg(kindNameOf(*m)));
}

void removeModule(Document& document, const ModuleAt& at) {
    if (const Module* m = findModule(document.session(), at)) {
        const QString label = tr("Remove %1").arg(words(session::wordsOf(*m)));
        document.edit(session::withoutModule(document.session(), m->id), label);
    }
}

bool setModuleKey(Document& document, const ModuleAt& at, Id key) {
    const Module* m = findModule(document.session(), at);
    if (m == nullptr)
        return false;
    const Id listened = key == at.owner ? session::kNoId : key;
    return take(document, session::withKey(document.session(), at.owner, m->id, listened),
                tr("%1 listens to %2")
                    .arg(kindNameOf(*m), listened == session::kNoId
                                             ? tr("itself")
                                             : QString::fromStdString(document.session().nameOf(listened))));
}

bool setModuleKeyTap(Document& document, const ModuleAt& at, session::KeyTap tap) {
    const Module* m = findModule(document.session(), at);
    if (m == nullptr)
        return false;
    const auto read = session::keyTapInfo().choiceWords[static_cast<std::size_t>(tap)];
    return take(document, session::withKeyTap(document.session(), at.owner, m->id, tap),
                tr("%1 listens %2").arg(kindNameOf(*m), words(read)));
}

} // namespace cask::app
