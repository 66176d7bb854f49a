#pragma once
#include <QTest>

#include <functional>
#include <vector>

/// Test classes of one program. Each file registers its class; main() runs the one named, or all.
struct RegisteredTest {
    const char* name;
    std::function<QObject*()> make;
};
std::vector<RegisteredTest>& registeredTests();
struct TestRegistration {
    TestRegistration(const char* name, std::function<QObject*()> make)
    {
        registeredTests().push_back({name, std::move(make)});
    }
};
#define TOPIKOS_TEST(Class) static const TestRegistration registration##Class(#Class, [] { return new Class; });

/// Runs the class given as first argument, or all without one.
int runRegisteredTests(int argc, char** argv);
