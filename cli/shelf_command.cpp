// The shelf of one-shots: indexed, searched, and asked for what is like a sound or complements it.
#include "cli/commands.h"
#include "core/base/hash.h"
#include "core/layers/complement.h"
#include "core/layers/one_shot.h"
#include "core/layers/shelf.h"
#include "core/project/bass_question.h"
#include "core/session/parameter_path.h"

#include <fmt/format.h>

#include <chrono>
#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

using Json = nlohmann::ordered_json;
using layers::Shelf;
using layers::ShelfSound;

struct ShelfOptions {
    std::string file; ///< of the shelf; empty: the user's own
    std::vector<std::string> folders, words;
    std::string sound, role, sortBy, kick;
    std::map<std::string, std::vector<double>> ranges;
    int most = 20;
    int measured = 100;
    bool json = false;
};

Result<Shelf> openShelf(const ShelfOptions& o) {
    return Shelf::open(o.file.empty() ? Shelf::usersFile() : std::filesystem::path(o.file));
}

Json toJson(const ShelfSound& sound) {
    Json json{{"file", sound.file.string()}, {"role", std::string(roleInfo(sound.role).id)}};
    for (const auto& number : layers::shelfNumbers())
        json[std::string(number.name)] = inHundredths(sound.look.*number.value);
    json["held"] = sound.look.isHeld;
    return json;
}

std::string inWords(const ShelfSound& sound) {
    const auto& look = sound.look;
    std::string text = fmt::format("{:<12} {:6.0f} ms  bright {:5.0f} Hz", roleInfo(sound.role).name,
                                   look.lengthMs, look.brightnessHz);
    text += look.fundamentalHz > 0 ? fmt::format("  {:5.1f} Hz", look.fundamentalHz) : std::string(10, ' ');
    return text + "  " + sound.file.string();
}

int indexFolders(Streams& streams, const ShelfOptions& o) {
    auto shelf = openShelf(o);
    if (!shelf)
        return fail(streams, shelf.error());
    const auto begun = std::chrono::steady_clock::now();
    layers::ShelfIndexed all;
    for (const auto& folder : o.folders) {
        const auto indexed = shelf->index(folder, streams.cancel, progressTo(streams, "Measuring " + folder));
        if (!indexed)
            return fail(streams, indexed.error());
        all.measured += indexed->measured;
        all.known += indexed->known;
        all.moved += indexed->moved;
        all.gone += indexed->gone;
        all.problems.insert(all.problems.end(), indexed->problems.begin(), indexed->problems.end());
    }
    const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
    for (const auto& problem : all.problems)
        streams.err << problem << '\n';
    if (o.json)
        printJson(streams.out, {{"measured", all.measured},
                                {"known", all.known},
                                {"moved", all.moved},
                                {"gone", all.gone},
                                {"on_the_shelf", shelf->count()},
                                {"seconds", inHundredths(seconds)},
                                {"problems", all.problems}});
    else
        streams.out << fmt::format("{} measured, {} known, {} moved, {} gone; {} on the shelf ({:.1f} s)\n",
                                   all.measured, all.known, all.moved, all.gone, shelf->count(), seconds);
    return all.problems.empty() ? kDone : kBadInput;
}

int search(Streams& streams, const ShelfOptions& o) {
    const auto shelf = openShelf(o);
    if (!shelf)
        return fail(streams, shelf.error());
    layers::ShelfQuery query;
    for (const auto& word : o.words)
        query.words += word + " ";
    if (!o.role.empty()) {
        query.role = roleFromId(o.role);
        if (!query.role)
            return fail(streams, {ErrorCode::BadValue, fmt::format("There is no role \"{}\".", o.role)});
    }
    for (const auto& [number, range] : o.ranges)
        if (range.size() == 2)
            query.ranges.push_back({number, range[0], range[1]});
    query.sortBy = o.sortBy;
    query.most = o.most;
    const auto begun = std::chrono::steady_clock::now();
    const auto sounds = shelf->search(query);
    if (!sounds)
        return fail(streams, sounds.error());
    const double ms = 1000 * std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
    if (!o.json) {
        for (const auto& sound : *sounds)
            streams.out << inWords(sound) << '\n';
        if (sounds->empty())
            streams.out << "Nothing on the shelf is so.\n";
        return kDone;
    }
    Json list = Json::array();
    for (const auto& sound : *sounds)
        list.push_back(toJson(sound));
    printJson(streams.out, {{"sounds", std::move(list)}, {"search_ms", inHundredths(ms)}});
    return kDone;
}

