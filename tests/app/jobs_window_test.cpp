#include "tests/app/window_fixture.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

class JobsWindowTest : public WindowFixture {
    Q_OBJECT
};

TOPIKOS_TEST(JobsWindowTest)
#include "jobs_window_test.moc"
