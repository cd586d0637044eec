#include "bench/teach_net.h"

#include "core/base/units.h"
#include "core/measure/hits/band_trail.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>
#include <random>

namespace cask::bench {
namespace {

using measure::StrokeNet;

constexpr int kRounds = 30;
constexpr std::size_t kBatch = 256;
constexpr float kPace = 2e-3F;
constexpr float kShrink = 2e-4F;
constexpr float kNoise = 0.03F;
constexpr float kEqualiser = 0.12F; // 2.4 dB
constexpr float kAsleep = 0.15F;

StrokeNet emptyNet(const Lessons& lessons, std::mt19937& random) {
    constexpr float kLeastSpread = 0.01F;
    StrokeNet net;
    const auto count = static_cast<double>(lessons.count());
    for (std::size_t k = 0; k < lessons.width(); ++k) {
        double sum = 0;
        double squares = 0;
        for (std::size_t i = 0; i < lessons.count(); ++i) {
            const auto x = static_cast<double>(lessons.row(i)[k]);
            sum += x;
            squares += x * x;
        }
        const double mean = sum / count;
        const double spread = std::sqrt(std::max(0.0, squares / count - mean * mean));
        net.mean.push_back(static_cast<float>(mean));
        net.scale.push_back(1 / (static_cast<float>(spread) + kLeastSpread));
    }
    std::size_t inputs = lessons.width();
    for (const std::size_t outputs : {std::size_t(64), std::size_t(32), lessons.outputs()}) {
        StrokeNet::Layer layer{inputs, outputs, std::vector<float>(inputs * outputs),
                               std::vector<float>(outputs, 0.0F)};
        std::normal_distribution<float> start(0, std::sqrt(2.0F / static_cast<float>(inputs)));
        for (float& w : layer.weights)
            w = start(random);
        net.layers.push_back(std::move(layer));
        inputs = outputs;
    }
    return net;
}

/// Steps downhill with momentum, each weight at its own pace (Kingma and Ba, Adam, 2015).
class Descent {
  public:
    explicit Descent(std::size_t size) : m_mean(size), m_square(size) {}
    void step(std::vector<float>& values, const std::vector<float>& slope, float pace, int count,
              float shrink) {
        constexpr float kMean = 0.9F;
        constexpr float kSquare = 0.999F;
        const float meanPart = 1 - std::pow(kMean, static_cast<float>(count));
        const float squarePart = 1 - std::pow(kSquare, static_cast<float>(count));
        for (std::size_t i = 0; i < values.size(); ++i) {
            m_mean[i] = kMean * m_mean[i] + (1 - kMean) * slope[i];
            m_square[i] = kSquare * m_square[i] + (1 - kSquare) * slope[i] * slope[i];
            values[i] -= pace * (m_mean[i] / meanPart / (std::sqrt(m_square[i] / squarePart) + 1e-8F) +
                                 shrink * values[i]);
        }
    }

  private:
    std::vector<float> m_mean;
    std::vector<float> m_square;
};

class Teacher {
  public:
    Teacher(const Lessons& lessons, unsigned seed, std::size_t bandNumbers)
        : m_lessons(lessons), m_bandNumbers(bandNumbers), m_random(seed), m_net(emptyNet(lessons, m_random)) {
        for (const auto& layer : m_net.layers) {
            m_weights.emplace_back(layer.weights.size());
            m_biases.emplace_back(layer.bias.size());
            m_slopes.emplace_back(layer.weights.size());
            m_biasSlopes.emplace_back(layer.bias.size());
        }
    }

