// What the pictures of layers say in words.
#include "app/bench/layers/layer_pictures.h"
#include "app/theme/theme.h"

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

QString purposeText(layers::LayerPurpose purpose, const layers::PurposeVerdict& verdict) {
    using layers::LayerPurpose;
    if (purpose == LayerPurpose::Texture)
        return verdict.isMet
                   ? LayersPicture::tr("there for texture, and heard as such")
                   : LayersPicture::tr("there for texture, but nothing above 1 kHz would be missed");
    const QString what = purpose == LayerPurpose::Impact ? LayersPicture::tr("the attack")
                         : purpose == LayerPurpose::Lows ? LayersPicture::tr("the lows")
                         : purpose == LayerPurpose::Body ? LayersPicture::tr("the body")
                                                         : LayersPicture::tr("the tail");
    return (verdict.isMet ? LayersPicture::tr("there for %1, and has most of it (%2 %)")
                          : LayersPicture::tr("there for %1, but another layer has more of it (%2 % here)"))
        .arg(what)
        .arg(std::lround(100 * verdict.share));
}

} // namespace

QString LayersPicture::textOf(int layer) const {
    const auto& l = m_model.stack()->layers[static_cast<std::size_t>(layer)];
    QStringList parts{m_model.nameOf(layer)};
    if (l.sounds.size() > 1)
        parts << (m_model.isByVelocity() ? tr("%1 sounds by velocity")
                  : l.alternatesByChance ? tr("%1 sounds by chance")
                                         : tr("%1 sounds in turn"))
                     .arg(l.sounds.size());
    if (!l.isOn)
        parts << tr("off");
    if (l.offsetMs != 0)
        parts << tr("%1 ms %2")
                     .arg(QString::number(std::abs(l.offsetMs), 'f', 2),
                          l.offsetMs < 0 ? tr("early") : tr("late"));
    if (const auto* look = m_model.look();
        look != nullptr && struckTogether() > 1 && layer < static_cast<int>(look->judged.layers.size()) &&
        look->judged.layers[static_cast<std::size_t>(layer)].peakDb > kSilenceDb) {
        const auto& part = look->judged.layers[static_cast<std::size_t>(layer)];
        parts << tr("%1 % of the attack, %2 % of the body, %3 % of the tail")
                     .arg(std::lround(100 * part.attackShare))
                     .arg(std::lround(100 * part.bodyShare))
                     .arg(std::lround(100 * part.tailShare));
        parts << tr("without it %1 dB softer, %2 dB at %3")
                     .arg(dbText(part.lostDb), dbText(part.mostLostDb), hzText(part.mostLostHz));
        if (const auto verdict =
                layers::purposeVerdict(l.purpose, look->judged, static_cast<std::size_t>(layer)))
            parts << purposeText(l.purpose, *verdict);
    }
    return parts.join(QStringLiteral(", "));
}

int LayersPicture::struckTogether() const {
    const auto* look = m_model.look();
    return look == nullptr
               ? 0
               : static_cast<int>(std::count_if(look->judged.layers.begin(), look->judged.layers.end(),
                                                [](const auto& part) { return part.peakDb > kSilenceDb; }));
}

QString LayersPicture::sumText() const {
    const auto* look = m_model.look();
    const int count = m_model.count();
    if (struckTogether() < 2 || static_cast<int>(look->judged.layers.size()) != count)
        return {};
    QStringList parts;
    if (const int strongest = look->judged.strongest; strongest >= 0)
        parts << tr("First 10 ms of the sum %1 dB against %2 alone, below 200 Hz %3 dB")
                     .arg(signedDb(look->judged.attackDb), m_model.nameOf(strongest),
                          signedDb(look->judged.lowAttackDb));
    if (const int owner = look->judged.lowEndOwner; owner >= 0)
        parts << tr("%1 owns the lows").arg(m_model.nameOf(owner));
    for (int i = 0; i < count; ++i)
        if (const auto& cut = look->judged.layers[static_cast<std::size_t>(i)].lowCut)
            parts << tr("%1 shares them: a low cut at %2 leaves them to their owner")
                         .arg(m_model.nameOf(i), hzText(cut->hz));
    constexpr double kWorthTellingDb = 1;
    if (look->halfLengthDb >= kWorthTellingDb)
        parts << tr("half as long and as loud, its first 10 ms would be %1 dB")
                     .arg(signedDb(look->halfLengthDb));
    return parts.join(QStringLiteral("; "));
}

} // namespace cask::app
