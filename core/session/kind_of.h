// The shape of a kind's description.
#pragma once

#include <core/base/stage.h>
#include <core/session/field_rows.h>
#include <core/session/kind_list.h>

namespace cask::session {

/// Where modules stand in a chain unless a person moves them, from first to last.
enum class ChainPlace { Gate, Repair, Dynamics, Shaping, Colour, Ceiling };

/// The description of the kind with these settings. Each has
///   id         stored: do not change
///   words      as people read it
///   stage      of the job, whose bench shows it
///   hearsKey   whether it has detectors that can listen to something else
///   keyTap     (not of all) where an element is listened to unless somebody says otherwise
///   fields     rows of its values: std::array<Field<Settings>, N>
///   place(ordinal)  where it goes when it is added
/// A kind that was stored under another name also has
///   olderId    that: read, never written
/// A kind of which a small cell tells more than its first number also has
///   cell(settings)  that, as a std::string
/// A kind whose modules have names of their own by their ordinal also has
///   placeWords std::array of them
/// A kind that has a list of items (bands) also has
///   itemsId    stored name of the list: do not change
///   items(settings)  the list
///   itemFields rows of an item's values
///   isAlwaysTold(id) whether a value of an item says something even where it is the standard one
template <class Settings> struct KindOf;

template <class Settings>
concept HasItems = requires(Settings& s) {
    KindOf<Settings>::items(s);
};

} // namespace cask::session
