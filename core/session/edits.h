// Edits: functions from one session to the next.
#pragma once

#include <core/base/result.h>
#include <core/session/session.h>
#include <functional>
#include <string_view>

namespace cask::session {

/// Changes one element or bus; the session is unchanged when there is none of that id.
[[nodiscard]] Session withElement(Session s, Id id, const std::function<void(Element&)>& change);
[[nodiscard]] Session withBus(Session s, Id id, const std::function<void(Bus&)>& change);
/// Changes the output or chain of an element or bus.
[[nodiscard]] Session withOutput(Session s, Id id, const std::function<void(Output&)>& change);
[[nodiscard]] Session withChain(Session s, Id id, const std::function<void(std::vector<Module>&)>& change);
[[nodiscard]] Session withBand(Session s, Id owner, Id band, const std::function<void(dsp::EqBand&)>& change);

/// Sets a role as said by a person; the element goes to the bus of that role when it was on the one of the
/// old, and to its place in the kit (placeInKit()).
[[nodiscard]] Session withRole(Session s, Id element, Role role);
/// Sets a role that was guessed, where there was no idea of it before.
[[nodiscard]] Session withGuessedRole(Session s, Id element, const RoleGuess& guess);
/// The bus that a role starts on.
[[nodiscard]] Id startingBus(const Session& s, Role role);

/// Joins two mono elements into one stereo element named `name`; the settings of the left one stay.
[[nodiscard]] Result<Session> withPairJoined(Session s, Id left, Id right);
/// Parts a stereo element into two mono elements, panned to the sides they had.
[[nodiscard]] Result<Session> withPairParted(Session s, Id element);
/// Takes an element out; its files go too when nothing else uses them.
[[nodiscard]] Session withoutElement(Session s, Id element);

/// Modules and bands of a chain that was copied get ids of their own.
void giveOwnIds(Session& s, std::vector<Module>& chain);

/// Adds a band to the owner's equaliser for repair or for colour, which is made when there is none. Returns
/// the band's id.
Id addBand(Session& s, Id owner, dsp::EqBand band, EqPlace place = EqPlace::Repair);
/// Adds a module where its kind has its place: gates, repair, dynamics, colour, ceilings, each after those
/// that are there. Returns the module's id. `ordinal` 0: the lowest that is free.
/// REQUIRES: no module of its kind has that ordinal in the chain.
Id addModule(Session& s, Id owner, const ModuleSettings& settings, int ordinal = 0);
/// Puts a module where another one of the same chain is, and that one where it was.
[[nodiscard]] Session withModulesSwapped(Session s, Id owner, Id module, Id other);
[[nodiscard]] Session withoutBand(Session s, Id owner, Id band);

/// Changes one module, wherever it is.
[[nodiscard]] Session withModule(Session s, Id module, const std::function<void(Module&)>& change);
[[nodiscard]] Session withGate(Session s, Id module, const std::function<void(dsp::GateSettings&)>& change);
[[nodiscard]] Session withoutModule(Session s, Id module);
/// Lets a module listen to another element or bus (kNoId: to its own sound); refused when that would go round
/// in a circle, with the path.
[[nodiscard]] Result<Session> withKey(Session s, Id owner, Id module, Id key);
/// The same for where an element is listened to.
[[nodiscard]] Result<Session> withKeyTap(Session s, Id owner, Id module, KeyTap tap);
/// Other values of a module for all sections of a name; without any value the change goes.
[[nodiscard]] Session withSectionChange(Session s, Id module, const SectionChange& change);

/// Sends sound elsewhere; refused with the path that would close.
[[nodiscard]] Result<Session> withOutputBus(Session s, Id from, Id bus);
[[nodiscard]] Result<Session> withSend(Session s, Id from, Send send);
[[nodiscard]] Session withoutSend(Session s, Id from, Id bus);
/// A new bus into `target`. Returns its id.
Id addBus(Session& s, std::string name, Id target);
/// Takes a bus out; what went to it goes where it went. The master stays.
[[nodiscard]] Session withoutBus(Session s, Id bus);
/// Another name for an element or bus; an empty one changes nothing.
[[nodiscard]] Session withName(Session s, Id elementOrBus, const std::string& name);

/// What the session would be had nobody touched it.
enum class Untouched {
    FilesAsTheyCame, ///< no processing, levels at 0 dB, files at their sides
    NoProcessing,    ///< inputs, levels, pans and sends kept: only the chains are bypassed
};
[[nodiscard]] Session untouched(const Session& s, Untouched kind);

} // namespace cask::session
