#include "app/window/guide.h"

#include "app/session/text.h"
#include "app/theme/button.h"
#include "app/theme/theme.h"
#include "core/cell/furniture.h"

#include <QHBoxLayout>

#include <algorithm>

namespace topikos {

namespace {

const Frame* firstTable(const Cell& cell)
{
    for (const Frame& frame : cell.frames)
        if (const auto furniture = furnitureOf(frame.solids); furniture && furniture->kind == Furniture::Kind::Table)
            return &frame;
    return nullptr;
}

std::ptrdiff_t targetsOn(const Cell& cell, const Frame* table)
{
    return std::count_if(cell.targets.begin(), cell.targets.end(), [&](const Target& t) {
        return t.kind == Target::Kind::Pose && table && t.frame == table->id;
    });
}

bool hasSized(const Session& s)
{
    const Frame* table = firstTable(s.cell());
    const auto now = table ? furnitureOf(table->solids) : std::nullopt;
    const Furniture usual = usualFurniture(Furniture::Kind::Table);
    return now && std::abs(now->width - usual.width) + std::abs(now->depth - usual.depth) > 1e-6
           && std::abs(now->height - usual.height) > 1e-6;
}

const Part* partOn(const Cell& cell, const Frame* table)
{
    for (const Part& part : cell.parts)
        if (table && part.frame == table->id) return &part;
    return nullptr;
}

/// The tool is above the part, not farther aside than its jaws are.
bool isOver(const Session& s)
{
    const Part* part = partOn(s.cell(), firstTable(s.cell()));
    if (!part) return false;
    const Vec3 off = s.shownTcp().translation - (s.shownPlace(part->frame) * part->pose).translation;
    return off.head<2>().norm() < 0.06 && off[2] > 0;
}

bool hasRoute(const Session& s)
{
    const auto has = [&](StepKind kind) {
        return std::any_of(s.routine().steps.begin(), s.routine().steps.end(),
                           [kind](const Step& step) { return step.kind() == kind; });
    };
    return has(StepKind::Joint) && has(StepKind::Line) && has(StepKind::Grip);
}

struct Lesson {
    const char* words;
    bool (*done)(const Session&);
};

constexpr Lesson kLessons[] = {
    {"<b>Start an empty cell.</b> <i>File, New cell</i> (Ctrl+N), then <i>Make this cell</i>.",
     [](const Session& s) {
         return s.path().isEmpty() && s.cell().parts.empty() && s.cell().targets.size() == 1
                && s.routine().steps.empty();
     }},
    {"<b>Put up a table.</b> In <i>Cell</i> at the left (Alt+1) press <i>More …</i> and choose <i>Table</i>.",
     [](const Session& s) { return firstTable(s.cell()) != nullptr; }},
    {"<b>Give it a size.</b> Below the list: Width <b>800</b>, Tab, Depth <b>600</b>, Tab, Height <b>400</b>, Enter.",
     hasSized},
    {"<b>Put a part on it.</b> With the table selected press <i>Part</i> below the list.",
     [](const Session& s) { return partOn(s.cell(), firstTable(s.cell())) != nullptr; }},
    {"<b>Read poses from the table.</b> In the strip over the view choose it after <i>seen from</i>.",
     [](const Session& s) { return firstTable(s.cell()) && s.readingFrame() == firstTable(s.cell())->id; }},
    {"<b>Bring the tool over the part.</b> Type X <b>0</b>, Y <b>0</b>, Z <b>250</b> in that strip, Enter; or jog with "
     "the arrow keys.",
     isOver},
    {"<b>Take a target.</b> Press <b>T</b>: it remembers where the tool stands on the table.",
     [](const Session& s) { return targetsOn(s.cell(), firstTable(s.cell())) >= 1; }},
    {"<b>Take another one at the part.</b> Type Z <b>50</b> in the strip, Enter, then <b>T</b>.",
     [](const Session& s) { return targetsOn(s.cell(), firstTable(s.cell())) >= 2; }},
    {"<b>Write the route.</b> Ctrl+L, then <b>joint to Target 1</b>, Enter, <b>line to Target 2</b>, Enter, "
     "<b>grip</b>, Enter.",
     hasRoute},
    {"<b>Run it.</b> Press F5. The strip below is the clock: press anywhere on it.",
     [](const Session& s) {
         return s.inRun() && s.trace() && !s.trace()->blocked() && s.time() >= s.trace()->duration - 1e-6;
     }},
};
constexpr int kCount = int(std::size(kLessons));

}  // namespace

Guide::Guide(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    setObjectName("guide");
    setAttribute(Qt::WA_StyledBackground);
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(12, 5, 12, 5);
    row->setSpacing(10);
    m_count = new QLabel(this);
    m_count->setFont(figureFont(12));
    m_count->setProperty("class", "faint");
    row->addWidget(m_count);
    m_words = new QLabel(this);
    m_words->setObjectName("guideWords");
    m_words->setWordWrap(true);
    m_words->setOpenExternalLinks(true);
    row->addWidget(m_words, 1);
    m_skip = addButton(row, this, "guideSkip", "Skip", "Goes on without it", [this] {
        ++m_step;
        showStep();
        watch();
    });
    m_leave = addButton(row, this, "guideLeave", "Leave the guide", "The cell stays as it is", [this] { leave(); });
    for (const auto signal :
         {&Session::cellChanged, &Session::postureChanged, &Session::runChanged, &Session::checkedChanged})
        connect(&session, signal, this, &Guide::watch);
    connect(&session, &Session::jogChanged, this, &Guide::watch);
    hide();
}

void Guide::start()
{
    m_step = 0;
    setVisible(true);
    showStep();
    watch();
}

void Guide::leave() { setVisible(false); }

void Guide::watch()
{
    if (isHidden() || m_step >= kCount) return;
    // What is ahead may be done already.
    const int before = m_step;
    while (m_step < kCount && kLessons[m_step].done(m_session))
        ++m_step;
    if (m_step != before) showStep();
}

void Guide::showStep()
{
    const bool over = m_step >= kCount;
    m_count->setText(over ? QString() : QString("%1 of %2").arg(m_step + 1).arg(kCount));
    m_words->setText(over ? "<b>That was a whole cycle.</b> Ctrl+S saves the cell. "
                            "<a href=\"manual:first-cycle\">The manual goes on from here.</a>"
                          : kLessons[m_step].words);
    m_skip->setVisible(!over);
    m_leave->setText(over ? "Close" : "Leave the guide");
}

}  // namespace topikos
