#include "core/cell/applied.h"
#include "core/cell/edit.h"
#include "core/cell/edit_targets.h"
#include "core/files/cell_file.h"
#include "tests/core/random_edit.h"
#include "tests/core/support.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

/// Edits by the one way, and changes of a cell as data.
class PatchTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void changesMakeTheCellThatTheyCameFrom();
    void changesLeaveAloneWhatElseHasChanged();
    void changesOfWhatIsOtherByNowAreRefused();
    void editsAreSettledAndHeldToTheRules();
};

void PatchTest::changesMakeTheCellThatTheyCameFrom()
{
    std::mt19937_64 random(27);
    Cell cell = example("tile-glazing-line");
    int edits = 0, orders = 0, objects = 0;
    for (int n = 0; n < 400; ++n) {
        // Of one edit, or of several at once.
        Cell after = cell;
        for (size_t k = 0; k < 1 + random() % 3; ++k)
            if (const Result<Cell> next = randomEdit(after, random)) after = *next, ++edits;
        if (random() % 5 == 0 && after.targets.size() > 2) {
            after.targets.move(0, after.targets.size() - 1);
            after.name += "x";
        }
        if (random() % 7 == 0) {
            std::vector<PartId> backwards;
            for (const Part& part : after.parts)
                backwards.insert(backwards.begin(), part.id);
            after.parts.arrange(backwards);
            QVERIFY(after.parts.empty() || after.parts.front().id == backwards.front());
        }
        const CellPatch patch = patchBetween(cell, after);
        orders += patch.targets.order.has_value() + patch.parts.order.has_value();
        objects += int(patch.frames.objects.size() + patch.targets.objects.size() + patch.parts.objects.size());
        const Result<Cell> again = patched(cell, patch);
        QVERIFY2(bool(again), again ? "" : again.error().line().c_str());
        QVERIFY(*again == after);
        // And back.
        const Result<Cell> back = patched(after, patchBetween(after, cell));
        QVERIFY(back);
        QVERIFY(writeCell(*back).size() == writeCell(cell).size() || back->nextId != cell.nextId);
        cell = after;
    }
    QVERIFY(edits > 300 && orders > 20 && objects > 300);
}

void PatchTest::changesLeaveAloneWhatElseHasChanged()
{
    const Cell cell = example("tile-glazing-line");
    const TargetId one = cell.targets[1].id, two = cell.targets[2].id;
    const auto moved = [&](const Cell& own, TargetId id, double by) {
        Pose pose = findTarget(own, id)->pose;
        pose.translation.z() += by;
        return setTargetPose(own, id, pose).value();
    };
    const CellPatch patch = patchBetween(cell, moved(cell, one, 0.01));
    QCOMPARE(patch.targets.objects.size(), size_t(1));
    QVERIFY(!patch.rest && patch.frames.objects.empty() && patch.routines.objects.empty());
    const Result<Cell> both = patched(moved(cell, two, 0.02), patch);
    QVERIFY(both);
    QVERIFY(*both == moved(moved(cell, two, 0.02), one, 0.01));
}

void PatchTest::changesOfWhatIsOtherByNowAreRefused()
{
    const Cell cell = example("tile-glazing-line");
    const TargetId id = cell.targets[1].id;
    const auto at = [&](double z) {
        Pose pose = findTarget(cell, id)->pose;
        pose.translation.z() += z;
        return setTargetPose(cell, id, pose).value();
    };
    const CellPatch patch = patchBetween(cell, at(0.01));
    const Result<Cell> other = patched(at(0.03), patch);
    QVERIFY(!other);
    QCOMPARE(other.error().code, std::string("edit.changed-since"));
    QVERIFY(other.error().message.find(findTarget(cell, id)->name) != std::string::npos);
    // The same value again is the same object, wherever it came from.
    QVERIFY(patched(readCell(writeCell(cell), "again").value(), patch));
}

void PatchTest::editsAreSettledAndHeldToTheRules()
{
    const Cell cell = example("tile-glazing-line");
    const Result<Cell> wrong = applied(cell, [](const Cell& own) {
        Cell next = own;
        next.frames.at(0).name = "";
        return Result<Cell>(next);
    });
    QVERIFY(!wrong);
    QCOMPARE(wrong.error().code, std::string("edit.invalid"));
    const Result<Cell> refused = applied(cell, [](const Cell&) {
        return Result<Cell>(Error{"edit.some", "something", "", ""});
    });
    QVERIFY(!refused && refused.error().code == "edit.some");
}

TOPIKOS_TEST(PatchTest)
#include "patch_test.moc"
