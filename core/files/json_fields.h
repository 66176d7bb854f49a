#pragma once
#include "core/cell/cell.h"
#include "core/files/base64.h"
#include "core/files/document.h"
#include "core/spatial/limits.h"

#include <cmath>
#include <cstdio>
#include <cstring>
#include <optional>
#include <set>
#include <span>
#include <string>
#include <string_view>
#include <utility>

namespace topikos {

inline constexpr size_t kLongestText = 1000;  ///< of a text in a file [bytes]

/// Pairs of word and value for an enumeration in a file.
template <class Enum> struct Word {
    const char* word;
    Enum value;
};

/// Surfaces that shapes of a document refer to by number, each stored once.
struct SurfaceShelf {
    std::vector<Surface> surfaces;

    /// From 1.
    std::uint32_t numberOf(const Surface& surface)
    {
        for (size_t i = 0; i < surfaces.size(); ++i)
            if (surfaces[i] == surface) return std::uint32_t(i + 1);
        surfaces.push_back(surface);
        return std::uint32_t(surfaces.size());
    }
};

/// Builds the JSON of an object from its fields, in the order they are named.
class FieldWriter {
public:
    static constexpr bool kReads = false;
    Json json = Json::object();
    SurfaceShelf* shelf = nullptr;

    template <class T> void field(const char* key, T& value) { json[key] = put(value); }
    /// Left out where the value is the default.
    template <class T> void optional(const char* key, T& value, const T& standard)
    {
        if (!same(value, standard)) field(key, value);
    }
    /// Left out where there is none.
    template <class T> void optional(const char* key, std::optional<T>& value)
    {
        if (value) field(key, *value);
    }
    template <class T> void optionalObject(const char* key, std::optional<T>& value)
    {
        if (value) object(key, *value);
    }
    template <class T> void optionalList(const char* key, std::vector<T>& values)
    {
        if (!values.empty()) list(key, values);
    }
    template <class T> void optionalList(const char* key, Table<T>& values)
    {
        if (!values.empty()) list(key, values);
    }
    template <class Enum, size_t N> void word(const char* key, Enum& value, const Word<Enum> (&words)[N])
    {
        word(key, value, std::span<const Word<Enum>>(words));
    }
    template <class Enum> void word(const char* key, Enum& value, std::span<const Word<Enum>> words)
    {
        for (const auto& w : words)
            if (w.value == value) json[key] = w.word;
    }
    /// Left out where the value is the default.
    template <class Enum, size_t N>
    void optionalWord(const char* key, Enum& value, const Word<Enum> (&words)[N], Enum standard)
    {
        if (value != standard) word(key, value, words);
    }
    /// Plain numbers as base64 of their little-endian bytes.
    template <class T> void packed(const char* key, std::vector<T>& values)
    {
        json[key] = base64Of(values.data(), values.size() * sizeof(T));
    }
    template <class T> void object(const char* key, T& value)
    {
        FieldWriter inner;
        inner.shelf = shelf;
        fields(inner, value);
        json[key] = std::move(inner.json);
    }
    template <class List> void list(const char* key, List& values)
    {
        Json& array = json[key] = Json::array();
        for (const auto& value : values) {
            FieldWriter inner;
            inner.shelf = shelf;
            auto written = value;  // fields are given by reference, for readers
            fields(inner, written);
            array.push_back(std::move(inner.json));
        }
    }

private:
    template <class T> static bool same(const T& a, const T& b)
    {
        if constexpr (std::is_same_v<T, JointVector>) return a.size() == b.size() && a == b;
        else return a == b;
    }
    static Json put(const std::string& v) { return v; }
    static Json put(double v) { return v; }
    static Json put(bool v) { return v; }
    static Json put(std::uint32_t v) { return v; }
    template <class Kind> static Json put(const Id<Kind>& v) { return v.value; }
    static Json put(const std::vector<double>& v) { return v; }
    static Json put(const std::vector<std::uint32_t>& v) { return v; }
    static Json put(const Vec3& v) { return Json::array({v[0], v[1], v[2]}); }
    static Json put(const JointVector& v) { return Json(std::vector<double>(v.data(), v.data() + v.size())); }
    static Json put(const Pose& v)
    {
        return {{"xyz", put(v.translation)},
                {"quaternion", Json::array({v.rotation.w(), v.rotation.x(), v.rotation.y(), v.rotation.z()})}};
    }
    static Json put(const Color& v)
    {
        char text[8];
        std::snprintf(text, sizeof text, "#%02x%02x%02x", v.red, v.green, v.blue);
        return text;
    }
};

/// Fills the fields of an object from JSON. Keeps the first error; after it nothing more is read.
class FieldReader {
public:
    static constexpr bool kReads = true;
    FieldReader(const Json& json, std::string path, std::optional<Error>& error, std::string code = "cell") :
        m_json(json), m_path(std::move(path)), m_error(error), m_code(std::move(code))
    {
        if (!m_json.is_object()) fail("", "must be an object in braces");
    }
    ~FieldReader()
    {
        if (m_error || !m_json.is_object()) return;
        for (const auto& item : m_json.items())
            if (!m_known.contains(item.key()))
                fail("", "has a field \"" + item.key().substr(0, 60) + "\" that this version does not know");
    }
    FieldReader(const FieldReader&) = delete;
    SurfaceShelf* shelf = nullptr;

