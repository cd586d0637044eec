// What was found in files that are dropped, before elements are made of it: everything can be corrected.
#pragma once

#include <core/session/intake.h>
#include <string>
#include <vector>

namespace cask::session {

/// One element to be, or the right side of one.
struct SheetRow {
    std::size_t file = 0; ///< index into KitSheet::files
    int channel = 0;      ///< first of its file
    int channels = 1;     ///< 1, or 2 of a stereo file
    std::string name;
    Role role = Role::Unknown;
    double confidence = 0;
    int take = 0;         ///< index into KitSheet::takes
    int partner = -1;     ///< the other side of its pair, a row
    bool isRight = false; ///< of a pair: its partner is the element
    bool isWanted = true;
    int sameAs = -1; ///< a row before it with the very same file; it is not wanted then
};

struct KitSheet {
    std::vector<IntakeFile> files;
    std::vector<SheetRow> rows;     ///< in the order of the files
    std::vector<std::string> takes; ///< names, the first to be recorded first; one unless there are several
};

/// Roles by name, pairs by name and length, takes by folder or by the number behind the name: two or more of
/// them where at least half of what one holds is in the other as well.
[[nodiscard]] KitSheet makeKitSheet(std::vector<IntakeFile> files);

/// Joins two mono rows of the same take, length and rate as left and right, out of the pairs that they were
/// in. False, and nothing changes, where that can't be.
bool joinRows(KitSheet& sheet, std::size_t left, std::size_t right);
void partRow(KitSheet& sheet, std::size_t row);
/// A role as said by a person; of a pair both sides have it.
void setRowRole(KitSheet& sheet, std::size_t row, Role role);

/// Takes off what all names of a take have in common at their beginning and end, word by word
/// ("Ghosts_v3_Kick In" is "Kick In"). Where most begin with one word that is no drum's, the others stay out
/// of it. Names of which no letter would be left, or that would be the same as another one, stay as they are.
/// Returns how many changed.
int cleanNames(KitSheet& sheet);

/// Wanted rows whose role is not known, right sides left out.
[[nodiscard]] int rowsWithoutRole(const KitSheet& sheet, int take = -1);

/// Makes elements of what is wanted, of one take or of all (-1), in kit order. With time stamps in all of
/// these files the earliest starts at 0 and the rest as far behind it as their stamps say. What nobody knows
/// goes to the master, not into a bus.
[[nodiscard]] Session withKitSheet(Session s, const KitSheet& sheet, int take = -1);

} // namespace cask::session
