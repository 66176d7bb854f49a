#include "core/check/check.h"
#include "core/files/cell_file.h"
#include "tests/core/mutate.h"
#include "tests/core/support.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

/// Cells changed at random, as JSON that is well formed: each ends in a clear line, or is a cell like any other.
class MutationTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void mutantsEndInALineOrInACell();
};

void MutationTest::mutantsEndInALineOrInACell()
{
    std::mt19937_64 random(71);
    std::vector<Json> seeds;
    for (const char* name : {"tile-glazing-line", "glazing-line-on-a-rail", "planted-mistakes"})
        seeds.push_back(Json::parse(writeCell(example(name))));
    seeds.push_back(Json::parse(writeCell(patterned())));
    for (int i = 0; i < 6; ++i)
        seeds.push_back(Json::parse(writeCell(randomWiring(random))));
    int refused = 0, run = 0;
    const int mutants = qEnvironmentVariableIsSet("TOPIKOS_MANY") ? 5000 : 1500;
    for (int n = 0; n < mutants; ++n) {
        Json mutant = seeds[random() % seeds.size()];
        for (auto k = 1 + random() % 2; k > 0; --k)
            mutate(mutant, random);
        const std::string text = mutant.dump(-1, ' ', false, Json::error_handler_t::replace);
        const Result<Cell> cell = readCell(text, "mutant");
        if (!cell) {
            const std::string line = cell.error().line();
            QVERIFY2(line.find('\n') == line.npos && line.starts_with("mutant") && line.size() > 20, line.c_str());
            ++refused;
            continue;
        }
        const std::string bytes = writeCell(*cell);
        const Result<Cell> again = readCell(bytes, "again");
        QVERIFY2(again.ok(),
                 (QString::number(n) + " " + QString::fromStdString(again.ok() ? "" : again.error().line())).toUtf8());
        QVERIFY2(*again == *cell && writeCell(*again) == bytes, QString::number(n).toUtf8());
        RunOptions options;
        options.until = 60;
        QVERIFY(simulate(*cell, options).duration <= 60);
        for (const Finding& f : check(*cell).findings)
            QVERIFY(findingText(*cell, f).line().find('\n') == std::string::npos);
        ++run;
    }
    QVERIFY2(refused > mutants / 5 && run > mutants / 7,
             qPrintable(QString("%1 refused, %2 run").arg(refused).arg(run)));
}

TOPIKOS_TEST(MutationTest)
#include "mutation_test.moc"
