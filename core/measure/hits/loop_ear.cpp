#include "core/measure/hits/loop_ear.h"

#include "core/measure/hits/shipped_ears.h"

#include <algorithm>

namespace cask::measure {
namespace {

constexpr std::string_view kTitle = "loop-ear 1";

std::vector<LoopShares> sharesOf(const std::vector<StrokeNet>& nets, std::span<const float> rows) {
    const auto flat = averageShares(nets, rows);
    std::vector<LoopShares> shares(flat.size() / kLoopDrums);
    for (std::size_t i = 0; i < shares.size(); ++i)
        std::copy_n(flat.begin() + static_cast<std::ptrdiff_t>(i * kLoopDrums), kLoopDrums,
                    shares[i].begin());
    return shares;
}

} // namespace

std::vector<LoopShares> LoopEar::firstShares(std::span<const float> look) const {
    return sharesOf(first, look);
}

std::vector<LoopShares> LoopEar::shares(std::span<const float> look,
                                        std::span<const Arrival> arrivals) const {
    const auto others = secondLook(look, firstShares(look), arrivals);
    std::vector<float> both;
    for (std::size_t i = 0; i < arrivals.size(); ++i) {
        const auto a = look.subspan(i * kFirstLook, kFirstLook);
        const auto b = std::span(others).subspan(i * kSecondLook, kSecondLook);
        both.insert(both.end(), a.begin(), a.end());
        both.insert(both.end(), b.begin(), b.end());
    }
    return sharesOf(second, both);
}

Result<LoopEar> parseLoopEar(std::string_view text) {
    auto nets = parseNets(kTitle, text);
    if (!nets)
        return nets.error();
    LoopEar ear;
    for (std::size_t n = 0; n < nets->size(); ++n) {
        auto& net = (*nets)[n];
        const std::size_t inputs = n % 2 == 0 ? kFirstLook : kFirstLook + kSecondLook;
        if (net.inputs() != inputs || net.outputs() != kLoopDrums || nets->size() % 2 != 0)
            return Error{ErrorCode::BadFormat,
                         "The trained ear for loops hears other numbers than this program has."};
        (n % 2 == 0 ? ear.first : ear.second).push_back(std::move(net));
    }
    return ear;
}

std::string writeLoopEar(const LoopEar& ear) {
    std::vector<StrokeNet> nets;
    for (std::size_t p = 0; p < ear.first.size(); ++p) {
        nets.push_back(ear.first[p]);
        nets.push_back(ear.second[p]);
    }
    return writeNets(kTitle, nets);
}

const LoopEar& shippedLoopEar() {
    static const LoopEar ear = [] {
        auto parsed = parseLoopEar(shippedLoopEarText());
        return parsed ? *parsed : LoopEar{};
    }();
    return ear;
}

} // namespace cask::measure
