// What is wished for of the chosen element or bus, and the ways to it, searched in the background.
#pragma once

#include "app/models/hit_model.h"
#include "app/models/playback.h"

#include <QObject>

#include <core/advise/house_style.h>
#include <core/base/job_group.h>
#include <core/kit_measures/wishes.h>
#include <memory>
#include <optional>
#include <vector>

namespace cask::app {

/// Control thread only.
class WishModel : public QObject {
    Q_OBJECT

  public:
    WishModel(Document& document, Analyst& analyst, HitModel& hits, Playback& playback,
              QObject* parent = nullptr);
    ~WishModel() override;

    /// Searches anew; what it ducks under is taken with Duck alone.
    void search(measure::Wish wish, Id key, const advise::HouseStyle& style);
    /// Forgets the wish, or stops looking for ways to it.
    void forget();
    [[nodiscard]] const std::optional<kit::WishAsked>& asked() const { return m_asked; }
    [[nodiscard]] bool isSearching() const { return m_isSearching; }
    /// The gentlest that reaches it first; empty until found, and where nothing can be judged.
    [[nodiscard]] const std::vector<measure::WishAnswer>& answers() const { return m_answers; }
    [[nodiscard]] QString sentence(std::size_t answer) const;
    /// While held: the chosen element or bus with a way taken, at the loudness that it has without.
    void setTrying(std::size_t answer, bool on);
    void take(std::size_t answer);

  signals:
    void changed();

  private:
    void follow();

    Document& m_document;
    Analyst& m_analyst;
    HitModel& m_hits;
    Playback& m_playback;
    std::optional<kit::WishAsked> m_asked;
    advise::HouseStyle m_style;
    std::shared_ptr<const session::Session> m_of; ///< the session in which it was wished
    std::vector<measure::WishAnswer> m_answers;
    bool m_isSearching = false;
    int m_generation = 0;
    CancelToken m_cancel;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
