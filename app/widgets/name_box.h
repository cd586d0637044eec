// A small box that asks for a name. Not modal: sound and everything else go on.
#pragma once

#include <QDialog>

#include <functional>

class QLineEdit;

namespace cask::app {

class NameBox : public QDialog {
    Q_OBJECT

  public:
    /// `take` gets the name, trimmed and not empty. The box deletes itself.
    NameBox(const QString& title, const QString& current, std::function<void(const QString&)> take,
            QWidget* parent);

  private:
    QLineEdit* m_line;
};

} // namespace cask::app
