#include "tests/run.h"

#include <memory>

std::vector<RegisteredTest>& registeredTests()
{
    static std::vector<RegisteredTest> tests;
    return tests;
}

int runRegisteredTests(int argc, char** argv)
{
    int failed = 0, ran = 0;
    const QString wanted = argc > 1 ? argv[1] : "";
    const bool all = wanted.isEmpty() || wanted.startsWith('-');
    QStringList arguments{argv[0]};
    for (int i = all ? 1 : 2; i < argc; ++i)
        arguments << argv[i];
    for (const RegisteredTest& test : registeredTests()) {
        if (!all && wanted != test.name) continue;
        const std::unique_ptr<QObject> object(test.make());
        failed += QTest::qExec(object.get(), arguments);
        ++ran;
    }
    if (ran == 0) qCritical("there is no test class %s", qPrintable(wanted));
    return failed || ran == 0 ? 1 : 0;
}
