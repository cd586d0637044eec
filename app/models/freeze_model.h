// Which elements and buses are frozen: remembered beside the cache, rendered when asked, played while right.
#pragma once

#include "app/document/document.h"
#include "app/models/playback.h"

#include <QObject>

#include <core/project/freeze.h>
#include <vector>

namespace cask::app {

class FreezeModel : public QObject {
    Q_OBJECT

  public:
    FreezeModel(Document& document, Playback& playback, QObject* parent = nullptr);

    /// Whether it was frozen and not thawed since; it may have been changed.
    [[nodiscard]] bool isFrozen(Id what) const;
    /// Of one that was rendered just now, by the key that it was rendered for.
    void take(Id what);
    void thaw(Id what);

  private:
    void open();
    /// Opens what the session is right for and does not play yet.
    void follow();
    void remember();
    void removeFile(Id what, const std::string& but);

    Document& m_document;
    Playback& m_playback;
    std::vector<Id> m_frozen;
};

} // namespace cask::app
