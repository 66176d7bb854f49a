#include "core/files/base64.h"

#include <array>

namespace topikos {

namespace {
constexpr char kDigits[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
}

std::string base64Of(const void* bytes, std::size_t count)
{
    const auto* in = static_cast<const unsigned char*>(bytes);
    std::string out;
    out.reserve((count + 2) / 3 * 4);
    for (std::size_t i = 0; i < count; i += 3) {
        const std::size_t left = count - i;
        const unsigned word =
            unsigned(in[i]) << 16 | (left > 1 ? unsigned(in[i + 1]) << 8 : 0) | (left > 2 ? unsigned(in[i + 2]) : 0);
        out += kDigits[word >> 18];
        out += kDigits[word >> 12 & 63];
        out += left > 1 ? kDigits[word >> 6 & 63] : '=';
        out += left > 2 ? kDigits[word & 63] : '=';
    }
    return out;
}

std::optional<std::vector<unsigned char>> bytesOfBase64(const std::string& text)
{
    static const std::array<signed char, 256> values = [] {
        std::array<signed char, 256> v;
        v.fill(-1);
        for (int i = 0; i < 64; ++i)
            v[std::size_t(kDigits[i])] = static_cast<signed char>(i);
        return v;
    }();
    if (text.size() % 4) return std::nullopt;
    std::size_t padding = 0;
    while (padding < 2 && padding < text.size() && text[text.size() - 1 - padding] == '=')
        ++padding;
    std::vector<unsigned char> out;
    out.reserve(text.size() / 4 * 3);
    for (std::size_t i = 0; i < text.size(); i += 4) {
        unsigned word = 0;
        const std::size_t digits = i + 4 == text.size() ? 4 - padding : 4;
        for (std::size_t k = 0; k < 4; ++k) {
            const int value = k < digits ? values[static_cast<unsigned char>(text[i + k])] : 0;
            if (value < 0) return std::nullopt;
            word = word << 6 | unsigned(value);
        }
        for (std::size_t k = 0; k + 1 < digits; ++k)
            out.push_back(static_cast<unsigned char>(word >> (16 - 8 * k) & 255));
    }
    return out;
}

}  // namespace topikos
