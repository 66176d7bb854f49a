#include <QResource>

// The file of resources as the compiler's assembler takes it in; it has to begin at an even place.
asm(".section .rodata\n"
    ".balign 16\n"
    ".global topikosResources\n"
    "topikosResources:\n"
    ".incbin \"" TOPIKOS_RESOURCES "\"\n"
    ".byte 0\n"
    ".previous\n");
extern "C" const unsigned char topikosResources[];

namespace {

/// Registers them before anything asks; an object that is linked in whole, since nothing names it.
[[maybe_unused]] const bool registered = QResource::registerResource(topikosResources);

}  // namespace
