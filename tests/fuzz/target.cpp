#include "tests/fuzz/target.h"

#include <cstdio>
#include <cstdlib>

namespace topikos::fuzz {

std::vector<NamedTarget>& targets()
{
    static std::vector<NamedTarget> all;
    return all;
}

void require(bool fact, const char* statement)
{
    if (fact) return;
    std::fprintf(stderr, "not so: %s\n", statement);
    std::abort();
}

void requireLine(const std::string& text)
{
    require(!text.empty(), "the error says something");
    require(text.find('\n') == std::string::npos, "the error is one line");
}

}  // namespace topikos::fuzz
