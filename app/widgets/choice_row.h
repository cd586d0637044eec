// A few words side by side, one of them chosen: quick to read, one click or arrow key to change.
#pragma once

#include <QStringList>
#include <QWidget>

namespace cask::app {

class ChoiceRow : public QWidget {
    Q_OBJECT

  public:
    explicit ChoiceRow(const QStringList& words, QWidget* parent = nullptr);

    [[nodiscard]] int chosen() const { return m_chosen; }
    /// Shows a choice, -1 for none; emits nothing.
    void setChosen(int index);
    void setWords(const QStringList& words);
    [[nodiscard]] const QStringList& words() const { return m_words; }
    [[nodiscard]] QSize sizeHint() const override;
    [[nodiscard]] QSize minimumSizeHint() const override { return sizeHint(); }
    [[nodiscard]] QRect wordRect(int index) const;

  signals:
    void choiceEdited(int index);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void focusInEvent(QFocusEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;

  private:
    void choose(int index);
    QStringList m_words;
    int m_chosen = 0;
};

} // namespace cask::app
