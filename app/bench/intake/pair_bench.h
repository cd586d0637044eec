// The pair under the Intake bench's facts: the picture, hearing each, and the moves.
#pragma once

#include "app/models/desk.h"
#include "app/models/pair_model.h"

#include <QWidget>

class QPushButton;

namespace cask::app {

class PairPicture;

class PairBench : public QWidget {
    Q_OBJECT

  public:
    explicit PairBench(const Desk& desk, QWidget* parent = nullptr);

    [[nodiscard]] PairModel& model() { return m_pair; }
    [[nodiscard]] PairPicture& picture() { return *m_picture; }
    enum class Heard { Still, Moving, Both };
    [[nodiscard]] QPushButton* hearButton(Heard which) const;
    [[nodiscard]] QPushButton* flipButton() const { return m_flip; }
    [[nodiscard]] QPushButton* bestButton() const { return m_best; }
    [[nodiscard]] QPushButton* togetherButton() const { return m_together; }

  private:
    void refresh();
    void hear(Heard which);

    Desk m_desk;
    PairModel m_pair;
    PairPicture* m_picture;
    QPushButton* m_hearStill;
    QPushButton* m_hearMoving;
    QPushButton* m_hearBoth;
    QPushButton* m_flip;
    QPushButton* m_best;
    QPushButton* m_together;
};

} // namespace cask::app
