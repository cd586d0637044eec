#include "core/dsp/dynamic_lanes.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace cask::dsp {
namespace {

constexpr double kDbPerOctaveOfPower = 3.010299956639812; // 10 log10(2)
/// Nearer to its goal than this a band is there.
constexpr double kAtRestDb = 1e-3;

/// For lanes without a band.
constexpr std::array<DynamicStep, 2> kPassing{};

float factorOf(double ms, double sampleRateHz) noexcept {
    return static_cast<float>(1 - std::exp(-1 / (0.001 * ms * sampleRateHz)));
}

/// The section of a lane as it sounds now.
DynamicStep sectionNow(const DynamicBank& bank, int lane) noexcept {
    const float place = bank.moved[lane] * bank.lastStep[lane];
    const int i = std::min(static_cast<int>(place), static_cast<int>(bank.lastStep[lane]) - 1);
    const DynamicStep* steps = bank.steps[static_cast<std::size_t>(lane)] + i;
    const float t = bank.glideLeft[lane] * bank.glideShare[lane];
    const float share = t * t * (3 - 2 * t);
    const auto value = [&](float DynamicStep::*v, const LaneFloats& gap) {
        return std::lerp(steps[0].*v, steps[1].*v, place - static_cast<float>(i)) + share * gap[lane];
    };
    DynamicStep now{value(&DynamicStep::g, bank.gapG), value(&DynamicStep::k, bank.gapK),
                    value(&DynamicStep::n0, bank.gapN0), value(&DynamicStep::m1, bank.gapM1),
                    value(&DynamicStep::m2, bank.gapM2)};
    if (share > 0) {
        now.g = std::max(now.g, 0.5F * bank.leastG[lane]);
        now.k = std::max(now.k, 0.5F * bank.leastK[lane]);
    }
    return now;
}

/// What a row remembers of a lane.
constexpr std::array kStates{&DynamicBank::first1,  &DynamicBank::first2, &DynamicBank::second1,
                             &DynamicBank::second2, &DynamicBank::moved,  &DynamicBank::movedRest,
                             &DynamicBank::s1,      &DynamicBank::s2,     &DynamicBank::glideLeft};
/// What says how it sounds now.
constexpr std::array kSounds{&DynamicBank::lastStep, &DynamicBank::gapG,   &DynamicBank::gapK,
                             &DynamicBank::gapN0,    &DynamicBank::gapM1,  &DynamicBank::gapM2,
                             &DynamicBank::leastG,   &DynamicBank::leastK, &DynamicBank::glideShare};

} // namespace

void DynamicLanes::place(int lane, int lanes, const Settings& designs, bool isOn, int waitFrames) {
    while (m_rows.size() < designs.size()) {
        DynamicBank& bank = m_rows.emplace_back().bank;
        bank.steps.fill(kPassing.data());
        bank.lastStep.v.fill(1);
        bank.own.v.fill(1);
        bank.window.cellFrames = BandLevel::kCell;
    }
    for (int l = lane; l < lane + lanes; ++l) {
        m_lanes[static_cast<std::size_t>(l)] = l == lane ? lanes : 0;
        m_waits[static_cast<std::size_t>(l)] = waitFrames;
        for (std::size_t i = 0; i < designs.size(); ++i) {
            const EqBand& band = designs[i].band;
            Row& row = m_rows[i];
            row.places[static_cast<std::size_t>(l)] = {band.id, band.isKeyed};
            row.hasKeys = row.hasKeys || band.isKeyed;
            m_hasKeys = m_hasKeys || band.isKeyed;
            const bool isPart = lanes == 2 && band.part != StereoPart::Both;
            row.bank.own[l] = isPart ? 0.5F : 1.0F;
            row.bank.partner[l] = !isPart ? 0.0F : band.part == StereoPart::Middle ? 0.5F : -0.5F;
            row.bank.link[l] = lanes == 2 && !isPart ? 1.0F : 0.0F;
            row.bank.isBell[l] = band.kind == FilterKind::Bell ? 1.0F : 0.0F;
            row.bank.hasParts = row.bank.hasParts || isPart;
            row.bank.hasPairs = row.bank.hasPairs || lanes == 2;
            row.bank.hasBells = row.bank.hasBells || band.kind == FilterKind::Bell;
            row.bank.hasShelves = row.bank.hasShelves || band.kind != FilterKind::Bell;
        }
    }
    set(lane, designs, isOn, 0);
}

void DynamicLanes::prepare() {
    m_delay.prepare(m_waits);
    for (Row& row : m_rows)
        row.bank.window.prepare(
            row.bank.hasShelves ? 1 + BandLevel::cellsOf({0, FilterKind::LowShelf}, m_rateHz) : 1);
    reset();
}

