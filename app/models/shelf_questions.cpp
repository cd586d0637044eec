// What the shelf is asked, and what it answers.
#include "app/models/priorities.h"
#include "app/models/shelf_model.h"
#include "app/theme/theme.h"
#include "core/base/hash.h"
#include "core/layers/one_shot.h"
#include "core/project/bass_question.h"
#include "core/project/offline_sources.h"

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr int kTypingMs = 80;
constexpr int kComplementsMeasured = 100;
constexpr int kMostLike = 200;

QString nameOf(const std::filesystem::path& sound) {
    return QString::fromStdString(sound.stem().string());
}

QString whyOf(const layers::PairScore& score) {
    return ShelfModel::tr("fills %1 dB, attack %2 dB%3")
        .arg(dbText(score.fillDb), signedDb(score.attackDb),
             score.lowClash >= 0.1 ? ShelfModel::tr(", two low ends") : QString());
}

} // namespace

void ShelfModel::search(const layers::ShelfQuery& query) {
    m_question = Question::Search;
    m_subject.clear();
    m_query = query;
    m_query.most = kMostRows;
    m_askTimer.start(kTypingMs);
}

void ShelfModel::askLike(const std::filesystem::path& sound) {
    m_question = Question::Like;
    m_about = sound;
    m_moment.reset();
    m_subject = tr("like %1").arg(nameOf(sound));
    m_askTimer.start(0);
}

void ShelfModel::askLikeMoment() {
    constexpr double kLongestS = 4;
    const Id element = m_desk.document.selected();
    const auto hits = m_desk.hits.selectedStretchesS();
    if (m_desk.document.session().element(element) == nullptr)
        return;
    if (!hits.empty())
        m_moment = hits.front();
    else if (m_desk.playback.hasLoop())
        m_moment = std::pair(m_desk.playback.loopStartS(), m_desk.playback.loopEndS());
    else {
        m_status = tr("Choose a hit on the strip, or loop a moment, and ask again.");
        emit progressChanged();
        return;
    }
    m_moment->second = std::min(m_moment->second, m_moment->first + kLongestS);
    m_question = Question::Like;
    m_subject = tr("like %1 at %2 s")
                    .arg(QString::fromStdString(m_desk.document.session().nameOf(element)),
                         QString::number(m_moment->first, 'f', 2));
    m_askTimer.start(0);
}

void ShelfModel::askComplement(const std::filesystem::path& sound) {
    m_question = Question::Complement;
    m_about = sound;
    m_moment.reset();
    m_subject = tr("what complements %1").arg(nameOf(sound));
    m_askTimer.start(0);
}

void ShelfModel::askOnBass() {
    m_question = Question::OnBass;
    m_moment.reset();
    m_subject = tr("kicks on the bass");
    m_askTimer.start(0);
}

