// Makes a bus denser by so much: the ways are searched, told with their price, and one is taken.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

#include <core/base/job_group.h>
#include <core/kit_measures/densify.h>
#include <memory>
#include <vector>

class QHBoxLayout;
class QLabel;
class QPushButton;

namespace cask::app {

class ValueBar;

class DenserRow : public QWidget {
    Q_OBJECT

  public:
    explicit DenserRow(const Desk& desk, QWidget* parent = nullptr);
    ~DenserRow() override;
    /// Whether the chosen bus can be made denser here.
    [[nodiscard]] bool isOffered() const;
    [[nodiscard]] bool isSearching() const { return m_isSearching; }
    // For tests.
    [[nodiscard]] ValueBar& amount() { return *m_amount; }
    [[nodiscard]] QPushButton& button() { return *m_find; }
    /// One for each way that was found.
    [[nodiscard]] const std::vector<QPushButton*>& ways() const { return m_takes; }

  private:
    void search();
    void forget();
    void show(const std::vector<kit::DenseWay>& ways);

    Desk m_desk;
    ValueBar* m_amount;
    QPushButton* m_find;
    QLabel* m_text;
    QHBoxLayout* m_layout;
    std::vector<QPushButton*> m_takes;
    std::shared_ptr<const session::Session> m_of; ///< session that the ways are of
    bool m_isSearching = false;
    int m_generation = 0;
    CancelToken m_cancel;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
