// The line at the top: session, pages, transport, comparison, loudness.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

class QLabel;
class QPushButton;

namespace cask::app {

class ChoiceRow;
class MonitorRow;

class HeadLine : public QWidget {
    Q_OBJECT

  public:
    explicit HeadLine(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] ChoiceRow& pages() { return *m_pages; }
    [[nodiscard]] QPushButton* playButton() const { return m_play; }
    [[nodiscard]] QPushButton* compareButton() const { return m_compare; }
    [[nodiscard]] QString comparisonText() const;
    [[nodiscard]] MonitorRow& monitor() const { return *m_monitor; }

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

  private:
    void refresh();
    void showTime();

    Desk m_desk;
    QLabel* m_name;
    ChoiceRow* m_pages;
    QPushButton* m_play;
    QLabel* m_time;
    QPushButton* m_compare;
    QLabel* m_match;
    MonitorRow* m_monitor;
    QLabel* m_device;
};

} // namespace cask::app
