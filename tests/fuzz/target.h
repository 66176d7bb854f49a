#pragma once
#include <cstddef>
#include <cstdint>
#include <functional>
#include <string>
#include <vector>

/// What is done with any bytes from outside. Built with TOPIKOS_FUZZ each target is a program of its own that looks for
/// bytes that break it; otherwise all of them are in one program that goes through known ones (replay.cpp).
namespace topikos::fuzz {

using Target = void (*)(const std::string& bytes);

struct NamedTarget {
    const char* name;
    Target run;
};
std::vector<NamedTarget>& targets();
struct Registration {
    Registration(const char* name, Target run) { targets().push_back({name, run}); }
};

/// A promise that was broken: ends the program, as a crash does.
void require(bool fact, const char* statement);
/// Whether a text is one line that says something.
void requireLine(const std::string& text);

}  // namespace topikos::fuzz

#ifdef TOPIKOS_FUZZ
#define TOPIKOS_FUZZ_TARGET(name)                                                     \
    static void name(const std::string& bytes);                                       \
    extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) \
    {                                                                                 \
        name(std::string(reinterpret_cast<const char*>(data), size));                 \
        return 0;                                                                     \
    }                                                                                 \
    static void name(const std::string& bytes)
#else
#define TOPIKOS_FUZZ_TARGET(name)                                                \
    static void name(const std::string& bytes);                                  \
    static const topikos::fuzz::Registration registration_##name(#name, &(name)); \
    static void name(const std::string& bytes)
#endif
