#include "core/spatial/number_text.h"

#include "core/spatial/units.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <string_view>

namespace topikos {

namespace {

/// Recursive descent: sum of products of signed values.
class Reader {
public:
    explicit Reader(std::string text) : m_text(std::move(text))
    {
        std::replace(m_text.begin(), m_text.end(), ',', '.');
    }

    std::optional<double> whole()
    {
        const std::optional<double> value = sum();
        skip();
        return value && m_at == m_text.size() && std::isfinite(*value) ? value : std::nullopt;
    }

private:
    std::optional<double> sum()
    {
        std::optional<double> value = product();
        while (value) {
            const char c = peek();
            if (c != '+' && c != '-') return value;
            ++m_at;
            const std::optional<double> next = product();
            if (!next) return std::nullopt;
            value = c == '+' ? *value + *next : *value - *next;
        }
        return value;
    }

    std::optional<double> product()
    {
        std::optional<double> value = single();
        while (value) {
            const char c = peek();
            if (c != '*' && c != '/') return value;
            ++m_at;
            const std::optional<double> next = single();
            if (!next) return std::nullopt;
            value = c == '*' ? *value * *next : *value / *next;
        }
        return value;
    }

    std::optional<double> single()
    {
        const char c = peek();
        if (c == '-' || c == '+' || c == '(') {
            if (++m_depth > 50) return std::nullopt;
            ++m_at;
            std::optional<double> value = c == '(' ? sum() : single();
            --m_depth;
            if (!value) return std::nullopt;
            if (c != '(') return c == '-' ? -*value : *value;
            if (peek() != ')') return std::nullopt;
            ++m_at;
            return value;
        }
        double value = 0;
        const auto [end, error] = std::from_chars(m_text.data() + m_at, m_text.data() + m_text.size(), value);
        if (error != std::errc() || !std::isfinite(value)) return std::nullopt;
        m_at = size_t(end - m_text.data());
        return value;
    }

    void skip()
    {
        while (m_at < m_text.size() && std::isspace(static_cast<unsigned char>(m_text[m_at])))
            ++m_at;
    }
    char peek()
    {
        skip();
        return m_at < m_text.size() ? m_text[m_at] : '\0';
    }

    std::string m_text;
    size_t m_at = 0;
    int m_depth = 0;
};

}  // namespace

std::optional<double> numberOf(const std::string& text) { return Reader(text).whole(); }

std::optional<double> quantityOf(const std::string& text, Quantity quantity, double unit)
{
    struct Unit {
        const char* word;
        Quantity quantity;
        double size;
    };
    static constexpr Unit units[] = {
        {"mm", Quantity::Length, kMillimetre}, {"cm", Quantity::Length, 0.01},   {"m", Quantity::Length, 1},
        {"in", Quantity::Length, 0.0254},      {"\"", Quantity::Length, 0.0254}, {"deg", Quantity::Angle, kDegree},
        {"°", Quantity::Angle, kDegree},       {"rad", Quantity::Angle, 1}};
    const bool speed = quantity == Quantity::Speed || quantity == Quantity::TurnSpeed;
    if (quantity == Quantity::Speed) quantity = Quantity::Length;
    if (quantity == Quantity::TurnSpeed) quantity = Quantity::Angle;
    std::string figures = text;
    while (!figures.empty() && std::isspace(static_cast<unsigned char>(figures.back())))
        figures.pop_back();
    for (const Unit& u : units)
        if (const std::string word = u.word + std::string(speed ? "/s" : "");
            u.quantity == quantity && figures.ends_with(word)) {
            figures.resize(figures.size() - word.size());
            unit = u.size;
            break;
        }
    const std::optional<double> value = numberOf(figures);
    return value && std::isfinite(*value * unit) ? std::optional(*value * unit) : std::nullopt;
}

}  // namespace topikos
