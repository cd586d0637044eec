// A MIDI file before it is played: which drum each note is, and the kit that plays it.
#pragma once

#include <QDialog>

#include <core/base/job_group.h>
#include <core/base/worker_pool.h>
#include <core/layers/pattern.h>
#include <core/project/programmed_kit.h>
#include <functional>
#include <map>
#include <optional>

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

    /// A kit that is chosen is read by `pool`.
    PatternSheet(const layers::Pattern& pattern, const QString& name, WorkerPool& pool,
                 QWidget* parent = nullptr);
    ~PatternSheet() override;

    /// With the notes as they were mapped here; those that are left out are gone.
    [[nodiscard]] layers::Pattern pattern() const;
    [[nodiscard]] Kit kit() const;
    /// One that is not the built-in one, with the one-shots that notes strike as they were chosen here.
    [[nodiscard]] project::KitSounds chosenKit() const;
    [[nodiscard]] project::KitMicrophones microphones() const;
    /// Tests answer instead of a file dialog.
    std::function<QString(Kit)> askForKit;
    // For tests.
    [[nodiscard]] QComboBox& drumOf(int note) { return *m_rows.at(note).drum; }
    [[nodiscard]] QComboBox& soundOf(int note) { return *m_rows.at(note).sound; }
    [[nodiscard]] QPushButton& hearOf(int note) { return *m_rows.at(note).hear; }
    [[nodiscard]] QString pathText() const { return m_pathLabel->text(); }
    [[nodiscard]] ChoiceRow& kits() { return *m_kits; }
    [[nodiscard]] QCheckBox& spill() { return *m_spill; }
    [[nodiscard]] QPushButton& playButton() { return *m_play; }
    [[nodiscard]] QString said() const;

  signals:
    /// A one-shot of the folder by itself.
    void hearingWanted(const std::filesystem::path& sound);

  private:
    struct Row {
        QComboBox* drum;   ///< the data of an entry is another note, -1 leaves it out
        QComboBox* sound;  ///< of a folder that is read
        QPushButton* hear; ///< its hardest stroke
    };
    void chooseKit(int kit);
    void readKit();
    void refresh();
    void refreshSounds();
    [[nodiscard]] QString folderText() const;

    layers::Pattern m_pattern;
    std::map<int, Row> m_rows; ///< by note
    ChoiceRow* m_kits;
    QLabel* m_pathLabel;
    QString m_path;
    QCheckBox* m_overheads;
    QCheckBox* m_room;
    QCheckBox* m_spill;
    QLabel* m_said;
    QPushButton* m_play;
    std::optional<project::KitSounds> m_kit;
    QString m_problem;
    bool m_isReading = false;
    int m_generation = 0;
    CancelToken m_cancel;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