int like(Streams& streams, const ShelfOptions& o) {
    const auto shelf = openShelf(o);
    if (!shelf)
        return fail(streams, shelf.error());
    const auto shot = layers::readOneShot(o.sound);
    if (!shot)
        return fail(streams, shot.error());
    const auto look = measure::lookOf(shot->sound, shot->rateHz);
    if (!look)
        return fail(streams, {ErrorCode::Empty, o.sound + " is silent; nothing is like it."});
    const auto hash = hashFile(o.sound);
    if (!hash)
        return fail(streams, hash.error());
    const auto answers = shelf->like(*look, o.most, *hash);
    if (!answers)
        return fail(streams, answers.error());
    if (!o.json) {
        for (const auto& answer : *answers)
            streams.out << fmt::format("{:5.1f}  {}\n", answer.unlikeness, inWords(answer.sound));
        return kDone;
    }
    Json list = Json::array();
    for (const auto& answer : *answers) {
        list.push_back(toJson(answer.sound));
        list.back()["unlikeness"] = inHundredths(answer.unlikeness);
    }
    printJson(streams.out, {{"of", o.sound}, {"sounds", std::move(list)}});
    return kDone;
}

int complement(Streams& streams, const ShelfOptions& o) {
    const auto shelf = openShelf(o);
    if (!shelf)
        return fail(streams, shelf.error());
    const auto partners =
        layers::partnersOf(*shelf, o.sound, o.measured, streams.cancel, progressTo(streams, "Adding sounds"));
    if (!partners)
        return fail(streams, partners.error());
    const auto count = std::min(partners->size(), static_cast<std::size_t>(o.most));
    Json list = Json::array();
    for (std::size_t i = 0; i < count; ++i) {
        const auto& [sound, score] = (*partners)[i];
        if (!o.json) {
            streams.out << fmt::format("{:5.1f}  fills {:+.1f} dB, attack {:+.1f} dB, {:+.2f} ms{}  {}\n",
                                       score.score, score.fillDb, score.attackDb, score.shiftMs,
                                       score.isInverted ? " inverted" : "", sound.file.string());
            continue;
        }
        list.push_back(toJson(sound));
        list.back()["score"] = inHundredths(score.score);
        list.back()["fill_db"] = inHundredths(score.fillDb);
        list.back()["attack_db"] = inHundredths(score.attackDb);
        list.back()["low_clash"] = inHundredths(score.lowClash);
        list.back()["gain_db"] = inHundredths(score.gainDb);
        list.back()["shift_ms"] = std::round(1000 * score.shiftMs) / 1000;
        list.back()["inverted"] = score.isInverted;
        list.back()["same_sound"] = score.isCopy;
    }
    if (o.json)
        printJson(streams.out, {{"of", o.sound}, {"sounds", std::move(list)}});
    return kDone;
}

int bass(Streams& streams, const ShelfOptions& o) {
    const auto shelf = openShelf(o);
    if (!shelf)
        return fail(streams, shelf.error());
    const auto s = openSession(streams, o.sound);
    if (!s)
        return fail(streams, s.error());
    session::Id kick = session::kNoId;
    if (!o.kick.empty()) {
        const auto owner = session::findOwner(*s, o.kick);
        if (!owner)
            return fail(streams, {ErrorCode::NotFound, fmt::format("There is no element \"{}\".", o.kick)});
        kick = *owner;
    }
    const auto found = findHits(streams, *s, o.sound);
    if (!found)
        return fail(streams, found.error());
    const auto question = project::bassQuestion(*s, o.sound, *found->analysis, kick, streams.cancel);
    if (!question)
        return fail(streams, question.error());
    const auto kicks =
        layers::kicksOnBass(*shelf, question->bassSound, question->strikesS, question->kickDb,
                            s->sampleRateHz, streams.cancel, progressTo(streams, "Adding kicks"));
    if (!kicks)
        return fail(streams, kicks.error());
    Json list = Json::array();
    for (std::size_t i = 0; i < std::min(kicks->size(), static_cast<std::size_t>(o.most)); ++i) {
        const auto& [sound, on, gainDb] = (*kicks)[i];
        if (!o.json) {
            streams.out << fmt::format("{:5.1f}  lows {:+.1f} dB, beating {:.1f} dB, room {:.1f} dB{}  {}\n",
                                       on.score, on.lowGainDb, on.beatingDb, on.roomDb,
                                       on.isInverted ? ", inverted" : "", sound.file.string());
            continue;
        }
        list.push_back(toJson(sound));
        list.back()["score"] = inHundredths(on.score);
        list.back()["low_gain_db"] = inHundredths(on.lowGainDb);
        list.back()["beating_db"] = inHundredths(on.beatingDb);
        list.back()["room_db"] = inHundredths(on.roomDb);
        list.back()["gain_db"] = inHundredths(gainDb);
        list.back()["inverted"] = on.isInverted;
    }
    if (o.json)
        printJson(
            streams.out,
            {{"kick", s->nameOf(question->kick)}, {"bass", s->nameOf(question->bass)}, {"sounds", list}});
    else if (kicks->empty())
        streams.out << "There are no kicks on the shelf.\n";
    return kDone;
}