    StrokeNet teach() {
        std::vector<std::size_t> order(m_lessons.count());
        std::iota(order.begin(), order.end(), 0U);
        int steps = 0;
        for (int round = 0; round < kRounds; ++round) {
            std::shuffle(order.begin(), order.end(), m_random);
            const float pace =
                kPace * 0.5F * (1 + std::cos(static_cast<float>(kPi) * static_cast<float>(round) / kRounds));
            for (std::size_t from = 0; from < order.size(); from += kBatch) {
                const std::size_t to = std::min(order.size(), from + kBatch);
                for (std::size_t l = 0; l < m_net.layers.size(); ++l) {
                    std::fill(m_slopes[l].begin(), m_slopes[l].end(), 0.0F);
                    std::fill(m_biasSlopes[l].begin(), m_biasSlopes[l].end(), 0.0F);
                }
                for (std::size_t n = from; n < to; ++n)
                    addSlopes(order[n], static_cast<float>(to - from));
                ++steps;
                for (std::size_t l = 0; l < m_net.layers.size(); ++l) {
                    m_weights[l].step(m_net.layers[l].weights, m_slopes[l], pace, steps, kShrink);
                    m_biases[l].step(m_net.layers[l].bias, m_biasSlopes[l], pace, steps, 0);
                }
            }
        }
        return std::move(m_net);
    }

  private:
    void addSlopes(std::size_t which, float batch) {
        const auto row = m_lessons.row(which);
        std::vector<std::vector<float>> values(m_net.layers.size() + 1);
        std::array<float, measure::kTrailBands> equaliser{};
        for (float& e : equaliser)
            e = kEqualiser * m_normal(m_random);
        for (std::size_t k = 0; k < row.size(); ++k) {
            const float moved = row[k] + (k < m_bandNumbers ? equaliser[k % measure::kTrailBands] : 0);
            values[0].push_back((moved - m_net.mean[k]) * m_net.scale[k] + kNoise * m_normal(m_random));
        }
        for (std::size_t l = 0; l < m_net.layers.size(); ++l) {
            const auto& layer = m_net.layers[l];
            auto& out = values[l + 1];
            out = layer.bias;
            for (std::size_t i = 0; i < layer.inputs; ++i)
                for (std::size_t o = 0; o < layer.outputs; ++o)
                    out[o] += values[l][i] * layer.weights[i * layer.outputs + o];
            if (l + 1 < m_net.layers.size())
                for (float& x : out)
                    x = m_even(m_random) < kAsleep ? 0 : std::max(0.0F, x) / (1 - kAsleep);
        }
        std::vector<float> slope(m_lessons.outputs());
        for (std::size_t o = 0; o < slope.size(); ++o)
            slope[o] = (1 / (1 + std::exp(-values.back()[o])) - m_lessons.truth(which)[o]) *
                       m_lessons.weight(which)[o] / batch;
        for (std::size_t l = m_net.layers.size(); l-- > 0;) {
            const auto& layer = m_net.layers[l];
            std::vector<float> below(layer.inputs, 0.0F);
            for (std::size_t o = 0; o < layer.outputs; ++o)
                m_biasSlopes[l][o] += slope[o];
            for (std::size_t i = 0; i < layer.inputs; ++i) {
                const float x = values[l][i];
                if (l > 0 && x <= 0)
                    continue;
                for (std::size_t o = 0; o < layer.outputs; ++o) {
                    m_slopes[l][i * layer.outputs + o] += x * slope[o];
                    below[i] += slope[o] * layer.weights[i * layer.outputs + o];
                }
                below[i] /= l > 0 ? 1 - kAsleep : 1;
            }
            slope = std::move(below);
        }
    }

    const Lessons& m_lessons;
    std::size_t m_bandNumbers;
    std::mt19937 m_random;
    StrokeNet m_net;
    std::normal_distribution<float> m_normal{0, 1};
    std::uniform_real_distribution<float> m_even{0, 1};
    std::vector<Descent> m_weights;
    std::vector<Descent> m_biases;
    std::vector<std::vector<float>> m_slopes;
    std::vector<std::vector<float>> m_biasSlopes;
};

} // namespace

void Lessons::add(std::span<const float> row, std::span<const float> truth, std::span<const float> weight) {
    m_width = row.size();
    m_numbers.insert(m_numbers.end(), row.begin(), row.end());
    m_truth.insert(m_truth.end(), truth.begin(), truth.end());
    m_weight.insert(m_weight.end(), weight.begin(), weight.end());
}

StrokeNet teach(const Lessons& lessons, unsigned seed, std::size_t bandNumbers) {
    return Teacher(lessons, seed, bandNumbers).teach();
}

} // namespace cask::bench
