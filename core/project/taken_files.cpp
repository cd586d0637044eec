#include "core/project/taken_files.h"

#include "core/base/file_system.h"
#include "core/layers/sfz.h"
#include "core/layers/stack_file.h"
#include "core/project/source_check.h"
#include "core/session/session_store.h"

#include <algorithm>
#include <optional>

namespace cask::project {

namespace fs = std::filesystem;

namespace {

fs::path numbered(const fs::path& path, int n, std::string_view ending) {
    const std::string name = path.filename().string();
    return path.parent_path() /
           (name.substr(0, name.size() - ending.size()) + " " + std::to_string(n) + std::string(ending));
}

bool isSameContent(const fs::path& a, const fs::path& b) {
    std::error_code error;
    if (fs::equivalent(a, b, error))
        return true;
    if (fs::file_size(a, error) != fs::file_size(b, error))
        return false;
    const auto one = contentHashOf(a);
    const auto other = contentHashOf(b);
    return one && other && *one == *other;
}

class Taker {
  public:
    Taker(const fs::path& from, const fs::path& to, TakeAlong what)
        : m_from(fs::absolute(from).lexically_normal()), m_to(fs::absolute(to).lexically_normal()),
          m_what(what) {}

    /// Where a sound lies afterwards.
    fs::path sound(const fs::path& path) {
        const fs::path file = fs::absolute(path).lexically_normal();
        const auto known = m_taken.find(file);
        if (known != m_taken.end())
            return known->second;
        const auto own = ownPlace(file);
        fs::path to = file;
        if (own)
            to = copied(file, m_to / *own);
        else if (m_what == TakeAlong::All)
            to = copied(file, m_to / "audio" / file.filename());
        m_taken[file] = to;
        return to;
    }

    /// A kit finds its samples from where it lies: the whole of it goes to one folder.
    fs::path kit(const fs::path& path) {
        const fs::path file = fs::absolute(path).lexically_normal();
        const auto known = m_taken.find(file);
        if (known != m_taken.end())
            return known->second;
        const fs::path folder = file.parent_path();
        const auto own = ownPlace(folder);
        fs::path to = file;
        if (own || m_what == TakeAlong::All) {
            const auto parts = layers::filesOfKit(file);
            fs::path target = own ? m_to / *own : m_to / "audio" / folder.filename();
            for (int n = 2;
                 !std::all_of(parts.begin(), parts.end(),
                              [&](const fs::path& part) { return isFree(folder / part, target / part); });
                 ++n)
                target = numbered(own ? m_to / *own : m_to / "audio" / folder.filename(), n, "");
            for (const auto& part : parts)
                to = copied(folder / part, target / part); // the kit itself is the last one
        }
        m_taken[file] = to;
        return to;
    }

    /// The stack with its sounds where they are now.
    std::optional<TakenFile> stack(const fs::path& file) {
        const auto own = ownPlace(file);
        if (!own && m_what == TakeAlong::Own)
            return {};
        auto stack = layers::readStack(file);
        if (!stack) {
            m_problems.push_back(stack.error().message);
            return {};
        }
        for (auto& layer : stack->layers) {
            if (!layer.kit.empty())
                layer.kit = kit(layer.kit);
            for (auto& one : layer.sounds)
                one.file = sound(one.file);
        }
        const fs::path wanted = own ? m_to / *own : m_to / "layers" / file.filename();
        const std::string text = layers::toJson(*stack, wanted.parent_path());
        fs::path to = wanted;
        auto& disk = diskFileSystem();
        for (int n = 2; disk.exists(to); ++n) {
            const auto there = disk.read(to);
            if (there && *there == text)
                return named(to);
            to = numbered(wanted, n, layers::kStackEnding);
        }
        auto written = disk.makeFolder(to.parent_path());
        if (written)
            written = disk.writeAtomically(to, text);
        if (!written) {
            m_problems.push_back(written.error().message);
            return {};
        }
        return named(to);
    }

