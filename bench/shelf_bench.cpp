// The shelf: sounds indexed a second, and how long a search and a comparison take among 100,000.
// Arguments: sounds to make and index (default 1000), sounds to search among (default 100000).
#include "core/layers/one_shot.h"
#include "core/layers/shelf.h"
#include "tests/support/random_kit.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cstdlib>
#include <sqlite3.h>

namespace {

using namespace cask;
using Clock = std::chrono::steady_clock;

double secondsOf(const std::function<void()>& work) {
    const auto begun = Clock::now();
    work();
    return std::chrono::duration<double>(Clock::now() - begun).count();
}

/// Strokes of made-up kits, at several levels, in folders of a hundred.
void makeSounds(const std::filesystem::path& folder, int count) {
    int made = 0;
    for (std::uint64_t seed = 1; made < count; ++seed) {
        demo::Random r(seed);
        const auto kit = test::makeKit(r);
        for (const auto& piece : kit.pieces) {
            const test::StrokeStore store(piece, kit.tuning, 48000, r);
            for (const double velocity : {0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 1.0}) {
                double gain = 1;
                const auto in = folder / fmt::format("{:03}", made / 100);
                std::filesystem::create_directories(in);
                test::writeWav(in / fmt::format("{} {}.wav", piece.name, made),
                               store.take(velocity, gain, r).top);
                if (++made == count)
                    return;
            }
        }
    }
}

/// Rows again and again under other names and with numbers a little off, until there are so many.
void multiply(const std::filesystem::path& file, int count) {
    sqlite3* db = nullptr;
    sqlite3_open(file.c_str(), &db);
    const auto run = [&](const std::string& text) {
        sqlite3_exec(db, text.c_str(), nullptr, nullptr, nullptr);
    };
    std::string numbers;
    std::string moved;
    for (const auto& number : layers::shelfNumbers()) {
        numbers += fmt::format(", {}", number.name);
        moved += fmt::format(", {} * (0.9 + 0.2 * abs(random() % 1000) / 1000)", number.name);
    }
    run("BEGIN");
    run(fmt::format("INSERT INTO sounds (path, bytes, changed, hash, words, role, held{0}) WITH RECURSIVE "
                    "n(i) AS (SELECT 1 UNION ALL "
                    "SELECT i + 1 FROM n WHERE i < {2} / (SELECT count(*) FROM sounds)) SELECT path || i, "
                    "bytes, changed, hash || i, "
                    "words || i, role, held{1} FROM sounds, n",
                    numbers, moved, count));
    run("INSERT OR IGNORE INTO shapes (id, shape) SELECT id, (SELECT shape FROM shapes LIMIT 1 OFFSET "
        "sounds.id % 500) "
        "FROM sounds");
    run("COMMIT");
    sqlite3_close(db);
}

void time(const char* what, const std::function<std::size_t()>& work) {
    std::vector<double> ms;
    std::size_t found = 0;
    for (int i = 0; i < 15; ++i)
        ms.push_back(1000 * secondsOf([&] { found = work(); }));
    std::sort(ms.begin(), ms.end());
    fmt::print("{:<44} {:6.1f} ms (median), {:6.1f} worst, {} found\n", what, ms[ms.size() / 2], ms.back(),
               found);
}

} // namespace

int main(int argc, char** argv) {
    const int made = argc > 1 ? std::atoi(argv[1]) : 1000;
    const int all = argc > 2 ? std::atoi(argv[2]) : 100000;
    const test::TempFolder folder;
    makeSounds(folder / "Sounds", made);
    {
        auto shelf = layers::Shelf::open(folder / "shelf.db");
        const double s = secondsOf([&] { (void)shelf->index(folder / "Sounds"); });
        fmt::print("indexed {} sounds: {:.0f} a second\n", shelf->count(), shelf->count() / s);
        fmt::print("again, all known: {:.0f} a second\n",
                   made / secondsOf([&] { (void)shelf->index(folder / "Sounds"); }));
    }
    multiply(folder / "shelf.db", all);
    const auto shelf = layers::Shelf::open(folder / "shelf.db");
    fmt::print("among {} sounds\n", shelf->count());
    time("words", [&] { return shelf->search({"snare 12"})->size(); });
    time("words that no sound has", [&] { return shelf->search({"harpsichord"})->size(); });
    layers::ShelfQuery query;
    query.role = Role::KickIn;
    query.ranges = {{"fundamental_hz", 50, 60}, {"length_ms", 100, 400}};
    time("role and two numbers", [&] { return shelf->search(query)->size(); });
    query = {"tom"};
    query.sortBy = "brightness_hz";
    time("a word, sorted by a number", [&] { return shelf->search(query)->size(); });
    const auto any = shelf->search({"kick"})->front();
    const auto shot = layers::readOneShot((shelf->search({"kick"})->at(0)).file);
    if (shot) {
        const auto look = measure::lookOf(shot->sound, shot->rateHz);
        time("like one", [&] { return shelf->like(*look, 20)->size(); });
    }
    return 0;
}
