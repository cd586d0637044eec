// References beside the mix: tempo, pattern, how their drums stand to each other, moments to hear.
#pragma once

#include "app/models/reference_model.h"

#include <QDialog>

class QComboBox;
class QHBoxLayout;
class QLabel;
class QPushButton;

namespace cask::app {

/// A row for each drum: when it is struck in the bar, and how loud it is against the kick, in both.
class ReferencePicture : public QWidget {
    Q_OBJECT

  public:
    explicit ReferencePicture(ReferenceModel& model, QWidget* parent = nullptr);
    [[nodiscard]] QSize sizeHint() const override { return {660, 250}; }
    /// "snare: -2.1 dB against the kick, 1.4 dB less than the reference"; for tests and screen readers.
    [[nodiscard]] QStringList rows() const;

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    ReferenceModel& m_model;
};

class ReferenceSheet : public QDialog {
    Q_OBJECT

  public:
    ReferenceSheet(Document& document, ReferenceModel& model, QWidget* parent = nullptr);
    ~ReferenceSheet() override;
    [[nodiscard]] ReferencePicture& picture() const { return *m_picture; }
    [[nodiscard]] QComboBox& choice() const { return *m_choice; }
    [[nodiscard]] QPushButton& hearButton() const { return *m_hear; }
    /// From where it is heard: first the place of the session, then its moments.
    [[nodiscard]] QList<QPushButton*> momentButtons() const { return m_moments; }
    [[nodiscard]] QString text() const;

  protected:
    void keyPressEvent(QKeyEvent* event) override;
    void keyReleaseEvent(QKeyEvent* event) override;

  private:
    void refresh();
    void fillMoments();

    Document& m_document;
    ReferenceModel& m_model;
    QComboBox* m_choice;
    QLabel* m_text;
    ReferencePicture* m_picture;
    QWidget* m_momentBox;
    QHBoxLayout* m_momentLayout;
    QList<QPushButton*> m_moments;
    std::vector<double> m_momentTimes;
    QPushButton* m_hear;
};

} // namespace cask::app
