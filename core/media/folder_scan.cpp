#include "core/media/folder_scan.h"

#include "core/media/audio_reader.h"

#include <algorithm>
#include <cctype>

namespace cask::media {
namespace {

namespace fs = std::filesystem;
constexpr int kMostLevels = 4;

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

void scanFolder(const fs::path& folder, int level, FolderScan& scan) {
    std::error_code error;
    fs::directory_iterator it(folder, error);
    if (error) {
        scan.problems.push_back(folder.string() + " can't be opened (" + error.message() +
                                "); it was left out.");
        return;
    }
    std::vector<fs::path> files;
    std::vector<fs::path> folders;
    for (const fs::directory_iterator end; !error && it != end; it.increment(error)) {
        const fs::path& path = it->path();
        std::error_code ignored;
        if (path.filename().string().starts_with('.'))
            continue;
        if (it->is_directory(ignored))
            folders.push_back(path);
        else if (hasAudioEnding(path))
            files.push_back(path);
    }
    std::sort(files.begin(), files.end(), naturalLess);
    std::sort(folders.begin(), folders.end(), naturalLess);
    scan.files.insert(scan.files.end(), files.begin(), files.end());
    if (level < kMostLevels)
        for (const auto& inner : folders)
            scanFolder(inner, level + 1, scan);
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
        scanFolder(path, 0, scan);
        if (scan.files.size() + scan.problems.size() == before)
            scan.problems.push_back(path.string() + " holds no sound files.");
    }
    return scan;
}

} // namespace cask::media