    template <class T> void field(const char* key, T& value)
    {
        if (const Json* v = get(key)) take(key, *v, value);
    }
    template <class T> void optional(const char* key, T& value, const T& standard)
    {
        if (has(key)) field(key, value);
        else value = standard;
    }
    template <class T> void optional(const char* key, std::optional<T>& value)
    {
        if (has(key)) field(key, value.emplace());
    }
    template <class T> void optionalObject(const char* key, std::optional<T>& value)
    {
        if (has(key)) object(key, value.emplace());
    }
    template <class T> void optionalList(const char* key, std::vector<T>& values)
    {
        if (has(key)) list(key, values);
    }
    template <class T> void optionalList(const char* key, Table<T>& values)
    {
        if (has(key)) list(key, values);
    }
    template <class T> void list(const char* key, Table<T>& values)
    {
        std::vector<T> read;
        list(key, read);
        values = Table<T>(std::move(read));
    }
    template <class Enum, size_t N> void word(const char* key, Enum& value, const Word<Enum> (&words)[N])
    {
        word(key, value, std::span<const Word<Enum>>(words));
    }
    template <class Enum> void word(const char* key, Enum& value, std::span<const Word<Enum>> words)
    {
        const Json* v = get(key);
        if (!v) return;
        std::string known;
        for (const auto& w : words) {
            if (v->is_string() && v->get_ref<const std::string&>() == w.word) {
                value = w.value;
                return;
            }
            known += known.empty() ? w.word : std::string(", ") + w.word;
        }
        fail(key, "must be one of " + known);
    }
    template <class Enum, size_t N>
    void optionalWord(const char* key, Enum& value, const Word<Enum> (&words)[N], Enum standard)
    {
        if (has(key)) word(key, value, words);
        else value = standard;
    }
    template <class T> void packed(const char* key, std::vector<T>& values)
    {
        const Json* v = get(key);
        if (!v) return;
        const auto bytes = v->is_string() ? bytesOfBase64(v->get_ref<const std::string&>()) : std::nullopt;
        if (!bytes || bytes->size() % sizeof(T)) return fail(key, "must be whole numbers packed as base64");
        values.resize(bytes->size() / sizeof(T));
        if (!bytes->empty()) std::memcpy(values.data(), bytes->data(), bytes->size());
    }
    template <class T> void object(const char* key, T& value)
    {
        if (const Json* v = get(key)) {
            FieldReader inner(*v, place(key), m_error, m_code);
            inner.shelf = shelf;
            fields(inner, value);
        }
    }
    template <class T> void list(const char* key, std::vector<T>& values)
    {
        const Json* v = get(key);
        if (!v) return;
        if (!v->is_array()) return fail(key, "must be a list in brackets");
        for (size_t i = 0; i < v->size() && !m_error; ++i) {
            FieldReader inner((*v)[i], place(key) + "[" + std::to_string(i) + "]", m_error, m_code);
            inner.shelf = shelf;
            fields(inner, values.emplace_back());
        }
    }
    bool has(const char* key) const { return m_json.is_object() && m_json.contains(key); }
    /// Raises an error about a field ("" for the object itself).
    void fail(const std::string& key, const std::string& message)
    {
        if (!m_error)
            m_error =
                Error{m_code + ".field", message, key.empty() ? (m_path.empty() ? "document" : m_path) : place(key),
                      "Correct the file or open another one."};
    }

private:
    std::string place(const std::string& key) const { return m_path.empty() ? key : m_path + "." + key; }
    const Json* get(const char* key)
    {
        m_known.insert(key);
        if (m_error) return nullptr;
        const auto it = m_json.find(key);
        if (it != m_json.end()) return &*it;
        fail(key, "is missing");
        return nullptr;
    }
    bool number(const char* key, const Json& v, double& out)
    {
        if (!v.is_number()) return fail(key, "must be a number"), false;
        out = v.get<double>();
        if (!std::isfinite(out)) return fail(key, "must be a finite number"), false;
        return true;
    }
    void take(const char* key, const Json& v, std::string& out)
    {
        if (!v.is_string()) return fail(key, "must be a text in quotes");
        out = v.get<std::string>();
        if (out.size() > kLongestText) fail(key, "is longer than " + std::to_string(kLongestText) + " bytes");
    }
    void take(const char* key, const Json& v, double& out) { number(key, v, out); }
    void take(const char* key, const Json& v, bool& out)
    {
        if (!v.is_boolean()) return fail(key, "must be true or false");
        out = v.get<bool>();
    }
    void take(const char* key, const Json& v, std::uint32_t& out)
    {
        if (!v.is_number_unsigned() || v.get<std::uint64_t>() > 0xffffffffu)
            return fail(key, "must be a whole number from 0 to 4294967295");
        out = v.get<std::uint32_t>();
    }
    template <class Kind> void take(const char* key, const Json& v, Id<Kind>& out) { take(key, v, out.value); }
    void take(const char* key, const Json& v, Vec3& out)
    {
        if (!v.is_array() || v.size() != 3) return fail(key, "must be a list of 3 numbers");
        for (size_t i = 0; i < 3; ++i)
            if (!number(key, v[i], out[Eigen::Index(i)])) return;
        for (const double coordinate : out)
            if (const Status bad = checkLimit(limits::kOffset, coordinate, "field")) return fail(key, bad->message);
    }
    template <class T>
    requires std::is_arithmetic_v<T>
    void take(const char* key, const Json& v, std::vector<T>& out)
    {
        if (!v.is_array()) return fail(key, "must be a list in brackets");
        out.reserve(v.size());
        for (size_t i = 0; i < v.size() && !m_error; ++i)
            take(key, v[i], out.emplace_back());
    }
    void take(const char* key, const Json& v, JointVector& out)
    {
        if (!v.is_array() || v.size() > size_t(kMaxJoints)) return fail(key, "must be a list of at most 12 numbers");
        out.resize(Eigen::Index(v.size()));
        for (size_t i = 0; i < v.size(); ++i)
            if (!number(key, v[i], out[Eigen::Index(i)])) return;
    }
    void take(const char* key, const Json& v, Pose& out)
    {
        FieldReader inner(v, place(key), m_error, m_code);
        inner.field("xyz", out.translation);
        const Json* q = inner.get("quaternion");
        if (!q) return;
        if (!q->is_array() || q->size() != 4)
            return inner.fail("quaternion", "must be a list of 4 numbers: w, x, y, z");
        double c[4];
        for (size_t i = 0; i < 4; ++i)
            if (!inner.number("quaternion", (*q)[i], c[i])) return;
        const Quat raw(c[0], c[1], c[2], c[3]);
        const double norm = raw.norm();
        if (!(std::abs(norm - 1) < 1e-3)) return inner.fail("quaternion", "must have length 1");
        out.rotation = std::abs(norm - 1) <= 1e-12 ? raw : raw.normalized();
    }
    void take(const char* key, const Json& v, Color& out)
    {
        unsigned rgb = 0;
        int used = 0;
        const std::string text = v.is_string() ? v.get<std::string>() : "";
        if (text.size() != 7 || std::sscanf(text.c_str(), "#%6x%n", &rgb, &used) != 1 || used != 7)
            return fail(key, "must be a colour like \"#c8b090\"");
        out = {std::uint8_t(rgb >> 16), std::uint8_t(rgb >> 8), std::uint8_t(rgb)};
    }

    const Json& m_json;
    std::string m_path;
    std::optional<Error>& m_error;
    std::string m_code;
    std::set<std::string> m_known;
};

}  // namespace topikos
