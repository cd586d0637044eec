#include "core/session/kit_sheet.h"

#include "core/session/edits.h"
#include "core/session/kit_order.h"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <filesystem>
#include <map>
#include <set>
#include <tuple>

namespace cask::session {
namespace {

std::string nameWithoutEnding(const std::string& name) {
    const auto dot = name.find_last_of('.');
    return dot == std::string::npos || dot == 0 ? name : name.substr(0, dot);
}

bool partsWords(char c) {
    return c == ' ' || c == '_' || c == '-' || c == '.';
}

/// Start of each file in seconds by its time stamp; all 0 unless every file has one and they lie within a
/// day's work.
std::map<std::size_t, double> startSeconds(const std::vector<IntakeFile>& files,
                                           const std::set<std::size_t>& used) {
    std::map<std::size_t, double> starts;
    double earliest = 1e300;
    for (const auto i : used) {
        if (!files[i].timeReference || files[i].sampleRateHz <= 0)
            return {};
        starts[i] = static_cast<double>(*files[i].timeReference) / files[i].sampleRateHz;
        earliest = std::min(earliest, starts[i]);
    }
    for (auto& [file, start] : starts) {
        start -= earliest;
        if (start > 3600)
            return {};
    }
    return starts;
}

/// A name without the number of a take: "Kick In_T2" is "Kick In" of take "2".
struct TakeName {
    std::string stem;
    std::string take;
    bool isSaid = false; ///< by a word, not by a number alone
};

/// Words that say that the number behind them is one of a take.
bool isTakeWord(std::string_view word) {
    return word == "t" || word == "tk" || word == "take" || word == "takes" || word == "prise" ||
           word == "toma" || word == "v" || word == "rec";
}

TakeName takeNameOf(const std::string& fileName) {
    std::string lower = nameWithoutEnding(fileName);
    std::transform(lower.begin(), lower.end(), lower.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    // The last number in the name that stands by itself, or behind a take's word.
    std::size_t end = lower.size();
    while (end > 0) {
        while (end > 0 && std::isdigit(static_cast<unsigned char>(lower[end - 1])) == 0)
            --end;
        std::size_t from = end;
        while (from > 0 && std::isdigit(static_cast<unsigned char>(lower[from - 1])) != 0)
            --from;
        if (from == end)
            break;
        std::size_t word = from;
        std::size_t wordEnd = from;
        while (wordEnd > 0 &&
               (lower[wordEnd - 1] == ' ' || lower[wordEnd - 1] == '_' || lower[wordEnd - 1] == '-'))
            --wordEnd;
        word = wordEnd;
        while (word > 0 && std::isalpha(static_cast<unsigned char>(lower[word - 1])) != 0)
            --word;
        const bool isTake = isTakeWord(std::string_view(lower).substr(word, wordEnd - word));
        if (isTake || (end == lower.size() && from > 0 && partsWords(lower[from - 1]))) {
            const auto cut = isTake ? word : from;
            std::string stem = lower.substr(0, cut) + lower.substr(end);
            const auto digits = lower.substr(from, end - from);
            const auto first = digits.find_first_not_of('0');
            return {stem, first == std::string::npos ? "0" : digits.substr(first), isTake};
        }
        end = from;
    }
    return {lower, {}, false};
}

/// Takes by a label of each row: the labels that hold the same drums as another one.
std::vector<std::string> takesAmong(const std::vector<std::string>& labels,
                                    const std::vector<std::string>& drums) {
    constexpr std::size_t kFewest = 2;
    std::map<std::string, std::set<std::string>> held;
    for (std::size_t i = 0; i < labels.size(); ++i)
        if (!labels[i].empty())
            held[labels[i]].insert(drums[i]);
    std::vector<std::string> takes;
    for (const auto& [label, mine] : held) {
        const bool isTake = std::any_of(held.begin(), held.end(), [&](const auto& other) {
            std::size_t shared = 0;
            for (const auto& drum : mine)
                shared += other.second.count(drum);
            return other.first != label && shared >= kFewest &&
                   2 * shared >= std::min(mine.size(), other.second.size());
        });
        if (isTake)
            takes.push_back(label);
    }
    std::stable_sort(takes.begin(), takes.end(), [](const auto& a, const auto& b) {
        const auto number = [](const std::string& text) { return std::atoi(text.c_str()); };
        return std::tuple(number(a), a) < std::tuple(number(b), b);
    });
    return takes.size() > 1 ? takes : std::vector<std::string>{};
}

/// Numbers alone are mostly those of drums ("Tom 1", "OH 2"): they are takes only where every file of the mix
/// has one, three drums and more come again, and a hat or a kick, of which a kit has one, is among them.
std::vector<std::string> takesByNumberAlone(const KitSheet& sheet, const std::vector<std::string>& numbers,
                                            const std::vector<std::string>& drums) {
    constexpr std::size_t kFewestDrums = 3;
    std::map<std::string, std::set<std::string>> takesOf; // of a drum
    bool hasSingle = false;
    for (std::size_t i = 0; i < sheet.rows.size(); ++i) {
        const Role role = sheet.rows[i].role;
        if (!isMixed(role))
            continue;
        if (numbers[i].empty())
            return {};
        takesOf[drums[i]].insert(numbers[i]);
        hasSingle =
            hasSingle || (takesOf[drums[i]].size() > 1 && (role == Role::ClosedHat || role == Role::KickIn));
    }
    const auto again = std::count_if(takesOf.begin(), takesOf.end(),
                                     [](const auto& drum) { return drum.second.size() > 1; });
    return hasSingle && static_cast<std::size_t>(again) >= kFewestDrums ? takesAmong(numbers, drums)
                                                                        : std::vector<std::string>{};
}

void findTakes(KitSheet& sheet) {
    std::vector<std::string> said, numbers, folders, byNumber, byName;
    for (const auto& row : sheet.rows) {
        const auto& file = sheet.files[row.file];
        const auto name = takeNameOf(file.name);
        const std::string channel = "/" + std::to_string(row.channel);
        said.push_back(name.isSaid ? name.take : std::string());
        numbers.push_back(name.take);
        byNumber.push_back(name.stem + channel);
        const std::filesystem::path path(file.path);
        folders.push_back(path.parent_path().string());
        byName.push_back(path.stem().string() + channel);
    }
    auto takes = takesAmong(folders, byName);
    const bool isByFolder = !takes.empty();
    if (!isByFolder)
        takes = takesAmong(said, byNumber);
    const bool isByWord = !isByFolder && !takes.empty();
    if (!isByFolder && !isByWord)
        takes = takesByNumberAlone(sheet, numbers, byNumber);
    const auto& labels = isByFolder ? folders : isByWord ? said : numbers;
    if (takes.empty()) {
        sheet.takes = {""};
        return;
    }
    for (std::size_t i = 0; i < sheet.rows.size(); ++i) {
        const auto it = std::find(takes.begin(), takes.end(), labels[i]);
        // What is of no take (a click, a reference) goes with the first.
        sheet.rows[i].take = it == takes.end() ? 0 : static_cast<int>(it - takes.begin());
    }
    for (const auto& take : takes)
        sheet.takes.push_back(isByFolder ? std::filesystem::path(take).filename().string() : "take " + take);
}

bool fitTogether(const KitSheet& sheet, const SheetRow& a, const SheetRow& b) {
    const auto& first = sheet.files[a.file];
    const auto& second = sheet.files[b.file];
    return a.channels == 1 && b.channels == 1 && a.take == b.take && first.frames == second.frames &&
           first.sampleRateHz == second.sampleRateHz;
}

void findPairs(KitSheet& sheet) {
    const auto markOf = [&](const SheetRow& row) {
        const auto& file = sheet.files[row.file];
        if (file.channels != 1)
            return PairMark{};
        const auto mark = pairMark(file.name);
        if (mark.side != 0)
            return mark;
        const auto name = takeNameOf(file.name); // "OH L_T1": the side stands before the take
        auto inside = pairMark(name.stem);
        inside.take = name.take;
        return inside;
    };
    for (std::size_t i = 0; i < sheet.rows.size(); ++i) {
        const auto left = markOf(sheet.rows[i]);
        if (left.side != 'L')
            continue;
        for (std::size_t j = 0; j < sheet.rows.size(); ++j) {
            const auto right = markOf(sheet.rows[j]);
            if (right.side == 'R' && right.stem == left.stem && right.take == left.take &&
                sheet.rows[j].partner < 0 && sheet.rows[j].isWanted && sheet.rows[i].isWanted &&
                joinRows(sheet, i, j))
                break;
        }
    }
}

std::string uniqueName(const Session& s, const std::string& wanted) {
    const auto taken = [&](const std::string& name) {
        return std::any_of(s.elements.begin(), s.elements.end(),
                           [&](const Shared<Element>& e) { return e->name == name; });
    };
    std::string name = wanted;
    for (int n = 2; taken(name); ++n)
        name = wanted + " " + std::to_string(n);
    return name;
}

Id addFile(Session& s, const IntakeFile& f) {
    SourceFile source;
    source.id = s.nextId++;
    source.path = f.path;
    source.frames = f.frames;
    source.channels = f.channels;
    source.sampleRateHz = f.sampleRateHz;
    source.format = f.format;
    source.timeReference = f.timeReference;
    source.contentHash = f.contentHash;
    s.files.emplace_back(std::move(source));
    return s.files.back()->id;
}

} // namespace

KitSheet makeKitSheet(std::vector<IntakeFile> files) {
    KitSheet sheet;
    sheet.files = std::move(files);
    std::map<std::string, int> seen; // by content
    for (std::size_t i = 0; i < sheet.files.size(); ++i) {
        const auto& f = sheet.files[i];
        const int first = static_cast<int>(sheet.rows.size());
        const int same = f.contentHash.empty() || !seen.contains(f.contentHash) ? -1 : seen[f.contentHash];
        seen.try_emplace(f.contentHash, first);
        const int perRow = f.channels == 2 ? 2 : 1;
        for (int channel = 0; channel < f.channels; channel += perRow) {
            SheetRow row;
            row.file = i;
            row.channel = channel;
            row.channels = perRow;
            row.name = nameWithoutEnding(f.name);
            if (f.channels > 2)
                row.name += " ch " + std::to_string(channel + 1);
            const RoleGuess guess = guessRoleFromName(f.name);
            row.role = guess.role;
            row.confidence = guess.confidence;
            row.sameAs = same < 0 ? -1 : same + channel / perRow;
            sheet.rows.push_back(std::move(row));
        }
    }
    findTakes(sheet);
    // A copy within a take is a duplicate; another take may well hold the very same click.
    for (auto& row : sheet.rows) {
        if (row.sameAs >= 0 && sheet.rows[static_cast<std::size_t>(row.sameAs)].take != row.take)
            row.sameAs = -1;
        row.isWanted = row.sameAs < 0;
    }
    findPairs(sheet);
    return sheet;
}

void partRow(KitSheet& sheet, std::size_t row) {
    auto& one = sheet.rows[row];
    if (one.partner >= 0) {
        auto& other = sheet.rows[static_cast<std::size_t>(one.partner)];
        other.partner = -1;
        other.isRight = false;
    }
    one.partner = -1;
    one.isRight = false;
}

bool joinRows(KitSheet& sheet, std::size_t left, std::size_t right) {
    if (left == right || !fitTogether(sheet, sheet.rows[left], sheet.rows[right]))
        return false;
    partRow(sheet, left);
    partRow(sheet, right);
    sheet.rows[left].partner = static_cast<int>(right);
    sheet.rows[right].partner = static_cast<int>(left);
    sheet.rows[right].isRight = true;
    return true;
}

void setRowRole(KitSheet& sheet, std::size_t row, Role role) {
    for (const int i : {static_cast<int>(row), sheet.rows[row].partner})
        if (i >= 0) {
            sheet.rows[static_cast<std::size_t>(i)].role = role;
            sheet.rows[static_cast<std::size_t>(i)].confidence = 1;
        }
}

namespace {

std::string firstWordOf(const std::string& name) {
    return name.substr(
        0, static_cast<std::size_t>(std::find_if(name.begin(), name.end(), partsWords) - name.begin()));
}

/// The word that most names begin with, if it is no drum's: of a song, a band, a date. Empty when there is
/// none.
std::string commonWord(const KitSheet& sheet, int take) {
    constexpr double kMost = 0.6;
    std::map<std::string, std::size_t> counts;
    std::size_t rows = 0;
    for (const auto& row : sheet.rows)
        if (row.take == take) {
            ++counts[firstWordOf(row.name)];
            ++rows;
        }
    for (const auto& [word, count] : counts)
        if (static_cast<double>(count) >= kMost * static_cast<double>(rows) &&
            guessRoleFromName(word).role == Role::Unknown)
            return word;
    return {};
}

int cleanNamesOf(KitSheet& sheet, int take) {
    constexpr std::size_t kFewest = 3;
    // Clicks and references often come from elsewhere, and have names of another kind.
    const std::string word = commonWord(sheet, take);
    const auto isOfThem = [&](const SheetRow& row) {
        return row.take == take && (word.empty() || firstWordOf(row.name) == word);
    };
    std::vector<std::string> names;
    for (const auto& row : sheet.rows)
        if (isOfThem(row))
            names.push_back(row.name);
    if (names.size() < kFewest)
        return 0;
    // What all begin with, back to the end of a word; the same from behind.
    const auto sharedFront = [&](bool isFromBehind) {
        std::size_t shared = 0;
        const auto at = [&](const std::string& name, std::size_t n) {
            return isFromBehind ? name[name.size() - 1 - n] : name[n];
        };
        while (std::all_of(names.begin(), names.end(), [&](const std::string& name) {
            return shared < name.size() && at(name, shared) == at(names.front(), shared);
        }))
            ++shared;
        while (shared > 0 && !partsWords(at(names.front(), shared - 1)))
            --shared;
        return shared;
    };
    const std::size_t front = sharedFront(false);
    const std::size_t back = sharedFront(true);
    std::map<std::string, int> counts;
    const auto cleaned = [&](const std::string& name) {
        std::string text =
            name.size() > front + back ? name.substr(front, name.size() - front - back) : std::string();
        while (!text.empty() && partsWords(text.front()))
            text.erase(text.begin());
        while (!text.empty() && partsWords(text.back()))
            text.pop_back();
        return text;
    };
    for (const auto& name : names)
        ++counts[cleaned(name)];
    int changed = 0;
    for (auto& row : sheet.rows)
        if (const auto text = cleaned(row.name); isOfThem(row) && text != row.name && counts[text] == 1 &&
                                                 std::any_of(text.begin(), text.end(), [](unsigned char c) {
                                                     return std::isalpha(c) != 0 || c >= 0x80U;
                                                 })) {
            row.name = text;
            ++changed;
        }
    return changed;
}

} // namespace

int cleanNames(KitSheet& sheet) {
    int changed = 0;
    for (int take = 0; take < static_cast<int>(sheet.takes.size()); ++take)
        changed += cleanNamesOf(sheet, take);
    return changed;
}

int rowsWithoutRole(const KitSheet& sheet, int take) {
    return static_cast<int>(std::count_if(sheet.rows.begin(), sheet.rows.end(), [&](const SheetRow& row) {
        return row.isWanted && !row.isRight && row.role == Role::Unknown && (take < 0 || row.take == take);
    }));
}

Session withKitSheet(Session s, const KitSheet& sheet, int take) {
    const auto isMade = [&](const SheetRow& row) { return row.isWanted && (take < 0 || row.take == take); };
    std::set<std::size_t> used;
    for (const auto& row : sheet.rows)
        if (isMade(row))
            used.insert(row.file);
    const auto starts = startSeconds(sheet.files, used);
    std::map<std::size_t, Id> files;
    for (const auto i : used)
        files[i] = addFile(s, sheet.files[i]);
    std::vector<Id> elements(sheet.rows.size(), kNoId);
    for (std::size_t i = 0; i < sheet.rows.size(); ++i) {
        const auto& row = sheet.rows[i];
        if (!isMade(row))
            continue;
        Element e;
        e.id = elements[i] = s.nextId++;
        e.name = uniqueName(s, row.name);
        e.role = row.role;
        e.roleConfidence = row.confidence;
        for (int c = 0; c < row.channels; ++c)
            e.channels.push_back({files[row.file], row.channel + c, {}});
        if (const auto start = starts.find(row.file); start != starts.end())
            e.startFrame = std::llround(start->second * s.sampleRateHz);
        e.out.bus = startingBus(s, e.role);
        s.elements.emplace_back(std::move(e));
        placeInKit(s, elements[i]);
    }
    for (std::size_t i = 0; i < sheet.rows.size(); ++i)
        if (const auto& row = sheet.rows[i]; elements[i] != kNoId && row.partner >= 0 && !row.isRight)
            if (const Id right = elements[static_cast<std::size_t>(row.partner)]; right != kNoId)
                if (auto joined = withPairJoined(s, elements[i], right))
                    s = std::move(*joined);
    return s;
}

} // namespace cask::session
