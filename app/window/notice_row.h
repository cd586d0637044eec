// A line under the head line: something about the session that wants a decision.
#pragma once

#include <QWidget>

#include <functional>
#include <vector>

class QHBoxLayout;
class QLabel;

namespace cask::app {

struct NoticeAction {
    QString words;
    std::function<void()> run;
};

class NoticeRow : public QWidget {
    Q_OBJECT

  public:
    explicit NoticeRow(QWidget* parent = nullptr);
    /// An empty text hides the row. The same notice again changes nothing.
    void setNotice(const QString& text, std::vector<NoticeAction> actions = {});
    [[nodiscard]] QString text() const;

  private:
    QHBoxLayout* m_layout;
    QLabel* m_text;
    std::vector<QWidget*> m_buttons;
};

} // namespace cask::app
