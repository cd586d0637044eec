#include "core/measure/hits/stroke_net.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>

namespace cask::measure {

void StrokeNet::listen(std::span<const float> row, std::span<float> shares) const {
    std::vector<float> values(row.begin(), row.end());
    for (std::size_t i = 0; i < values.size(); ++i)
        values[i] = (values[i] - mean[i]) * scale[i];
    std::vector<float> next;
    for (std::size_t l = 0; l < layers.size(); ++l) {
        const Layer& layer = layers[l];
        next = layer.bias;
        for (std::size_t i = 0; i < layer.inputs; ++i) {
            const float x = values[i];
            if (l > 0 && x <= 0)
                continue;
            const float* w = layer.weights.data() + i * layer.outputs;
            for (std::size_t o = 0; o < layer.outputs; ++o)
                next[o] += x * w[o];
        }
        values.swap(next);
    }
    for (std::size_t o = 0; o < shares.size(); ++o)
        shares[o] = 1 / (1 + std::exp(-std::clamp(values[o], -30.0F, 30.0F)));
}

std::vector<float> averageShares(std::span<const StrokeNet> nets, std::span<const float> rows,
                                 const ParallelFor& parallel) {
    if (nets.empty())
        return {};
    const std::size_t width = nets.front().inputs();
    const std::size_t outputs = nets.front().outputs();
    constexpr std::size_t kAtOnce = 256;
    const std::size_t count = rows.size() / width;
    std::vector<float> shares(count * outputs, 0.0F);
    inPieces(parallel, count, kAtOnce, [&](std::size_t from, std::size_t to) {
        std::vector<float> own(outputs);
        for (std::size_t i = from; i < to; ++i)
            for (const auto& net : nets) {
                net.listen(rows.subspan(i * width, width), own);
                for (std::size_t o = 0; o < outputs; ++o)
                    shares[i * outputs + o] += own[o] / static_cast<float>(nets.size());
            }
    });
    return shares;
}

namespace {

class Numbers {
  public:
    explicit Numbers(std::string_view text) : m_text(text) {}
    template <class T> bool read(T& value) {
        while (!m_text.empty() && m_text.front() <= ' ')
            m_text.remove_prefix(1);
        const auto [end, error] = std::from_chars(m_text.data(), m_text.data() + m_text.size(), value);
        if (error != std::errc())
            return false;
        m_text.remove_prefix(static_cast<std::size_t>(end - m_text.data()));
        return true;
    }
    bool read(std::vector<float>& values, std::size_t count) {
        if (count > m_text.size()) // each has a character at least
            return false;
        values.resize(count);
        return std::all_of(values.begin(), values.end(),
                           [&](float& v) { return read(v) && std::isfinite(v); });
    }

  private:
    std::string_view m_text;
};

bool readNet(Numbers& numbers, StrokeNet& net) {
    constexpr std::size_t kMostLayers = 8;
    constexpr std::size_t kWidest = 4096;
    std::size_t layers = 0;
    if (!numbers.read(layers) || layers == 0 || layers > kMostLayers)
        return false;
    std::vector<std::size_t> sizes(layers + 1);
    for (auto& size : sizes)
        if (!numbers.read(size) || size == 0 || size > kWidest)
            return false;
    if (!numbers.read(net.mean, sizes.front()) || !numbers.read(net.scale, sizes.front()))
        return false;
    for (std::size_t l = 0; l < layers; ++l) {
        StrokeNet::Layer layer{sizes[l], sizes[l + 1], {}, {}};
        if (!numbers.read(layer.weights, layer.inputs * layer.outputs) ||
            !numbers.read(layer.bias, layer.outputs))
            return false;
        net.layers.push_back(std::move(layer));
    }
    return true;
}

} // namespace

std::string writeNets(std::string_view title, std::span<const StrokeNet> nets) {
    std::string text = fmt::format("{}\n{}\n", title, nets.size());
    const auto add = [&](const std::vector<float>& values) {
        for (std::size_t i = 0; i < values.size(); ++i)
            text += fmt::format("{:.3g}{}", values[i], i % 20 == 19 || i + 1 == values.size() ? '\n' : ' ');
    };
    for (const auto& net : nets) {
        text += fmt::format("{} {}", net.layers.size(), net.inputs());
        for (const auto& layer : net.layers)
            text += fmt::format(" {}", layer.outputs);
        text += '\n';
        add(net.mean);
        add(net.scale);
        for (const auto& layer : net.layers) {
            add(layer.weights);
            add(layer.bias);
        }
    }
    return text;
}

Result<std::vector<StrokeNet>> parseNets(std::string_view title, std::string_view text) {
    constexpr std::size_t kMostNets = 32;
    if (!text.starts_with(title))
        return Error{ErrorCode::BadFormat, fmt::format("This is no trained net of the kind \"{}\".", title)};
    Numbers numbers(text.substr(title.size()));
    std::size_t count = 0;
    bool isWhole = numbers.read(count) && count > 0 && count <= kMostNets;
    std::vector<StrokeNet> nets(isWhole ? count : 0);
    for (auto& net : nets)
        isWhole = isWhole && readNet(numbers, net);
    if (!isWhole)
        return Error{ErrorCode::BadFormat, fmt::format("The trained net \"{}\" is incomplete.", title)};
    return nets;
}

} // namespace cask::measure
