#include "core/cell/diff.h"
#include "core/cell/edit_layout.h"
#include "core/cell/history.h"
#include "tests/core/support.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

class TableTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void findsWhatAListWouldFind();
    void copiesShareUntilTheyChange();
    void differencesNameWhatAnEditTouched();
    void historyForgetsTheOldestFirst();
    void longRoutineKeepsItsHistorySmall();
    void refusedEditsLeaveACellThatOpens();
};

void TableTest::findsWhatAListWouldFind()
{
    // Against a plain list, over random changes of every kind.
    std::mt19937_64 random(3);
    Table<Signal> table;
    std::vector<Signal> list;
    std::uint32_t next = 1;
    for (int n = 0; n < 4000; ++n) {
        const auto pick = [&](size_t most) { return size_t(random() % most); };
        const size_t what = pick(10);
        if (list.empty() || what < 4) {
            const size_t at = pick(list.size() + 1);
            const Signal s{{what < 2 ? next++ : 100000 - next++}, "S", Signal::Kind::Number, double(n)};
            table.insert(at, s);
            list.insert(list.begin() + std::ptrdiff_t(at), s);
        } else if (what < 6) {
            const SignalId id = list[pick(list.size())].id;
            table.erase(id);
            std::erase_if(list, [id](const Signal& s) { return s.id == id; });
        } else if (what < 8) {
            const size_t from = pick(list.size()), to = pick(list.size());
            table.move(from, to);
            const Signal moved = list[from];
            list.erase(list.begin() + std::ptrdiff_t(from));
            list.insert(list.begin() + std::ptrdiff_t(to), moved);
        } else {
            const size_t at = pick(list.size());
            table.edit(list[at].id)->start = list[at].start = double(-n);
        }
        QCOMPARE(table.size(), list.size());
        for (size_t i = 0; i < list.size(); i += 7) {
            QVERIFY(table[i] == list[i]);
            QVERIFY(table.find(list[i].id) && *table.find(list[i].id) == list[i]);
            QCOMPARE(*table.placeOf(list[i].id), i);
        }
        QVERIFY(!table.find({next + 200000}));
    }
    QVERIFY(std::equal(table.begin(), table.end(), list.begin(), list.end()));
}

void TableTest::copiesShareUntilTheyChange()
{
    const Cell cell = example("tile-glazing-line");
    Cell copy = cell;
    QVERIFY(copy.targets.isShared(cell.targets));
    copy.targets.at(1).name = "Other";
    QVERIFY(!copy.targets.isShared(cell.targets));
    QVERIFY(cell.targets[1].name != "Other");
    QVERIFY(copy.targets.shared(0) == cell.targets.shared(0));  // what was not touched is the same object
    QVERIFY(copy.frames.isShared(cell.frames));
    QVERIFY(!(copy == cell));
    copy.targets.at(1).name = cell.targets[1].name;
    QVERIFY(copy == cell);
}

void TableTest::differencesNameWhatAnEditTouched()
{
    const Cell cell = example("tile-glazing-line");
    const Target& target = cell.targets[1];
    const CellDiff moved = differences(cell, setTargetPose(cell, target.id, translated({0, 0, 0.1})).value());
    QCOMPARE(moved.targets, std::vector{target.id});
    QVERIFY(moved.frames.empty() && moved.routines.empty() && !moved.rest && !moved.order);
    const Routine& routine = cell.routines.front();
    const CellDiff shorter = differences(cell, deleteStep(cell, routine.id, routine.steps[0].id).value());
    QCOMPARE(shorter.routines, std::vector{routine.id});
    QVERIFY(shorter.onlyRoutines());
    Thresholds strict = cell.thresholds;
    strict.jointMargin = 0.2;
    const CellDiff rest = differences(cell, setThresholds(cell, strict).value());
    QVERIFY(rest.rest && rest.targets.empty());
    FrameId added;
    const Cell more = addFrame(cell, "New", {}, {}, &added).value();
    QCOMPARE(differences(cell, more).frames, std::vector{added});
    QCOMPARE(differences(more, cell).frames, std::vector{added});
}

void TableTest::historyForgetsTheOldestFirst()
{
    const Cell cell = example("tile-glazing-line");
    History history(cell, 20000);
    for (int i = 0; i < 200; ++i)
        QVERIFY(!history.apply("Edit", [&](const Cell& c) { return renameCell(c, "Cell " + std::to_string(i)); }));
    QVERIFY(history.bytes() <= 20000);
    int undone = 0;
    for (; history.canUndo(); ++undone) {
        QCOMPARE(history.current()->name, "Cell " + std::to_string(199 - undone));
        history.undo();
    }
    QVERIFY(undone > 5 && undone < 199);
    for (int i = 0; i < undone; ++i)
        history.redo();
    QCOMPARE(history.current()->name, std::string("Cell 199"));
    // However little is allowed, the last edit can be taken back.
    History tight(cell, 1);
    for (const char* name : {"A", "B", "C"})
        QVERIFY(!tight.apply("Edit", [&](const Cell& c) { return renameCell(c, name); }));
    tight.undo();
    QCOMPARE(tight.current()->name, std::string("B"));
}

void TableTest::longRoutineKeepsItsHistorySmall()
{
    Cell cell = example("tile-glazing-line");
    Routine& routine = cell.routines.at(0);
    const Step step = routine.steps[0];
    while (routine.steps.size() < 5000) {
        Step more = step;
        more.id = {cell.nextId++};
        routine.steps.push_back(more);
    }
    History history(cell);
    const RoutineId id = routine.id;
    for (int i = 0; i < 200; ++i)
        QVERIFY(!history.apply("Speed", [&](const Cell& c) {
            Step changed = c.routines[0].steps[size_t(i * 20)];
            paceOf(changed) ? void(paceOf(changed)->acceleration = 0.5) : void(changed.note = "changed");
            return changeStep(c, id, changed);
        }));
    QVERIFY2(history.bytes() < size_t(40) << 20, qPrintable(QString("%1 bytes").arg(history.bytes())));
    QVERIFY(history.bytes() > 200 * sizeof(Step));
}

void TableTest::refusedEditsLeaveACellThatOpens()
{
    // An edit that would make a cell no reader takes is refused, whatever the edit itself looked at.
    const Cell cell = example("tile-glazing-line");
    History history(cell);
    const Status refused = history.apply("Break", [](const Cell& c) -> Result<Cell> {
        Cell next = c;
        next.frames.at(0).pose.translation[0] = 5000;
        return next;
    });
    QVERIFY(refused && refused->code == "edit.invalid");
    QVERIFY2(refused->line().find("5000 m is too far") != std::string::npos, refused->line().c_str());
    QVERIFY(*history.current() == cell);
}

TOPIKOS_TEST(TableTest)
#include "table_test.moc"
