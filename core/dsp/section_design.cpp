#include "core/dsp/section_design.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <limits>
#include <vector>

namespace cask::dsp {
namespace {

using Complex = std::complex<double>;
constexpr double kLeastTarget = 1e-9; // -90 dB: below that the fit has nothing to follow
constexpr int kIterations = 6;

/// Polynomial in y = sin^2(w/2) / scale.
struct Quadratic {
    double c0 = 0;
    double c1 = 0;
    double c2 = 0;
    [[nodiscard]] double at(double y) const { return c0 + y * (c1 + y * c2); }
};

struct Fit {
    Quadratic numerator;
    Quadratic denominator;
};

struct Grid {
    std::vector<double> hz;
    std::vector<double> y;
    std::vector<double> target;
    double scale = 1; // sin^2(w/2) at y = 1
};

double sinSquared(double hz, double rate) {
    const double s = std::sin(kPi * hz / rate);
    return s * s;
}

Grid makeGrid(const AnalogueSection& p, double rate) {
    const double top = 0.406 * rate;
    Grid grid;
    grid.scale = sinSquared(std::min(p.frequencyHz, 0.42 * rate), rate);
    const auto add = [&](double hz) {
        const double target = hz <= top ? p.magnitudeSquared(hz) : 0;
        if (target > kLeastTarget) {
            grid.hz.push_back(hz);
            grid.y.push_back(sinSquared(hz, rate) / grid.scale);
            grid.target.push_back(target);
        }
    };
    const double low = std::max(1.0, std::min(p.frequencyHz, top) / 50);
    for (int i = 0; i < 50; ++i)
        add(low * std::pow(top / low, i / 49.0));
    for (int i = 0; i < 31; ++i)
        add(p.frequencyHz * 0.6 * std::pow(1.6 / 0.6, i / 30.0));
    return grid;
}

/// |1 + a1/z + a2/z^2|^2 with the poles of the prototype mapped by z = exp(sT), as a quadratic scaled to 1 at
/// y = 0.
Quadratic poleStart(const AnalogueSection& p, double rate, double scale) {
    const double w = 2 * kPi * p.frequencyHz / rate;
    double a1 = 0;
    double a2 = 0;
    if (p.d[2] == 0) {
        a1 = -std::exp(-w * p.d[0] / p.d[1]);
    } else {
        const double half = p.d[1] / (2 * p.d[2]);
        const Complex root = std::sqrt(Complex(half * half - p.d[0] / p.d[2], 0));
        const Complex z1 = std::exp((-half + root) * w);
        const Complex z2 = std::exp((-half - root) * w);
        a1 = -(z1 + z2).real();
        a2 = (z1 * z2).real();
    }
    // cos w = 1 - 2x, cos 2w = 2 cos^2 w - 1
    const double dc = (1 + a1 + a2) * (1 + a1 + a2);
    const double c1 = -4 * (a1 + a1 * a2) - 16 * a2;
    const double c2 = 16 * a2;
    return {1, c1 * scale / dc, c2 * scale * scale / dc};
}

/// Least squares by Householder reflections, columns scaled. Rows are weighted already.
std::vector<double> leastSquares(std::vector<std::vector<double>> columns, std::vector<double> right) {
    const std::size_t n = columns.size();
    const std::size_t rows = right.size();
    std::vector<double> norm(n);
    for (std::size_t j = 0; j < n; ++j) {
        double sum = 0;
        for (const double v : columns[j])
            sum += v * v;
        norm[j] = sum > 0 ? std::sqrt(sum) : 1;
        for (double& v : columns[j])
            v /= norm[j];
    }
    std::vector<double> diagonal(n);
    for (std::size_t j = 0; j < n; ++j) {
        auto& pivot = columns[j];
        double sum = 0;
        for (std::size_t i = j; i < rows; ++i)
            sum += pivot[i] * pivot[i];
        const double alpha = pivot[j] > 0 ? -std::sqrt(sum) : std::sqrt(sum);
        diagonal[j] = alpha;
        pivot[j] -= alpha;
        const double scale = sum - alpha * (pivot[j] + alpha); // half of |v|^2
        const auto reflect = [&](std::vector<double>& v) {
            double dot = 0;
            for (std::size_t i = j; i < rows; ++i)
                dot += pivot[i] * v[i];
            if (scale != 0)
                for (std::size_t i = j; i < rows; ++i)
                    v[i] -= dot / scale * pivot[i];
        };
        for (std::size_t k = j + 1; k < n; ++k)
            reflect(columns[k]);
        reflect(right);
    }
    std::vector<double> x(n, 0);
    for (std::size_t j = n; j-- > 0;) {
        double value = right[j];
        for (std::size_t k = j + 1; k < n; ++k)
            value -= columns[k][j] * x[k];
        x[j] = std::abs(diagonal[j]) > 1e-14 ? value / diagonal[j] : 0;
    }
    for (std::size_t j = 0; j < n; ++j)
        x[j] /= norm[j];
    return x;
}

/// Which functions of y the numerator may use, as alternatives to be tried: zeros at 0 Hz and of notches are
/// exact.
std::vector<std::vector<Quadratic>> numeratorBases(const AnalogueSection& p, double rate) {
    const bool zeroAtDc = p.n[0] == 0;
    const bool first = p.d[2] == 0;
    if (p.n[1] == 0 && p.n[2] == p.n[0] && p.n[0] != 0 && p.frequencyHz < 0.42 * rate)
        return {{{1, -2, 1}}}; // (y - 1)^2: a zero pair on the unit circle at the notch
    if (zeroAtDc && first)
        return {{{0, 1, 0}}};
    if (zeroAtDc &&
        p.frequencyHz > rate / 8) // a high corner: one of the two zeros may leave 0 Hz if that fits better
        return {{{0, 0, 1}}, {{0, 1, 0}, {0, 0, 1}}};
    if (zeroAtDc)
        return {{{0, 0, 1}}};
    if (first)
        return {{{1, 0, 0}, {0, 1, 0}}};
    return {{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}};
}

bool isPositive(const Quadratic& q, double yTop) {
    const double extreme = q.c2 != 0 ? -q.c1 / (2 * q.c2) : -1;
    return q.c0 >= 0 && q.at(yTop) > 0 &&
           (extreme <= 0 || extreme >= yTop || q.at(extreme) > -1e-9 * std::abs(q.c0));
}

double worstError(const Fit& fit, const Grid& grid, double rate) {
    double worst = 0;
    for (std::size_t i = 0; i < grid.y.size(); ++i) {
        if (grid.hz[i] > 0.377 * rate)
            continue;
        const double ratio = fit.numerator.at(grid.y[i]) / fit.denominator.at(grid.y[i]) / grid.target[i];
        // The flanks of a notch count less the deeper they are.
        const double weight = std::min(1.0, grid.target[i] * 1e3);
        worst = std::max(worst, weight * std::abs(std::log(std::max(ratio, 1e-30))));
    }
    return worst;
}

struct RatedFit {
    Fit fit;
    double error = std::numeric_limits<double>::infinity();
};

void fitMagnitude(const AnalogueSection& p, double rate, const Grid& grid,
                  const std::vector<Quadratic>& basis, RatedFit& best) {
    const std::size_t rows = grid.y.size();
    const double yTop = 1 / grid.scale;
    const bool firstOrder = p.d[2] == 0;
    Quadratic denominator = poleStart(p, rate, grid.scale);
    for (int iteration = 0; iteration <= kIterations; ++iteration) {
        const bool freePoles = iteration > 0;
        std::vector<std::vector<double>> columns;
        for (const auto& b : basis) {
            auto& column = columns.emplace_back(rows);
            for (std::size_t i = 0; i < rows; ++i)
                column[i] = b.at(grid.y[i]) / (grid.target[i] * denominator.at(grid.y[i]));
        }
        for (int power = 1; freePoles && power <= (firstOrder ? 1 : 2); ++power) {
            auto& column = columns.emplace_back(rows);
            for (std::size_t i = 0; i < rows; ++i)
                column[i] = -std::pow(grid.y[i], power) / denominator.at(grid.y[i]);
        }
        std::vector<double> right(rows, 1.0);
        for (std::size_t i = 0; freePoles && i < rows; ++i)
            right[i] = 1 / denominator.at(grid.y[i]);
        const auto x = leastSquares(std::move(columns), std::move(right));
        Fit fit;
        for (std::size_t j = 0; j < basis.size(); ++j) {
            fit.numerator.c0 += x[j] * basis[j].c0;
            fit.numerator.c1 += x[j] * basis[j].c1;
            fit.numerator.c2 += x[j] * basis[j].c2;
        }
        fit.denominator = denominator;
        if (freePoles)
            fit.denominator = {1, x[basis.size()], firstOrder ? 0 : x[basis.size() + 1]};
        if (!isPositive(fit.denominator, yTop))
            break;
        const double error = worstError(fit, grid, rate);
        if (isPositive(fit.numerator, yTop) && error < best.error)
            best = {fit, error};
        denominator = fit.denominator;
    }
}

/// Minimum-phase factor of a quadratic in y: b0 + b1/z + b2/z^2.
std::array<double, 3> minimumPhase(const Quadratic& q, double scale) {
    // In x = sin^2(w/2): (1 - r/z)(1 - r z) with z + 1/z = 2 - 4x, so a root X of the quadratic gives
    // r = 1 - 2X +- sqrt((2X)^2 - 4X); the one inside the circle is the minimum-phase choice.
    const double c0 = q.c0;
    const double c1 = q.c1 / scale;
    const double c2 = q.c2 / (scale * scale);
    const auto inside = [](Complex x) {
        const Complex u = 2.0 * x;
        const Complex root = std::sqrt(u * u - 2.0 * u);
        const Complex a = 1.0 - u + root;
        const Complex b = 1.0 - u - root;
        return std::abs(a) < std::abs(b) ? a : b;
    };
    std::array<double, 3> b{1, 0, 0};
    const double middle = c2 != 0 ? -c1 / (2 * c2) : -1;
    if (middle > 0 && middle < 1 && std::abs(c1 * c1 - 4 * c2 * c0) < 1e-9 * c1 * c1) {
        b = {1, -2 * (1 - 2 * middle), 1}; // a zero pair on the unit circle: a notch
    } else if (c2 != 0) {
        const Complex root = std::sqrt(Complex(c1 * c1 - 4 * c2 * c0, 0));
        // The stable form of the two roots.
        const Complex t = -0.5 * (c1 + (c1 >= 0 ? root : -root));
        const Complex x1 = t / c2;
        const Complex x2 = std::abs(t) > 0 ? c0 / t : Complex(0, 0);
        const Complex r1 = inside(x1);
        const Complex r2 = inside(x2);
        b = {1, -(r1 + r2).real(), (r1 * r2).real()};
    } else if (c1 != 0) {
        b = {1, -inside(Complex(-c0 / c1, 0)).real(), 0};
    }
    // Scale at whichever end of the band is stronger.
    const double atDc = c0;
    const double atTop = c0 + c1 + c2;
    const double shape = atTop > atDc ? b[0] - b[1] + b[2] : b[0] + b[1] + b[2];
    const double gain = std::sqrt(std::max(atTop, atDc)) / std::abs(shape);
    for (double& v : b)
        v *= gain;
    return b;
}

SvfCoefficients toSvf(const std::array<double, 3>& b, const std::array<double, 3>& a) {
    const double plus = (a[0] + a[1] + a[2]) / a[0];
    const double minus = (a[0] - a[1] + a[2]) / a[0];
    SvfCoefficients c;
    c.g = std::sqrt(plus / minus);
    c.k = 2 * (1 - a[2] / a[0]) / (minus * c.g);
    const double d0 = 1 + c.k * c.g + c.g * c.g;
    const double b0 = b[0] / a[0] * d0;
    const double b1 = b[1] / a[0] * d0;
    const double b2 = b[2] / a[0] * d0;
    c.m0 = (b0 - b1 + b2) / 4;
    c.m1 = (b0 - b2) / (2 * c.g) - c.m0 * c.k;
    c.m2 = (b0 + b1 + b2) / (4 * c.g * c.g) - c.m0;
    return c;
}

} // namespace

SvfCoefficients designSection(const AnalogueSection& prototype, double sampleRateHz) {
    const Grid grid = makeGrid(prototype, sampleRateHz);
    if (grid.y.size() < 8)
        return {};
    RatedFit best;
    for (const auto& basis : numeratorBases(prototype, sampleRateHz))
        fitMagnitude(prototype, sampleRateHz, grid, basis, best);
    if (!std::isfinite(best.error))
        return {};
    return toSvf(minimumPhase(best.fit.numerator, grid.scale),
                 minimumPhase(best.fit.denominator, grid.scale));
}

double magnitudeSquared(const SvfCoefficients& c, double hz, double sampleRateHz) {
    // Trapezoidal integrators: s = j tan(pi f / rate) / g.
    const double w = std::tan(kPi * hz / sampleRateHz) / c.g;
    const Complex s(0, w);
    const Complex d = s * s + c.k * s + 1.0;
    return std::norm(c.m0 + (c.m1 * s + c.m2) / d);
}

double responseDb(const std::vector<SvfCoefficients>& sections, double hz, double sampleRateHz) {
    double gain = 1;
    for (const auto& c : sections)
        gain *= magnitudeSquared(c, hz, sampleRateHz);
    return powerToDb(gain);
}

} // namespace cask::dsp