    /// Takes of what was played live are named by no session.
    void takes() {
        std::error_code error;
        for (const auto& entry : fs::directory_iterator(m_from / "takes", error))
            if (entry.is_regular_file(error))
                (void)sound(entry.path());
    }

    /// Of a file that lies in the new folder.
    [[nodiscard]] std::optional<std::string> storedPath(const fs::path& file) const {
        auto place = session::storedPath(file, m_to);
        if (fs::path(place).is_absolute())
            return {};
        return place;
    }
    std::vector<std::string> takeProblems() { return std::move(m_problems); }

  private:
    /// Where a path lies in the session's folder; nothing where it does not.
    [[nodiscard]] std::optional<fs::path> ownPlace(const fs::path& path) const {
        const auto place = fs::absolute(path).lexically_normal().lexically_relative(m_from);
        if (place.empty() || *place.begin() == ".." || place == ".")
            return {};
        return place;
    }
    static bool isFree(const fs::path& from, const fs::path& to) {
        return !diskFileSystem().exists(to) || isSameContent(from, to);
    }
    /// Where the copy is; what can't be copied stays where it is.
    fs::path copied(const fs::path& from, const fs::path& wanted) {
        auto& disk = diskFileSystem();
        fs::path to = wanted;
        for (int n = 2; !isFree(from, to); ++n)
            to = numbered(wanted, n, wanted.extension().string());
        if (disk.exists(to))
            return to;
        auto done = disk.makeFolder(to.parent_path());
        if (done)
            done = disk.copy(from, to);
        if (!done) {
            m_problems.push_back(done.error().message);
            return from;
        }
        return to;
    }
    std::optional<TakenFile> named(const fs::path& stack) {
        const auto hash = contentHashOf(stack);
        if (!hash)
            return {};
        return TakenFile{*storedPath(stack), *hash};
    }

    fs::path m_from, m_to;
    TakeAlong m_what;
    std::map<fs::path, fs::path> m_taken;
    std::vector<std::string> m_problems;
};

} // namespace

Result<TakenFiles> takeFilesAlong(const session::Session& session, const fs::path& fromFolder,
                                  const fs::path& toFolder, TakeAlong what, const CancelToken& cancel,
                                  const ProgressFn& progress) {
    if (auto made = diskFileSystem().makeFolder(toFolder); !made)
        return made.error();
    Taker taker(fromFolder, toFolder, what);
    TakenFiles taken;
    double done = 0;
    for (const auto& file : session.files) {
        if (cancel.isCancelled())
            return Error{ErrorCode::Cancelled, "Copying the sound files was stopped."};
        if (progress)
            progress(done++ / static_cast<double>(session.files.size()));
        const fs::path from = session::resolvePath(*file, fromFolder);
        if (layers::isStackFile(from)) {
            if (auto stack = taker.stack(from))
                taken.files[file->id] = std::move(*stack);
        } else if (const auto place = taker.storedPath(taker.sound(from))) {
            taken.files[file->id] = {*place, {}};
        }
    }
    taker.takes();
    taken.problems = taker.takeProblems();
    return taken;
}

bool playsFrom(const session::Session& session, const fs::path& sessionFolder, const fs::path& folder) {
    return std::any_of(session.files.begin(), session.files.end(), [&](const auto& file) {
        return !fs::path(session::storedPath(session::resolvePath(*file, sessionFolder), folder))
                    .is_absolute();
    });
}

session::Session withTakenFiles(session::Session s, const fs::path& fromFolder, const TakenFiles& taken) {
    for (auto& file : s.files) {
        const auto path = session::resolvePath(*file, fromFolder);
        const auto it = taken.files.find(file->id);
        file.edit([&](session::SourceFile& f) {
            f.path = it != taken.files.end() ? it->second.path : path.string();
            if (it != taken.files.end() && !it->second.contentHash.empty())
                f.contentHash = it->second.contentHash;
        });
    }
    return s;
}

} // namespace cask::project
