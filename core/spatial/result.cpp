#include "core/spatial/result.h"

#include "core/spatial/text.h"

namespace topikos {

std::string Error::line() const
{
    constexpr size_t kWhere = 500;  // [bytes]
    std::string text = boundedMessage(message);
    if (!text.empty() && text.back() != '.' && text.back() != '?') text += '.';
    if (!remedy.empty()) text += " " + boundedMessage(remedy);
    return shownText(where.empty() ? text : shortenedText(where, kWhere) + ": " + text);
}

void require(bool fact, const char* statement)
{
    if (!fact) throw std::logic_error(std::string("internal error: ") + statement);
}

}  // namespace topikos
