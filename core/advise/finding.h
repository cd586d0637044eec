// One measured judgement, with what it rests on and what could be done.
#pragma once

#include <core/base/stage.h>
#include <core/session/session.h>
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace cask::advise {

/// Notes are only worth knowing; advice and faults are open until done or laid aside.
enum class Severity { Note, Advice, Fault };
/// Stored and printed: do not change.
[[nodiscard]] constexpr std::string_view severityId(Severity severity) {
    return severity == Severity::Fault ? "fault" : severity == Severity::Advice ? "advice" : "note";
}

/// A number that a finding rests on.
struct EvidenceNumber {
    std::string name; ///< stored: do not change
    double value = 0;
    std::string unit; ///< "dB", "ms", "%", "" for a count
};

/// A hit (or a place) that is meant.
struct EvidenceHit {
    session::Id element = session::kNoId;
    double timeS = 0; ///< session time
};

/// What to play so that a person hears what is meant.
struct Hearing {
    std::vector<session::Id> alone; ///< heard without the rest; none for everything
    double fromS = 0;
    double toS = 0;
};

/// A proposed edit. Its values can be listed by comparing the session before and after (session::listValues).
struct Proposal {
    std::string words; ///< as the history names it: "Flip polarity, Snare Bottom"
    std::function<session::Session(session::Session)> apply;
};

struct Finding {
    std::string id; ///< stable over new analyses: what it is, then the ids of the elements meant
    Stage stage = Stage::Intake;
    session::Id element = session::kNoId; ///< none: of the session as a whole
    Severity severity = Severity::Note;
    std::string sentence;
    std::string head; ///< the same in a few words, without the element's name (heads.h)
    std::vector<EvidenceNumber> numbers;
    std::vector<EvidenceHit> hits;
    std::optional<Hearing> hearing;
    std::optional<Proposal> proposal;
    std::string school; ///< way of working that the proposal belongs to; empty when all agree
    std::optional<std::string> dismissal; ///< the reason with which a person laid it aside
    /// What acting on it changes: decibels of what changes, halved for every 10 LU by which that is softer
    /// than the loudest element (weights.h).
    double weight = 0;
    bool isFolded = false; ///< too little to be shown unasked

    [[nodiscard]] bool isOpen() const { return severity != Severity::Note && !dismissal && !isFolded; }
};

/// A number that a finding rests on; 0 where it has none of that name.
[[nodiscard]] double numberOf(const Finding& finding, std::string_view name);

/// Lays a finding aside, or (with an empty reason) takes it up again.
[[nodiscard]] session::Session withDismissal(session::Session session, const std::string& finding,
                                             const std::string& reason);

/// A value that an edit changes, as people read it.
struct ValueChange {
    std::string path;
    std::string before;
    std::string after;
};
[[nodiscard]] std::vector<ValueChange> changesBetween(const session::Session& before,
                                                      const session::Session& after);
/// "Snare Top/gate/open_db: -30.0 dB becomes -34.0 dB"; a value that was not there is left out.
[[nodiscard]] std::string inWords(const ValueChange& change);

} // namespace cask::advise
