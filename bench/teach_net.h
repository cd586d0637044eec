// Teaches a StrokeNet.
#pragma once

#include "core/measure/hits/stroke_net.h"

namespace cask::bench {

/// Rows of numbers, what they should be heard as, and how much a mistake counts.
class Lessons {
  public:
    explicit Lessons(std::size_t outputs) : m_outputs(outputs) {}
    /// REQUIRES: all rows have one width; truth and weight have a number for each output.
    void add(std::span<const float> row, std::span<const float> truth, std::span<const float> weight);
    [[nodiscard]] std::size_t count() const { return m_width == 0 ? 0 : m_numbers.size() / m_width; }
    [[nodiscard]] std::size_t width() const { return m_width; }
    [[nodiscard]] std::size_t outputs() const { return m_outputs; }
    [[nodiscard]] std::span<const float> row(std::size_t i) const {
        return std::span(m_numbers).subspan(i * m_width, m_width);
    }
    [[nodiscard]] std::span<const float> truth(std::size_t i) const {
        return std::span(m_truth).subspan(i * m_outputs, m_outputs);
    }
    [[nodiscard]] std::span<const float> weight(std::size_t i) const {
        return std::span(m_weight).subspan(i * m_outputs, m_outputs);
    }

  private:
    std::size_t m_outputs;
    std::size_t m_width = 0;
    std::vector<float> m_numbers;
    std::vector<float> m_truth;
    std::vector<float> m_weight;
};

/// Two hidden layers of 64 and 32 units. Cross-entropy by batches; each row is heard a little otherwise each
/// time: noise, another equaliser over its first `bandNumbers` numbers (which are of eight bands in turn),
/// and some units asleep.
[[nodiscard]] measure::StrokeNet teach(const Lessons& lessons, unsigned seed, std::size_t bandNumbers);

} // namespace cask::bench
