#include "app/models/eq_model.h"

#include "app/models/module_edits.h"
#include "app/theme/theme.h"
#include "app/widgets/words.h"
#include "core/dsp/eq_design.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"

#include <algorithm>

namespace cask::app {
namespace {

using dsp::EqBand;
using dsp::FilterKind;
using measure::Spectrum;

/// The band of a list; null when it is not there.
template <class Bands> auto* bandOf(Bands& bands, Id id) {
    const auto it = std::find_if(bands.begin(), bands.end(), [&](const EqBand& b) { return b.id == id; });
    return it == bands.end() ? nullptr : &*it;
}

} // namespace

EqModel::EqModel(const Desk& desk, QObject* parent) : QObject(parent), m_desk(desk) {
    for (const auto signal : {&Document::selectionChanged, &Document::changed, &Document::opened})
        connect(&desk.document, signal, this, &EqModel::follow);
    follow();
}

void EqModel::follow() {
    const auto* m = module();
    m_settings =
        m == nullptr ? dsp::EqSettings{} : std::get<dsp::EqSettings>(session::settingsIn(*m, m_section));
    if (band() == nullptr) {
        m_chosen = bands().empty() ? session::kNoId : bands().front().id;
        emit chosen();
    }
}

void EqModel::setPlace(session::EqPlace place) {
    m_place = place;
    follow();
    emit chosen();
}

void EqModel::setSection(const std::string& section) {
    m_section = section;
    follow();
    emit chosen();
}

const session::Module* EqModel::module() const {
    const auto* chain = m_desk.document.session().chain(m_desk.document.selected());
    return chain == nullptr ? nullptr : session::findEq(*chain, m_place);
}

const EqBand* EqModel::band() const {
    return bandOf(m_settings.bands, m_chosen);
}

void EqModel::chooseBand(Id band) {
    if (band == m_chosen)
        return;
    m_chosen = band;
    emit chosen();
}

QString EqModel::ownerName() const {
    return QString::fromStdString(m_desk.document.session().nameOf(m_desk.document.selected()));
}

void EqModel::addBand(FilterKind kind, double frequencyHz, double gainDb) {
    EqBand band;
    band.kind = kind;
    band.frequencyHz = frequencyHz;
    band.gainDb = session::appliesTo("gain_db", kind) ? gainDb : 0;
    band.q = kind == FilterKind::Notch ? 8 : kind == FilterKind::Bell ? 1.2 : 0.7;
    addBand(band);
}

void EqModel::addBand(EqBand band) {
    auto& document = m_desk.document;
    if (document.session().chain(document.selected()) == nullptr)
        return;
    session::Session s = document.session();
    band.id = session::kNoId;
    m_chosen = session::addBand(s, document.selected(), band, m_place);
    document.edit(std::move(s),
                  tr("Add %1, %2").arg(words(session::filterKindWords(band.kind)), ownerName()));
    emit chosen();
}

void EqModel::removeChosen() {
    auto& document = m_desk.document;
    if (band() != nullptr)
        document.edit(session::withoutBand(document.session(), document.selected(), m_chosen),
                      tr("Remove band, %1").arg(ownerName()));
}

void EqModel::changeBand(const QString& what, const std::function<void(EqBand&)>& edit,
                         const QString& merge) {
    const auto* before = band();
    const auto* m = module();
    if (before == nullptr || m == nullptr)
        return;
    EqBand after = *before;
    edit(after);
    session::SectionChange change;
    if (const auto* kept = session::changeIn(m->changes, m_section))
        change = *kept;
    change.section = m_section;
    auto next =
        session::withBand(m_desk.document.session(), m_desk.document.selected(), m_chosen, [&](EqBand& b) {
            for (const auto& f : session::eqBandFields()) {
                const double value = session::clampValue(f.info, f.get(after));
                if (value == f.get(*before))
                    continue;
                if (!m_section.empty() && f.info.glides)
                    change.values[std::to_string(b.id) + "/" + std::string(f.info.id)] = value;
                else
                    f.set(b, value);
            }
        });
    if (!m_section.empty() && !change.values.empty())
        next = session::withSectionChange(std::move(next), m->id, change);
    const QString label = m_section.empty()
                              ? tr("%1, %2").arg(what, ownerName())
                              : tr("%1 in %2, %3").arg(what, QString::fromStdString(m_section), ownerName());
    m_desk.document.edit(std::move(next), label,
                         merge.isEmpty() ? merge
                                         : QStringLiteral("%1-%2-").arg(merge).arg(m_chosen) +
                                               QString::fromStdString(m_section));
}

void EqModel::setAmount(double percent, bool isDragging) {
    if (const auto* m = module())
        editModuleValue(m_desk.document, {m_desk.document.selected(), m->id}, m_section, "amount_percent",
                        percent, isDragging);
}

QString EqModel::inWords(const EqBand& b) {
    const QString kind = words(session::filterKindWords(b.kind));
    if (dsp::isPass(b.kind))
        return tr("%1 %2, %3 dB/oct").arg(kind, hzText(b.frequencyHz)).arg(b.slopeDbPerOct);
    if (b.kind == FilterKind::Notch || b.kind == FilterKind::BandPass)
        return tr("%1 %2").arg(kind, hzText(b.frequencyHz));
    const QString gain = signedDb(b.gainDb);
    if (b.kind != FilterKind::Bell)
        return tr("%1 %2, %3 dB").arg(kind, hzText(b.frequencyHz), gain);
    const QString width = b.q < 0.9   ? tr("broad")
                          : b.q < 2.5 ? tr("medium")
                          : b.q < 7   ? tr("narrow")
                                      : tr("very narrow");
    return tr("%1, %2 dB, %3").arg(hzText(b.frequencyHz), gain, width);
}

QString EqModel::price() const {
    const auto* b = band();
    const auto* tone = m_desk.tones.tone(m_desk.document.selected());
    if (b == nullptr || tone == nullptr || tone->spectra.own.bandDb.empty())
        return {};
    const double rate = m_desk.document.session().sampleRateHz;
    auto moved = dsp::withAmount(*b, m_settings.amountPercent);
    if (moved.isDynamic())
        moved.gainDb += moved.rangeDb;
    const auto sections = dsp::designBand(moved, rate);
    const auto changeOf = [&](const Spectrum& spectrum) {
        return measure::energyChangeDb(spectrum,
                                       [&](double hz) { return dsp::responseDb(sections, hz, rate); });
    };
    QString text =
        (b->isDynamic() ? tr("this band at its most: own hits %1 dB") : tr("this band: own hits %1 dB"))
            .arg(signedDb(changeOf(tone->spectra.own)));
    if (tone->spectra.spillHits == 0)
        return text;
    text += tr(", spill %1 dB").arg(signedDb(changeOf(tone->spectra.spill)));
    // The drum whose spill rises most.
    const auto hits = m_desk.hits.shared();
    double most = 0.5;
    QString worst;
    for (const auto& spill : tone->spectra.spillOf) {
        const double change = changeOf(spill.spectrum);
        if (hits == nullptr || change < most || spill.drum < 0 ||
            spill.drum >= static_cast<int>(hits->hits.kit.drums.size()))
            continue;
        most = change;
        worst =
            tr(", most of all %1 %2 dB")
                .arg(QString::fromStdString(hits->hits.kit.drums[static_cast<std::size_t>(spill.drum)].name),
                     signedDb(change));
    }
    return text + worst;
}

} // namespace cask::app
