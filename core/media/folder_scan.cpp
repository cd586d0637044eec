#include "core/media/folder_scan.h"

#include "core/base/file_identity.h"
#include "core/base/system_error.h"
#include "core/media/audio_reader.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <set>
#include <sys/vfs.h>
#include <unistd.h>

namespace cask::media {
namespace {

namespace fs = std::filesystem;
constexpr int kMostLevels = 4;
constexpr int kMostEntries = 20000;

/// "2 kick" before "10 snare".
bool naturalLess(const fs::path& a, const fs::path& b) {
    const std::string x = a.string();
    const std::string y = b.string();
    std::size_t i = 0;
    std::size_t j = 0;
    const auto digit = [](char c) { return std::isdigit(static_cast<unsigned char>(c)) != 0; };
    while (i < x.size() && j < y.size()) {
        if (digit(x[i]) && digit(y[j])) {
            const auto numberEnd = [&](const std::string& s, std::size_t at) {
                while (at < s.size() && digit(s[at]))
                    ++at;
                return at;
            };
            while (i + 1 < x.size() && x[i] == '0' && digit(x[i + 1]))
                ++i;
            while (j + 1 < y.size() && y[j] == '0' && digit(y[j + 1]))
                ++j;
            const std::size_t ie = numberEnd(x, i);
            const std::size_t je = numberEnd(y, j);
            if (ie - i != je - j)
                return ie - i < je - j;
            if (const int order = x.compare(i, ie - i, y, j, je - j); order != 0)
                return order < 0;
            i = ie;
            j = je;
        } else {
            const int cx = std::tolower(static_cast<unsigned char>(x[i]));
            const int cy = std::tolower(static_cast<unsigned char>(y[j]));
            if (cx != cy)
                return cx < cy;
            ++i;
            ++j;
        }
    }
    return x.size() - i < y.size() - j;
}

/// A file whose name does not say so may still begin like sound.
bool beginsLikeSound(const fs::directory_entry& entry) {
    std::error_code error;
    if (!entry.is_regular_file(error) || entry.file_size(error) < 12 || error)
        return false;
    const auto fd = openRegularFile(entry.path());
    if (!fd)
        return false;
    std::array<char, 12> head{};
    const bool isRead = ::read(*fd, head.data(), head.size()) == static_cast<ssize_t>(head.size());
    ::close(*fd);
    const std::string_view text(head.data(), head.size());
    return isRead && (((text.starts_with("RIFF") || text.starts_with("RF64")) && text.substr(8) == "WAVE") ||
                      (text.starts_with("FORM") && text.substr(8, 3) == "AIF") || text.starts_with("fLaC") ||
                      text.starts_with("OggS") || text.starts_with("caff"));
}

/// What is left of the search, and where it has been: links may lead in a circle, or out into the whole disk.
struct Search {
    FolderScan& scan;
    std::set<FileIdentity> folders = {};
    int entries = 0;
};

/// Processes and devices as folders: what looks like a file there may never end.
bool isOfTheSystem(const fs::path& folder) {
    struct statfs info {};
    constexpr long kProc = 0x9fa0; // magic numbers of statfs(2)
    constexpr long kSys = 0x62656572;
    return ::statfs(folder.c_str(), &info) == 0 && (info.f_type == kProc || info.f_type == kSys);
}

void scanFolder(const fs::path& folder, int level, Search& search) {
    if (isOfTheSystem(folder)) {
        search.scan.problems.push_back(folder.string() + " is a folder of the system; it was left out.");
        return;
    }
    if (const auto identity = identityOf(folder); identity && !search.folders.insert(*identity).second)
        return;
    std::error_code error;
    fs::directory_iterator it(folder, error);
    if (error) {
        search.scan.problems.push_back(folder.string() + " can't be opened (" + systemReason(error.value()) +
                                       "); it was left out.");
        return;
    }
    std::vector<fs::path> files;
    std::vector<fs::path> folders;
    for (const fs::directory_iterator end; !error && it != end; it.increment(error)) {
        if (++search.entries > kMostEntries)
            break;
        const fs::path& path = it->path();
        std::error_code ignored;
        if (path.filename().string().starts_with('.'))
            continue;
        if (it->is_directory(ignored))
            folders.push_back(path);
        else if (hasAudioEnding(path) || beginsLikeSound(*it))
            files.push_back(path);
    }
    std::sort(files.begin(), files.end(), naturalLess);
    std::sort(folders.begin(), folders.end(), naturalLess);
    search.scan.files.insert(search.scan.files.end(), files.begin(), files.end());
    if (level < kMostLevels)
        for (const auto& inner : folders)
            scanFolder(inner, level + 1, search);
}

} // namespace

FolderScan scanForAudio(std::span<const fs::path> dropped) {
    FolderScan scan;
    for (const auto& path : dropped) {
        std::error_code error;
        if (!fs::is_directory(path, error)) {
            scan.files.push_back(path);
            continue;
        }
        const std::size_t before = scan.files.size() + scan.problems.size();
        Search search{scan};
        scanFolder(path, 0, search);
        if (search.entries > kMostEntries)
            scan.problems.push_back(
                fmt::format("{} holds more than {} files and folders; not all of them were "
                            "looked at.",
                            path.string(), kMostEntries));
        if (scan.files.size() + scan.problems.size() == before)
            scan.problems.push_back(path.string() + " holds no sound files.");
    }
    return scan;
}

} // namespace cask::media
