#include "core/kit_measures/densify.h"

#include "core/dsp/drive_curve.h"
#include "core/graph/offline_render.h"
#include "core/kit_measures/path_sound.h"
#include "core/measure/drive/drive_change.h"
#include "core/measure/statistics.h"
#include "core/session/edits.h"
#include "core/session/parallel_path.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

namespace cask::kit {

using session::Id;
using session::Session;

namespace {

constexpr double kDensifyS = 20;
constexpr int kMostHalvings = 9;
constexpr double kMostDriveDb = 36;
constexpr double kBentFromDb = -6; // peaks of elements are thought to stand there, so that all are bent alike
constexpr double kCrushUnderDb = 24; // threshold of the path's compressor under the accents
constexpr double kCrushDriveDb = 12;

bool isShellRole(Role role) {
    return roleInfo(role).group == RoleGroup::Shells;
}

/// What is searched: sounds of the bus with its paths, as the shells' hits part them.
class Search {
  public:
    Search(const Session& s, Id bus, double byDb, const HitAnalysis& hits, const graph::SourceLookup& sources,
           const advise::HouseStyle& style, const CancelToken& cancel)
        : m_session(s), m_bus(bus), m_byDb(byDb), m_hits(hits), m_sources(sources), m_style(style),
          m_cancel(cancel) {
        const Frames length = s.lengthFrames();
        m_frames = std::min(length, secondsToFrames(kDensifyS, s.sampleRateHz));
        m_from = (length - m_frames) / 2;
    }

    /// How the bus sounds now; an error of the render.
    Status begin() {
        auto sound = heard(m_session);
        if (!sound)
            return sound.error();
        m_before.rateHz = m_session.sampleRateHz;
        m_before.startS = framesToSeconds(m_from, m_session.sampleRateHz);
        m_before.sound = std::move(*sound);
        for (const auto& stroke : m_hits.hits.strokes)
            m_before.hits.push_back(
                {stroke.timeS, isShellRole(m_hits.hits.kit.drums[static_cast<std::size_t>(stroke.drum)].role),
                 stroke.hitClass, stroke.drum, stroke.levelDb});
        std::stable_sort(m_before.hits.begin(), m_before.hits.end(),
                         [](const auto& a, const auto& b) { return a.timeS < b.timeS; });
        m_densityBefore = measure::densityOf(m_before.sound, m_before.rateHz).densityDb();
        return Done{};
    }

    DenseWay asItIs() const { return wayOf(DenseApproach::None, m_session, m_before.sound, 0); }

    std::optional<DenseWay> onBus() const {
        return cheaper(DenseApproach::Bus, [&](double driveDb, bool spares) {
            Session s = m_session;
            session::addModule(s, m_bus, saturation(driveDb, spares));
            return s;
        });
    }

    std::optional<DenseWay> onElements() const {
        const auto shells = shellElements();
        if (shells.empty())
            return std::nullopt;
        return cheaper(DenseApproach::Elements, [&](double driveDb, bool spares) {
            Session s = m_session;
            for (const auto& [element, peakDb] : shells) {
                auto bent = saturation(std::clamp(driveDb + kBentFromDb - peakDb, 0.0, kMostDriveDb), spares);
                bent.outputDb = std::round(10 * lostDb(bent, peakDb)) / 10;
                session::addModule(s, element, bent);
            }
            return s;
        });
    }

    std::optional<DenseWay> byPath() const {
        for (const Id beside : session::pathsOf(m_session, m_bus))
            if (m_session.bus(beside)->path->isEqualGain)
                return std::nullopt; // one for each sound
        Session s = m_session;
        const auto path = session::addPath(s, freeName(s), m_bus);
        if (!path)
            return std::nullopt;
        const auto raw = pathSound(s, *path, m_sources, m_from, m_frames, m_cancel);
        if (!raw)
            return std::nullopt;
        // So far under the peaks of what comes that all hits are held down.
        const double peakDb = measure::densityOf(raw->wet, s.sampleRateHz).peakDb;
        dsp::CompressorSettings crush;
        crush.thresholdDb = std::clamp(std::round(peakDb - kCrushUnderDb), -80.0, -3.0);
        crush.ratio = 20;
        crush.attackMs = 1;
        crush.releaseMs = 90;
        crush.kneeDb = 3;
        crush.lookAheadMs = 2;
        crush.makeupDb = 12;
        session::addModule(s, *path, crush);
        session::addModule(s, *path, saturation(kCrushDriveDb, true));
        const auto sound = pathSound(s, *path, m_sources, m_from, m_frames, m_cancel);
        // Equal gain is of the whole take, not of the stretch whose density is looked at.
        const auto match =
            sound ? measurePathMatch(s, *path, m_sources, m_cancel) : Result<PathMatch>(sound.error());
        if (!match)
            return std::nullopt;
        auto equal = session::withEqualGain(std::move(s), *path, match->matchDb, match->likeness);
        if (!equal)
            return std::nullopt;
        const auto at = [&](double percent) {
            return session::withBus(*equal, *path, [&](session::Bus& b) { b.path->blendPercent = percent; });
        };
        // Both sounds are known: no blend is rendered.
        const auto blended = [&](double percent) {
            auto gains = *at(percent).bus(*path)->path;
            const auto g = session::blendGains(gains, dbToLinear(equal->bus(*path)->out.levelDb));
            measure::Sound sum = sound->dry;
            for (std::size_t c = 0; c < sum.size(); ++c)
                for (std::size_t n = 0; n < sum[c].size(); ++n)
                    sum[c][n] = static_cast<float>(g.dry * sound->dry[c][n] + g.wet * sound->wet[c][n]);
            return sum;
        };
        const double percent = halved(0, 100, blended);
        auto way = wayOf(DenseApproach::Path, at(percent), blended(percent), percent);
        way.sparesCymbals = true;
        return way;
    }

