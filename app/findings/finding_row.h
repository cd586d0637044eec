// One finding: a head of a few words; the chosen one opens to its sentence and what can be done about it.
#pragma once

#include "app/models/desk.h"

#include <QFrame>

class QLabel;
class QLineEdit;
class QPushButton;

namespace cask::app {

class FindingRow : public QFrame {
    Q_OBJECT

  public:
    /// `saysWhose`: the head names the element.
    FindingRow(const Desk& desk, const advise::Finding& finding, bool saysWhose, QWidget* parent = nullptr);

    [[nodiscard]] const std::string& id() const { return m_id; }
    [[nodiscard]] bool isDismissed() const { return m_isDismissed; }
    [[nodiscard]] QString headText() const;
    /// Only the current row shows the sentence and what can be done.
    void setCurrent(bool on);
    /// Each does what its button does; nothing when the button is not there.
    void hear();
    void setTrying(bool on);
    void keep();
    /// Shows the field that asks for the reason, with the focus.
    void askWhy();
    [[nodiscard]] QPushButton* hearButton() const { return m_hear; }
    [[nodiscard]] QPushButton* tryButton() const { return m_try; }
    [[nodiscard]] QPushButton* keepButton() const { return m_keep; }
    [[nodiscard]] QPushButton* dismissButton() const { return m_dismiss; }
    [[nodiscard]] QLineEdit* reason() const { return m_reason; }

  signals:
    void chosen(const QString& id);

  protected:
    void mousePressEvent(QMouseEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    [[nodiscard]] QPushButton* addAction(const QString& words, const QString& help);

    Desk m_desk;
    std::string m_id;
    advise::Severity m_severity;
    bool m_isFolded;
    bool m_isDismissed;
    bool m_isCurrent = false;
    QLabel* m_head;
    QWidget* m_open; ///< the sentence and what follows it
    QWidget* m_actions;
    QPushButton* m_hear = nullptr;
    QPushButton* m_try = nullptr;
    QPushButton* m_keep = nullptr;
    QPushButton* m_dismiss = nullptr;
    QLineEdit* m_reason;
};

} // namespace cask::app