int duplicates(Streams& streams, const ShelfOptions& o) {
    const auto shelf = openShelf(o);
    if (!shelf)
        return fail(streams, shelf.error());
    const auto groups = shelf->duplicates();
    if (!groups)
        return fail(streams, groups.error());
    Json list = Json::array();
    for (const auto& group : *groups) {
        Json files = Json::array();
        for (const auto& file : group)
            files.push_back(file.string());
        if (!o.json)
            for (std::size_t i = 0; i < group.size(); ++i)
                streams.out << (i == 0 ? "" : "  = ") << group[i].string() << '\n';
        list.push_back(std::move(files));
    }
    if (o.json)
        printJson(streams.out, {{"duplicates", std::move(list)}});
    else if (groups->empty())
        streams.out << "No two files on the shelf are the same.\n";
    return kDone;
}

} // namespace

void addShelfCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command =
        app.add_subcommand("shelf", "One-shots of whole folders: indexed once, searched, compared");
    command->require_subcommand(1);
    const auto o = std::make_shared<ShelfOptions>();
    const auto add = [&](const char* name, const char* help, int (*run)(Streams&, const ShelfOptions&)) {
        auto* sub = command->add_subcommand(name, help);
        sub->add_option("--shelf", o->file, "The shelf's file (default: the user's own)");
        sub->add_flag("--json", o->json, "JSON on standard output");
        sub->callback([&streams, &exitCode, o, run] { exitCode = run(streams, *o); });
        return sub;
    };
    add("index", "Measures what is new or changed in folders", indexFolders)
        ->add_option("FOLDERS", o->folders, "Folders of one-shots")
        ->required();
    auto* find = add("search", "Sounds by words, role and numbers", search);
    find->add_option("WORDS", o->words, "All of them, in the path of the file");
    find->add_option("--role", o->role, "kick_in, snare_top, closed_hat ...");
    for (const auto& number : layers::shelfNumbers()) {
        std::string name(number.name);
        std::replace(name.begin(), name.end(), '_', '-');
        find->add_option("--" + name, o->ranges[std::string(number.name)],
                         number.unit.empty() ? "From, to" : fmt::format("From, to, {}", number.unit))
            ->expected(2);
    }
    find->add_option("--sort", o->sortBy, "By this number, the least first (default: by path)");
    auto* onBass = add("bass", "Kicks by what they do on the bass of a session", bass);
    onBass->add_option("SESSION", o->sound, "Session folder")->required();
    onBass->add_option("--kick", o->kick, "Whose hits strike them (default: the first kick)");
    onBass->add_option("--most", o->most, "At most so many");
    auto* likeness = add("like", "Sounds that are most like one", like);
    auto* partner = add("complement", "Sounds that are strong where one is weak, by their sum", complement);
    for (auto* sub : {likeness, partner})
        sub->add_option("FILE", o->sound, "A one-shot, on the shelf or not")->required();
    partner->add_option("--measured", o->measured, "How many are heard together with it")
        ->check(CLI::Range(1, 1000000));
    for (auto* sub : {find, likeness, partner})
        sub->add_option("--most", o->most, "How many are told")->check(CLI::Range(1, 1000000));
    add("duplicates", "Files of the same content", duplicates);
}

} // namespace cask::cli
