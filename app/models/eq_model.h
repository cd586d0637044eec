// The equaliser that is worked on, and which of its bands.
#pragma once

#include "app/models/desk.h"

#include <QObject>

#include <core/dsp/eq_settings.h>
#include <functional>
#include <string>
#include <vector>

namespace cask::app {

/// One of the two equalisers of the chosen element or bus, one of its bands, and where what is set holds: in
/// all of the song, or in one section, as far as a value glides.
class EqModel : public QObject {
    Q_OBJECT

  public:
    explicit EqModel(const Desk& desk, QObject* parent = nullptr);

    void setPlace(session::EqPlace place);
    [[nodiscard]] session::EqPlace place() const { return m_place; }
    /// Empty: all of the song.
    void setSection(const std::string& section);
    [[nodiscard]] const std::string& section() const { return m_section; }
    /// Null when the element has none at this place.
    [[nodiscard]] const session::Module* module() const;
    /// As they are in the section; without bands when there is no equaliser.
    [[nodiscard]] const dsp::EqSettings& settings() const { return m_settings; }
    [[nodiscard]] const std::vector<dsp::EqBand>& bands() const { return m_settings.bands; }
    /// The band that is worked on, null when there is none.
    [[nodiscard]] const dsp::EqBand* band() const;
    [[nodiscard]] Id chosenBand() const { return m_chosen; }
    void chooseBand(Id band);

    /// Adds a band, and an equaliser where there is none, and chooses it.
    void addBand(dsp::EqBand band);
    void addBand(dsp::FilterKind kind, double frequencyHz, double gainDb);
    void removeChosen();
    /// One step of the history; steps of one `merge` become one.
    void changeBand(const QString& what, const std::function<void(dsp::EqBand&)>& edit,
                    const QString& merge = {});
    void setAmount(double percent, bool isDragging);

    /// What the chosen band does to own hits and to spill; empty while that is not measured.
    [[nodiscard]] QString price() const;
    /// "350 Hz, -4 dB, broad".
    [[nodiscard]] static QString inWords(const dsp::EqBand& band);

  signals:
    /// Another band or equaliser is worked on, or another section.
    void chosen();

  private:
    void follow();
    [[nodiscard]] QString ownerName() const;

    Desk m_desk;
    session::EqPlace m_place = session::EqPlace::Repair;
    std::string m_section;
    Id m_chosen = session::kNoId;
    dsp::EqSettings m_settings;
};

} // namespace cask::app
