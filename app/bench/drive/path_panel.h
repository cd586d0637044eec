// What makes a bus a parallel path: its values, its pictures, and the act that makes one.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

#include <core/base/job_group.h>
#include <map>
#include <string>

class QCheckBox;
class QLabel;

namespace cask::app {

class BlendPicture;
class SharesPicture;
class SumPicture;
class ValueBar;

/// Of the chosen bus; hidden by its owner where that is no path.
class PathPanel : public QWidget {
    Q_OBJECT

  public:
    explicit PathPanel(const Desk& desk, QWidget* parent = nullptr);
    ~PathPanel() override;
    /// Makes a path beside an element or bus and chooses it; a note says why where that can't be.
    static void makePath(const Desk& desk, Id of);
    /// What it adds and costs, in words.
    [[nodiscard]] QString text() const;
    // For tests.
    [[nodiscard]] ValueBar* bar(const std::string& id) const;
    [[nodiscard]] QCheckBox& equalBox() { return *m_equal; }
    [[nodiscard]] QCheckBox& invertedBox() { return *m_inverted; }
    [[nodiscard]] SharesPicture& shares() { return *m_shares; }
    [[nodiscard]] BlendPicture& blend() { return *m_blend; }
    [[nodiscard]] bool isMatching() const { return m_isMatching; }

  private:
    [[nodiscard]] const session::Bus* path() const;
    void refresh();
    void set(const std::string& id, double value, bool isDragging);
    /// Measures both sounds, then lets them be as loud as the dry one.
    void match();

    Desk m_desk;
    SharesPicture* m_shares;
    SumPicture* m_sum;
    BlendPicture* m_blend;
    QLabel* m_text;
    QCheckBox* m_equal;
    QCheckBox* m_inverted;
    std::map<std::string, ValueBar*> m_bars;
    bool m_isMatching = false;
    CancelToken m_cancel;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
