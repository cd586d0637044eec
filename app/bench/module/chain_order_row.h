// The modules of an element in the order in which they work, one of them chosen, moved and heard the other
// way.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

class QHBoxLayout;
class QLabel;
class QPushButton;

namespace cask::app {

class ChainOrderRow : public QWidget {
    Q_OBJECT

  public:
    explicit ChainOrderRow(const Desk& desk, QWidget* parent = nullptr);
    /// The module that the buttons move; kNoId for none.
    void setModule(Id module);
    /// While on, the chosen module and the next one are heard in the other order, at the same loudness.
    void hearSwapped(bool on);
    /// While on, the chain is heard with the chosen module switched over, at the same loudness: without it,
    /// or with it where it is off.
    void hearBypassed(bool on);
    /// P: bypassed, S: swapped, while the key is held in a bench; both end when it is hidden.
    void takeKeysOf(QWidget* bench);
    /// What else can be heard while it is held, after the other two.
    void addHearing(QPushButton* button) { add(button); }
    void addInFront(const QString& title, QWidget* widget);
    [[nodiscard]] QString orderText() const;
    [[nodiscard]] QPushButton* earlier() const { return m_earlier; }
    [[nodiscard]] QPushButton* later() const { return m_later; }
    [[nodiscard]] QPushButton* hear() const { return m_hear; }
    [[nodiscard]] QPushButton* bypass() const { return m_bypass; }

  protected:
    bool eventFilter(QObject* bench, QEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

  private:
    void refresh();
    /// As much of the order as there is room for, around the chosen module.
    [[nodiscard]] QString fittingText() const;
    void add(QPushButton* button);
    /// False when it is neither of the two.
    bool holdKey(int key, bool on);
    /// The module that would change places with the chosen one; kNoId at the end of the chain.
    [[nodiscard]] Id neighbour(int by) const;
    void move(int by);
    /// Plays what the session would be with a change, from here on.
    void hear(const std::function<session::Session(session::Session)>& change);
    void endHearing();

    Desk m_desk;
    Id m_module = session::kNoId;
    QHBoxLayout* m_layout;
    QLabel* m_order;
    QPushButton* m_earlier;
    QPushButton* m_later;
    QPushButton* m_hear;
    QPushButton* m_bypass;
};

} // namespace cask::app