  private:
    static dsp::SaturationSettings saturation(double driveDb, bool spares) {
        dsp::SaturationSettings s;
        s.driveDb = std::round(10 * driveDb) / 10;
        if (spares) {
            s.band = dsp::GateReach::Below;
            s.toHz = measure::DriveChange::kCymbalsHz;
        }
        return s;
    }

    /// What a curve takes off a drum's loudness, so that the balance of the kit stays: off the power of a
    /// wave that falls from its peak by 60 dB, evenly in dB.
    static double lostDb(const dsp::SaturationSettings& settings, double peakDb) {
        constexpr int kLevels = 120;
        constexpr int kPhases = 24;
        double before = 0;
        double after = 0;
        for (int level = 0; level < kLevels; ++level)
            for (int phase = 0; phase < kPhases; ++phase) {
                const double x =
                    dbToLinear(peakDb - 60.0 * level / kLevels) * std::sin(kPi * (phase + 0.5) / kPhases);
                before += x * x;
                after += std::pow(dsp::driveCurve(settings, x), 2);
            }
        return std::clamp(10 * std::log10(before / after), 0.0, 24.0);
    }

    /// The bus and the paths beside it, at their levels.
    [[nodiscard]] Result<measure::Sound> heard(const Session& session) const {
        Session s = session;
        for (auto& item : s.elements)
            item.edit([](session::Element& e) { e.out.isAlone = false; });
        for (auto& item : s.buses)
            item.edit([](session::Bus& b) { b.out.isAlone = false; });
        graph::RenderOptions options;
        options.stems = {m_bus};
        for (const Id path : session::pathsOf(s, m_bus))
            options.stems.push_back(path);
        options.from = m_from;
        options.frames = m_frames;
        options.threads = 1;
        measure::Sound sum(2, std::vector<float>(static_cast<std::size_t>(m_frames), 0.0F));
        std::vector<std::size_t> at(options.stems.size() + 1, 0);
        const auto status = graph::renderOffline(
            s, m_sources, options,
            [&](int track, std::span<const float> block) -> Status {
                std::size_t& from = at[static_cast<std::size_t>(track)];
                for (std::size_t n = 0; track > 0 && n < block.size() / 2 && from + n < sum[0].size(); ++n)
                    for (std::size_t c = 0; c < 2; ++c)
                        sum[c][from + n] += block[2 * n + c];
                from += block.size() / 2;
                return Done{};
            },
            m_cancel);
        if (!status)
            return status.error();
        return sum;
    }

    [[nodiscard]] double denserOf(const measure::Sound& sound) const {
        return measure::densityOf(sound, m_session.sampleRateHz).densityDb() - m_densityBefore;
    }

    /// The least amount at which what `soundAt` gives is as dense as wanted, as near as halving comes.
    template <class SoundAt>
    [[nodiscard]] double halved(double low, double high, const SoundAt& soundAt) const {
        for (int i = 0; i < kMostHalvings && !m_cancel.isCancelled(); ++i) {
            const double middle = (low + high) / 2;
            const double denser = denserOf(soundAt(middle));
            if (std::abs(denser - m_byDb) < kDenseToleranceDb / 3)
                return middle;
            (denser < m_byDb ? low : high) = middle;
        }
        return (low + high) / 2;
    }

    DenseWay wayOf(DenseApproach approach, Session s, const measure::Sound& sound, double amount) const {
        DenseWay way;
        way.approach = approach;
        way.session = std::move(s);
        way.amount = amount;
        const auto change = measure::measureDrive(m_before, sound, 0, m_cancel);
        way.denserDb = change.denserDb();
        way.isReached = std::abs(way.denserDb - m_byDb) <= kDenseToleranceDb;
        way.cymbalsDb = change.cymbalsDb.value_or(0);
        way.keptAttackDb = change.shapes.keptAttackDb;
        way.sustainDb = change.shapes.sustainDb;
        return way;
    }