namespace {

/// Looks at a stretch of an element as a sound that is struck once.
Result<measure::SoundLook> lookAtMoment(const session::Session& s, const std::filesystem::path& folder,
                                        Id element, std::pair<double, double> moment,
                                        const CancelToken& cancel) {
    const auto* e = s.element(element);
    const auto sources = project::openOfflineSources(s, folder, cancel);
    if (!sources)
        return sources.error();
    measure::Sound sound;
    for (const auto& channel : e->channels) {
        const auto found = sources->sources.find(channel.file);
        if (found == sources->sources.end() || found->second == nullptr)
            continue;
        sound.emplace_back(
            static_cast<std::size_t>(secondsToFrames(moment.second - moment.first, s.sampleRateHz)));
        (void)found->second->read(
            channel.channel, secondsToFrames(moment.first, s.sampleRateHz) - e->startFrame, sound.back());
    }
    auto look = sound.empty() ? std::nullopt : measure::lookOf(sound, s.sampleRateHz);
    if (!look)
        return Error{ErrorCode::Empty, "There is nothing to hear at that moment; nothing is like it."};
    return *look;
}

Result<std::vector<ShelfModel::Row>> likeRows(const layers::Shelf& shelf, const measure::SoundLook& look,
                                              const std::string& hash) {
    const auto answers = shelf.like(look, kMostLike, hash);
    if (!answers)
        return answers.error();
    std::vector<ShelfModel::Row> rows;
    for (const auto& answer : *answers)
        rows.push_back({answer.sound, QString::number(answer.unlikeness, 'f', 1)});
    return rows;
}

Result<std::vector<ShelfModel::Row>> likeFile(const layers::Shelf& shelf, const std::filesystem::path& file) {
    const auto shot = layers::readOneShot(file);
    if (!shot)
        return shot.error();
    const auto look = measure::lookOf(shot->sound, shot->rateHz);
    if (!look)
        return Error{ErrorCode::Empty, file.string() + " is silent; nothing is like it."};
    const auto hash = hashFile(file);
    return likeRows(shelf, *look, hash ? *hash : std::string());
}

Result<std::vector<ShelfModel::Row>> bassRows(const layers::Shelf& shelf, const session::Session& s,
                                              const std::filesystem::path& folder,
                                              const kit::HitAnalysis* analysis, Id selected,
                                              const CancelToken& cancel) {
    if (analysis == nullptr)
        return Error{ErrorCode::Empty, "The hits of this session are not known yet; nothing was ranked."};
    const auto* e = s.element(selected);
    const auto question = project::bassQuestion(
        s, folder, *analysis, e != nullptr && isKick(e->role) ? selected : session::kNoId, cancel);
    if (!question)
        return question.error();
    const auto kicks = layers::kicksOnBass(shelf, question->bassSound, question->strikesS, question->kickDb,
                                           s.sampleRateHz, cancel);
    if (!kicks)
        return kicks.error();
    std::vector<ShelfModel::Row> rows;
    for (const auto& kick : *kicks)
        rows.push_back(
            ShelfModel::Row{kick.sound, ShelfModel::tr("lows %1 dB, beats %2 dB")
                                            .arg(signedDb(kick.on.lowGainDb), dbText(kick.on.beatingDb))});
    return rows;
}

} // namespace

void ShelfModel::ask() {
    m_cancelAsk.cancel();
    m_cancelAsk = CancelToken();
    m_isAsking = true;
    const int generation = ++m_askGeneration;
    emit progressChanged();
    m_jobs.post(
        [this, generation, file = m_file, question = m_question, query = m_query, about = m_about,
         moment = m_moment, snapshot = m_desk.document.snapshot(), folder = m_desk.document.folder(),
         element = m_desk.document.selected(), analysis = m_desk.hits.shared(), cancel = m_cancelAsk] {
            Asked asked;
            const auto answer = [&]() -> Result<std::vector<Row>> {
                auto shelf = layers::Shelf::open(file);
                if (!shelf)
                    return shelf.error();
                std::vector<Row> rows;
                if (question == Question::Search) {
                    auto sounds = shelf->search(query);
                    if (!sounds)
                        return sounds.error();
                    for (auto& sound : *sounds)
                        rows.push_back({std::move(sound), {}});
                    return rows;
                }
                if (question == Question::Like) {
                    if (!moment)
                        return likeFile(*shelf, about);
                    const auto look = lookAtMoment(*snapshot, folder, element, *moment, cancel);
                    return look ? likeRows(*shelf, *look, {}) : look.error();
                }
                if (question == Question::OnBass)
                    return bassRows(*shelf, *snapshot, folder, analysis.get(), element, cancel);
                auto partners = layers::partnersOf(*shelf, about, kComplementsMeasured, cancel);
                if (!partners)
                    return partners.error();
                for (auto& partner : *partners)
                    rows.push_back({std::move(partner.sound), whyOf(partner.score)});
                return rows;
            }();
            if (answer)
                asked.rows = *answer;
            else
                asked.problem = QString::fromStdString(answer.error().message);
            QMetaObject::invokeMethod(
                this, [this, generation, asked = std::move(asked)] { take(generation, asked); },
                Qt::QueuedConnection);
        },
        kPairPriority);
}

void ShelfModel::take(int generation, Asked asked) {
    if (generation != m_askGeneration)
        return;
    m_isAsking = false;
    m_rows = std::move(asked.rows);
    if (!asked.problem.isEmpty())
        m_status = asked.problem;
    emit rowsChanged();
    emit progressChanged();
}

} // namespace cask::app