void DynamicLanes::setBand(Row& row, int lane, const DynamicBandDesign& design, int glideFrames) noexcept {
    DynamicBank& bank = row.bank;
    const DynamicStep old = sectionNow(bank, lane);
    const EqBand& band = design.band;
    const SvfCoefficients& c = design.detector;
    const auto damping = 1 / (1 + c.g * (c.g + c.k));
    const auto put = [lane](LaneFloats& values, double v) { values[lane] = static_cast<float>(v); };
    put(bank.c1, -2 * c.g * damping * (c.g + c.k));
    put(bank.c2, 2 * c.g * damping);
    put(bank.c3, 2 * c.g * c.g * damping);
    const bool isBell = band.kind == FilterKind::Bell;
    const bool isHigh = band.kind == FilterKind::HighShelf;
    put(bank.fromX, isHigh ? 1 : 0);
    put(bank.fromBand, isBell ? c.k : isHigh ? -c.k : 0);
    put(bank.fromLow, isBell ? 0 : isHigh ? -1 : 1);
    put(bank.power, c.k * c.k);
    bank.window.setCells(lane, isBell ? 1 : 1 + BandLevel::cellsOf(band, m_rateHz));

    const bool isAbove = band.dynamics == Dynamics::Above;
    const double share = band.rangeDb == 0 ? 0 : (isAbove ? 1 : -1) / std::abs(band.rangeDb);
    put(bank.scale, kDbPerOctaveOfPower * share);
    put(bank.shift, -band.thresholdDb * share);
    const float attack = factorOf(band.attackMs, m_rateHz);
    const float release = factorOf(band.releaseMs, m_rateHz);
    bank.rise[lane] = isAbove ? attack : release;
    bank.fall[lane] = isAbove ? release : attack;
    put(bank.atRest, band.rangeDb == 0 ? 2 : kAtRestDb / std::abs(band.rangeDb));
    bank.steps[static_cast<std::size_t>(lane)] = design.steps.data();
    put(bank.lastStep, static_cast<double>(design.steps.size()) - 1);

    Place& place = row.places[static_cast<std::size_t>(lane)];
    if (const auto rangeDb = static_cast<float>(band.rangeDb); rangeDb != place.rangeDb) {
        // It goes on from as many dB as it is moved by.
        const float movedDb = bank.moved[lane] * place.rangeDb;
        place.rangeDb = rangeDb;
        bank.moved[lane] = rangeDb == 0 ? 0.0F : std::clamp(movedDb / rangeDb, 0.0F, 1.0F);
        bank.movedRest[lane] = 0;
    }
    bank.glideLeft[lane] = 0;
    const DynamicStep now = sectionNow(bank, lane);
    bank.gapG[lane] = old.g - now.g;
    bank.gapK[lane] = old.k - now.k;
    bank.gapN0[lane] = old.n0 - now.n0;
    bank.gapM1[lane] = old.m1 - now.m1;
    bank.gapM2[lane] = old.m2 - now.m2;
    bank.leastG[lane] = old.g;
    bank.leastK[lane] = old.k;
    bank.glideLeft[lane] = static_cast<float>(glideFrames);
    bank.glideShare[lane] = 1.0F / static_cast<float>(std::max(1, glideFrames));
    bank.isGliding = bank.isGliding || glideFrames > 0;
}

void DynamicLanes::set(int lane, const Settings& designs, bool /*isOn*/, int glideFrames) noexcept {
    for (std::size_t i = 0; i < designs.size(); ++i)
        for (int l = lane; l < lane + m_lanes[static_cast<std::size_t>(lane)]; ++l)
            setBand(m_rows[i], l, designs[i], glideFrames);
}

void DynamicLanes::reset() noexcept {
    for (Row& row : m_rows) {
        for (const auto state : kStates)
            row.bank.*state = {};
        row.bank.isGliding = false;
        row.bank.window.reset();
    }
    m_delay.reset();
}

void DynamicLanes::copyLanes(int lane, const DynamicLanes& from, int fromLane, int lanes) noexcept {
    for (int l = lane, f = fromLane; l < lane + lanes; ++l, ++f) {
        m_delay.copyLane(l, from.m_delay, f);
        for (Row& row : m_rows)
            for (const Row& theirs : from.m_rows) {
                Place& place = row.places[static_cast<std::size_t>(l)];
                const Place& other = theirs.places[static_cast<std::size_t>(f)];
                if (place.band == 0 || place.band != other.band)
                    continue;
                for (const auto state : kStates)
                    (row.bank.*state)[l] = (theirs.bank.*state)[f];
                for (const auto sound : kSounds)
                    (row.bank.*sound)[l] = (theirs.bank.*sound)[f];
                row.bank.steps[static_cast<std::size_t>(l)] = theirs.bank.steps[static_cast<std::size_t>(f)];
                if (row.bank.hasShelves && theirs.bank.hasShelves)
                    row.bank.window.copyLane(l, theirs.bank.window, f);
                place.rangeDb = other.rangeDb;
            }
    }
}

void DynamicLanes::processWith(const Kernels& k, const float* heard, float* io, int frames) noexcept {
    if (m_delay.tapCount > 0)
        k.delay(m_delay, io, frames);
    for (int done = 0; done < frames; done += DynamicBank::kPiece) {
        const int n = std::min(frames - done, DynamicBank::kPiece);
        const std::ptrdiff_t at = static_cast<std::ptrdiff_t>(done) * kLanes;
        const float* own = io + at;
        if (m_rows.size() > 1 || m_hasKeys) {
            std::copy_n(own, n * kLanes, m_own.data());
            own = m_own.data();
        }
        for (Row& row : m_rows) {
            const float* hears = own;
            if (row.hasKeys) {
                std::copy_n(own, n * kLanes, m_keyed.data());
                for (int lane = 0; lane < kLanes; ++lane)
                    for (int i = lane; row.places[static_cast<std::size_t>(lane)].isKeyed && i < n * kLanes;
                         i += kLanes)
                        m_keyed[static_cast<std::size_t>(i)] = heard[at + i];
                hears = m_keyed.data();
            }
            k.moveBands(row.bank, hears, io + at, n);
        }
    }
}

float DynamicLanes::movedDb(int band) const noexcept {
    for (const Row& row : m_rows)
        for (int lane = 0; lane < kLanes; ++lane)
            if (const Place& place = row.places[static_cast<std::size_t>(lane)]; place.band == band)
                return row.bank.moved[lane] * place.rangeDb;
    return 0;
}

} // namespace cask::dsp