    /// With all of the sound bent, and where that raises cymbals too much only the lows; the cheaper one.
    template <class With> std::optional<DenseWay> cheaper(DenseApproach approach, const With& with) const {
        std::optional<DenseWay> best;
        for (const bool spares : {false, true}) {
            const auto soundAt = [&](double driveDb) {
                auto sound = heard(with(driveDb, spares));
                return sound ? std::move(*sound) : measure::Sound();
            };
            const double drive = std::round(10 * halved(0, kMostDriveDb, soundAt)) / 10;
            if (m_cancel.isCancelled())
                return best;
            auto way = wayOf(approach, with(drive, spares), soundAt(drive), drive);
            way.sparesCymbals = spares;
            const bool isBetter = !best || (way.isReached && (!best->isReached || way.cost() < best->cost()));
            if (isBetter)
                best = std::move(way);
            if (best->isReached && best->cymbalsDb <= m_style.cymbalsRaisedDb)
                break;
        }
        return best;
    }

    /// Shells that feed the bus, with the level of their louder own hits behind their trims.
    [[nodiscard]] std::vector<std::pair<Id, double>> shellElements() const {
        std::vector<std::pair<Id, double>> shells;
        for (const Id id : session::feedersOf(m_session, m_bus)) {
            const auto& e = *m_session.element(id);
            const int input = m_hits.inputOf(id);
            if (!isShellRole(e.role) || input < 0 || e.out.isMuted)
                continue;
            std::vector<double> levels;
            for (const auto& hit : m_hits.hits.heard)
                if (hit.input == input && hit.isOwn)
                    levels.push_back(hit.levelDb);
            if (!levels.empty())
                shells.emplace_back(id, measure::quantile(levels, 0.8) + e.input.trimDb);
        }
        return shells;
    }

    static std::string freeName(const Session& s) {
        const auto isTaken = [&](const std::string& name) {
            const auto has = [&](const auto& owner) { return owner->name == name; };
            return std::any_of(s.buses.begin(), s.buses.end(), has) ||
                   std::any_of(s.elements.begin(), s.elements.end(), has);
        };
        std::string name = "Crushed";
        for (int n = 2; isTaken(name); ++n)
            name = fmt::format("Crushed {}", n);
        return name;
    }

    const Session& m_session;
    Id m_bus;
    double m_byDb;
    const HitAnalysis& m_hits;
    const graph::SourceLookup& m_sources;
    const advise::HouseStyle& m_style;
    CancelToken m_cancel;
    Frames m_from = 0;
    Frames m_frames = 0;
    measure::HitMaterial m_before;
    double m_densityBefore = 0;
};

} // namespace

Result<std::vector<DenseWay>> densify(const Session& s, Id bus, double byDb, const HitAnalysis& hits,
                                      const graph::SourceLookup& sources, const advise::HouseStyle& style,
                                      const CancelToken& cancel, const ProgressFn& progress) {
    const auto* node = s.bus(bus);
    if (node == nullptr || node->isMaster || node->path)
        return Error{ErrorCode::BadValue, "Choose a bus that is neither the master nor a parallel path."};
    Search search(s, bus, byDb, hits, sources, style, cancel);
    if (const auto status = search.begin(); !status)
        return status.error();
    std::vector<DenseWay> ways;
    const auto take = [&](std::optional<DenseWay> way, double done) {
        if (way && !cancel.isCancelled())
            ways.push_back(std::move(*way));
        if (progress)
            progress(done);
    };
    take(search.onBus(), 0.4);
    take(search.onElements(), 0.8);
    take(search.byPath(), 1);
    take(search.asItIs(), 1);
    if (cancel.isCancelled())
        return Error{ErrorCode::Cancelled, "The search was stopped."};
    std::stable_sort(ways.begin(), ways.end(), [&](const DenseWay& a, const DenseWay& b) {
        const auto rank = [&](const DenseWay& way) {
            return std::tuple(!way.isReached, way.cymbalsDb > style.cymbalsRaisedDb, way.cost());
        };
        return rank(a) < rank(b);
    });
    return ways;
}

std::string inWords(const DenseWay& way, const Session& s, Id bus) {
    const auto name = s.nameOf(bus);
    const char* part = way.sparesCymbals ? " below 5 kHz" : "";
    switch (way.approach) {
    case DenseApproach::Bus:
        return fmt::format("{}: saturation of {:.1f} dB{}", name, way.amount, part);
    case DenseApproach::Elements:
        return fmt::format("A little on every shell of {}, {:.1f} dB on one that peaks at -6 dBFS{}", name,
                           way.amount, part);
    case DenseApproach::None:
        return fmt::format("{} as it is", name);
    case DenseApproach::Path:
        break;
    }
    return fmt::format("A crushed path beside {}, blend {:.0f} %", name, way.amount);
}

} // namespace cask::kit
