#include "core/spatial/result.h"

#include "core/spatial/text.h"

namespace topikos {

std::string Error::line() const
{
    std::string text;
    if (!where.empty()) text += where + ": ";
    text += message;
    if (!text.empty() && text.back() != '.' && text.back() != '?') text += '.';
    if (!remedy.empty()) text += " " + remedy;
    return shownText(text);
}

void require(bool fact, const char* statement)
{
    if (!fact) throw std::logic_error(std::string("internal error: ") + statement);
}

}  // namespace topikos
