// A MIDI file before it is played: which drum each note is, and the kit that plays it.
#pragma once

#include <QDialog>

#include <core/layers/pattern.h>
#include <core/project/programmed_kit.h>
#include <functional>
#include <map>

class QCheckBox;
class QComboBox;
class QLabel;
class QPushButton;

namespace cask::app {

class ChoiceRow;

class PatternSheet : public QDialog {
    Q_OBJECT

  public:
    enum class Kit { BuiltIn, Sfz, Folder };

    PatternSheet(const layers::Pattern& pattern, const QString& name, QWidget* parent = nullptr);

    /// With the notes as they were mapped here; those that are left out are gone.
    [[nodiscard]] layers::Pattern pattern() const;
    [[nodiscard]] Kit kit() const;
    /// Of a kit that is not the built-in one.
    [[nodiscard]] const QString& kitPath() const { return m_path; }
    [[nodiscard]] project::KitMicrophones microphones() const;
    /// Tests answer instead of a file dialog.
    std::function<QString(Kit)> askForKit;
    // For tests.
    [[nodiscard]] QComboBox& drumOf(int note) { return *m_drums.at(note); }
    [[nodiscard]] ChoiceRow& kits() { return *m_kits; }
    [[nodiscard]] QCheckBox& spill() { return *m_spill; }
    [[nodiscard]] QPushButton& playButton() { return *m_play; }
    [[nodiscard]] QString said() const;

  private:
    void chooseKit(int kit);
    void refresh();

    layers::Pattern m_pattern;
    std::map<int, QComboBox*> m_drums; ///< by note; the data of an entry is another note, -1 leaves it out
    ChoiceRow* m_kits;
    QLabel* m_pathLabel;
    QString m_path;
    QCheckBox* m_overheads;
    QCheckBox* m_room;
    QCheckBox* m_spill;
    QLabel* m_said;
    QPushButton* m_play;
};

} // namespace cask::app
