// Another kit for the pattern of the selected element: heard in the session, and what no longer fits it.
#pragma once

#include "app/models/desk.h"

#include <QDialog>

#include <core/base/job_group.h>
#include <core/project/kit_change.h>
#include <functional>
#include <memory>

class QCheckBox;
class QLabel;
class QPushButton;

namespace cask::app {

class ChoiceRow;

class KitChangeBox : public QDialog {
    Q_OBJECT

  public:
    explicit KitChangeBox(const Desk& desk, QWidget* parent = nullptr);
    ~KitChangeBox() override;
    /// Tests answer instead of a file dialog. `folder`: of one-shots, else a kit.
    std::function<QString(bool folder)> askForKit;
    // For tests.
    [[nodiscard]] ChoiceRow& kits() { return *m_kits; }
    [[nodiscard]] QPushButton& hearButton() { return *m_hear; }
    [[nodiscard]] QPushButton& takeButton() { return *m_take; }
    [[nodiscard]] QCheckBox& fits() { return *m_fits; }
    [[nodiscard]] QString said() const;
    [[nodiscard]] bool isReady() const { return m_change != nullptr && !m_isBusy; }

  private:
    void choose(int kit);
    void plan(const std::filesystem::path& path);
    void hear(bool on);
    void take();
    void refresh();

    Desk m_desk;
    Id m_element;
    ChoiceRow* m_kits;
    QLabel* m_said;
    QLabel* m_misfits;
    QCheckBox* m_fits;
    QPushButton* m_hear;
    QPushButton* m_take;
    std::shared_ptr<const project::KitChange> m_change;
    QString m_problem;
    bool m_isBusy = false;
    bool m_isHeard = false;
    int m_generation = 0;
    CancelToken m_cancel;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
