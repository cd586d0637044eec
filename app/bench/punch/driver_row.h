// Who drives a compressor: shares of its gain reduction, by whose sound it is due to.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

namespace cask::app {

/// One bar, cut in the shares; hidden where nothing is known of them.
class DriverRow : public QWidget {
    Q_OBJECT

  public:
    explicit DriverRow(const Desk& desk, QWidget* parent = nullptr);
    /// Of a compressor of a bus.
    void showModule(Id owner, Id module);
    /// "Kick In 62 %, Snare Top 30 %, others 8 %"; empty while unknown.
    [[nodiscard]] QString text() const;

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    struct Share {
        QString name;
        double percent = 0;
    };
    /// Those that matter, and the rest together.
    [[nodiscard]] std::vector<Share> shares() const;

    Desk m_desk;
    Id m_owner = session::kNoId;
    Id m_module = session::kNoId;
};

} // namespace cask::app
