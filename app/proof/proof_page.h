// Proof: deliver the mix and stems, and see what was written.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

#include <core/project/delivery.h>
#include <optional>

class QCheckBox;
class QComboBox;
class QLabel;
class QLineEdit;
class QProgressBar;
class QPushButton;
class QTableWidget;

namespace cask::app {

class ChoiceRow;

class ProofPage : public QWidget {
    Q_OBJECT

  public:
    explicit ProofPage(const Desk& desk, QWidget* parent = nullptr);
    ~ProofPage() override;

    [[nodiscard]] QLineEdit* folderField() const { return m_folder; }
    [[nodiscard]] ChoiceRow& stems() { return *m_stems; }
    [[nodiscard]] QComboBox& part() { return *m_part; }
    [[nodiscard]] QCheckBox& tails() { return *m_tails; }
    [[nodiscard]] QString whatText() const;
    [[nodiscard]] QLineEdit* namesField() const { return m_names; }
    /// What the first files would be called, or what is wrong with the pattern.
    [[nodiscard]] QString namesText() const;
    [[nodiscard]] QPushButton* hitsButton() const { return m_hits; }
    [[nodiscard]] ChoiceRow& format() { return *m_format; }
    [[nodiscard]] QPushButton* deliverButton() const { return m_deliver; }
    [[nodiscard]] QPushButton* stopButton() const { return m_stop; }
    [[nodiscard]] QPushButton* goOnButton() const { return m_goOn; }
    [[nodiscard]] bool isDelivering() const { return m_isDelivering; }
    [[nodiscard]] const std::optional<project::DeliveryReport>& report() const { return m_report; }
    [[nodiscard]] QString statusText() const;

  public slots:
    void deliver();
    /// Hits as tables, labels and MIDI, into the same folder.
    void writeHits();

  protected:
    /// The choice of stems has the keys; Ctrl+Enter exports.
    void showEvent(QShowEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    void refresh();
    void fillParts();
    /// How the stems that are chosen add up, and what their files are.
    [[nodiscard]] QString stemWords() const;
    void chooseFolder();
    void previewNames();
    void beginHits(IfExists ifExists);
    void finishHits(const Result<std::vector<std::filesystem::path>>& written);
    /// Files that are in the way, and sources that are silent, are asked about first: the status says what is
    /// the matter, and a button beside it goes on all the same.
    void offer(const QString& words, std::function<void()> goOn);
    void begin(const project::DeliveryOptions& options, bool allowsMissing);
    void finish(const Result<project::DeliveryReport>& result, const project::DeliveryOptions& options,
                const QStringList& missing, bool allowsMissing);
    [[nodiscard]] project::DeliveryOptions options() const;

    Desk m_desk;
    QCheckBox* m_mix;
    ChoiceRow* m_stems;
    QComboBox* m_part; ///< all of the session, a section, the loop
    QCheckBox* m_tails;
    ChoiceRow* m_format;
    QComboBox* m_rate;
    QCheckBox* m_dither;
    QLineEdit* m_folder;
    QLineEdit* m_names;
    QLabel* m_preview;
    QLabel* m_what;
    QPushButton* m_deliver;
    QPushButton* m_hits;
    QPushButton* m_stop;
    QPushButton* m_open;
    QPushButton* m_goOn;
    std::function<void()> m_offer; // what the button does; empty while nothing is asked
    QProgressBar* m_progress;
    QLabel* m_status;
    QTableWidget* m_results;
    bool m_isDelivering = false;
    CancelToken m_cancel;
    std::optional<project::DeliveryReport> m_report;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
