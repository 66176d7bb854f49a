#pragma once
#include "core/spatial/result.h"

#include <nlohmann/json.hpp>

#include <string>

namespace topikos {

using Json = nlohmann::ordered_json;

inline constexpr int kDeepestNesting = 32;

/// One kind of file of the JSON family: "format" and "version" come first in each.
struct DocumentKind {
    const char* format;  ///< "topikos-cell"
    int version;         ///< newest that is understood
    const char* noun;    ///< "cell file"
    const char* ending;  ///< ".topikos"
    const char* code;    ///< prefix of error codes: "cell"
};

/// Parses a text and checks its format and version. Depth and numbers are bounded before anything is built; errors give
/// line and column.
Result<Json> parseDocument(const std::string& text, const DocumentKind& kind);

/// Puts the name of the file in front of the place of an error.
Error inFile(Error error, const std::string& name);

/// One line per entry of the top lists. Canonical: the same document gives the same bytes.
std::string printDocument(const Json& document);

}  // namespace topikos
