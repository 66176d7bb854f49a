#include "cli/support.h"

#include <cstdio>

namespace topikos::cli {

int refused(const Error& error)
{
    std::fprintf(stderr, "topikos-cli: %s\n", error.line().c_str());
    return 2;
}

}  // namespace topikos::cli
