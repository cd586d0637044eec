// The window as a PNG, for machines with no display and for the documentation.
#pragma once

#include <QString>

namespace cask::app {

class MainWindow;

struct PictureRequest {
    QString file;
    QString view = QStringLiteral("tone"); ///< a stage, proof, tone-decay or tone-kit
    QString element;                       ///< name of what is chosen; the first element when empty
    QString over;                          ///< on the Intake bench: the other microphone that it is laid over
    int width = 1280;
    int height = 800;
    bool delivers =
        false; ///< into the session's delivery folder, so that the Proof page has something to show
};

/// Waits until everything is measured (at most two minutes), then draws the window. False with a sentence on
/// stderr when the picture can't be written or the view or element is not known.
bool writePicture(MainWindow& window, const PictureRequest& request);

} // namespace cask::app
