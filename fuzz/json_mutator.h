// Mutates JSON as JSON, so that what comes out still reads as JSON: a fuzzer that is refused at the first
// bracket finds nothing behind it. Every fourth mutation is one of plain bytes.
#pragma once

#include <nlohmann/json.hpp>

#include <algorithm>
#include <cstdint>
#include <cstring>
#include <random>
#include <string>
#include <vector>

extern "C" std::size_t LLVMFuzzerMutate(std::uint8_t* data, std::size_t size, std::size_t maxSize);

namespace cask::fuzz {

using Json = nlohmann::ordered_json;

inline void collect(Json& node, std::vector<Json*>& nodes) {
    nodes.push_back(&node);
    if (node.is_structured())
        for (auto& child : node)
            collect(child, nodes);
}

inline std::string mutatedText(std::string text) {
    const std::size_t size = text.size();
    text.resize(size + 16);
    text.resize(LLVMFuzzerMutate(reinterpret_cast<std::uint8_t*>(text.data()), size, text.size()));
    return text;
}

/// A change that keeps kinds, so that the whole may be accepted: near numbers, strings and elements of the
/// same.
inline void mutateGently(std::vector<Json*>& nodes, std::minstd_rand& random) {
    const auto pick = [&](std::size_t n) { return static_cast<std::size_t>(random()) % n; };
    Json& at = *nodes[pick(nodes.size())];
    Json& other = *nodes[pick(nodes.size())];
    if (at.is_boolean())
        at = !at.get<bool>();
    else if (at.is_number_integer())
        at = at.get<std::int64_t>() / 2 + static_cast<std::int64_t>(pick(41)) - 1;
    else if (at.is_number())
        at = at.get<double>() * (0.5 + static_cast<double>(pick(1000)) / 1000);
    else if (at.is_string() && other.is_string())
        at = std::string(other.get<std::string>());
    else if (at.is_array() && at.size() > 1)
        std::swap(at[pick(at.size())], at[pick(at.size())]);
    else if (at.is_object() && other.is_object() && !other.empty()) {
        const auto from = std::next(other.begin(), static_cast<std::ptrdiff_t>(pick(other.size())));
        const Json value = from.value();
        if (at.contains(from.key()))
            at[from.key()] = value;
    }
}

/// One change at one place: a value, a key, a copy of another place, one more, one less.
inline void mutate(Json& root, std::minstd_rand& random) {
    std::vector<Json*> nodes;
    collect(root, nodes);
    if (random() % 2 != 0)
        return mutateGently(nodes, random);
    const auto pick = [&](std::size_t n) { return static_cast<std::size_t>(random()) % n; };
    Json& at = *nodes[pick(nodes.size())];
    static const std::vector<Json> kOdd = {
        nullptr, true,         false,  0,         1,    -1,     2,      3,    7,    0.5, -0.0,
        1e-300,  1e300,        -1e300, 1LL << 53, -100, 48000., 20000., 1e15, 1e17, 255, "4294967296.",
        "",      Json::array()};
    switch (pick(6)) {
    case 0:
        at = kOdd[pick(kOdd.size())];
        break;
    case 1: {
        const Json copy = *nodes[pick(nodes.size())];
        at = copy;
        break;
    }
    case 2:
        if (at.is_number())
            at = at.get<double>() * (static_cast<double>(pick(4000)) / 1000 - 1);
        else if (at.is_string())
            at = mutatedText(at.get<std::string>());
        break;
    case 3:
        if (at.is_array() && !at.empty())
            at.push_back(Json(at[pick(at.size())]));
        else if (at.is_object())
            at[mutatedText("x")] = kOdd[pick(kOdd.size())];
        break;
    case 4:
        if (at.is_array() && !at.empty())
            at.erase(pick(at.size()));
        else if (at.is_object() && !at.empty())
            at.erase(std::next(at.begin(), static_cast<std::ptrdiff_t>(pick(at.size()))));
        break;
    default:
        if (at.is_object() && !at.empty()) {
            const auto from = std::next(at.begin(), static_cast<std::ptrdiff_t>(pick(at.size())));
            const Json value = from.value();
            at[mutatedText(from.key())] = value;
        }
    }
}

inline std::size_t mutateJson(std::uint8_t* data, std::size_t size, std::size_t maxSize, unsigned int seed) {
    std::minstd_rand random(seed);
    if (random() % 4 != 0) {
        auto json = Json::parse(data, data + size, nullptr, false);
        if (!json.is_discarded()) {
            for (auto n = 1 + random() % 2; n > 0; --n)
                mutate(json, random);
            const std::string text = json.dump(-1, ' ', false, Json::error_handler_t::replace);
            if (text.size() <= maxSize) {
                std::memcpy(data, text.data(), text.size());
                return text.size();
            }
        }
    }
    return LLVMFuzzerMutate(data, size, maxSize);
}

} // namespace cask::fuzz

extern "C" std::size_t LLVMFuzzerCustomMutator(std::uint8_t* data, std::size_t size, std::size_t maxSize,
                                               unsigned int seed) {
    return cask::fuzz::mutateJson(data, size, maxSize, seed);
}
