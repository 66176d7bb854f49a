#include "app/properties/pages.h"
#include "app/properties/choices.h"
#include "core/cell/edit_steps.h"
#include "core/cell/devices.h"

#include "app/layout/layout_commands.h"
#include "app/session/text.h"
#include "core/cell/edit_support.h"
#include "core/shape/mass.h"

#include <utility>

namespace topikos {

namespace {

const char* const kAxes[] = {"X", "Y", "Z"};

}  // namespace

void ToolPage::change(const Tool& tool, const QString& label, const std::function<void(Tool&)>& set)
{
    Tool next = tool;
    set(next);
    edit(label, [=](const Cell& c) { return changeTool(c, next); });
}

void ToolPage::fill()
{
    const Tool* shown = findTool(m_session.cell(), m_session.selected<ToolId>());
    if (!shown) return;
    const Tool tool = *shown;
    if (std::exchange(m_shown, tool.id) != tool.id) {
        startAtFirstShape();
        m_point = 0;
    }
    const ToolId id = tool.id;
    setTitle(m_session.station().tool == id ? "Tool (in force)" : "Tool");
    addName(tool.name, [=, this](const std::string& name) {
        edit("Rename tool", [=](const Cell& c) { return renameTool(c, id, name); });
    });
    addNumber("Number", "toolNumber", tool.number, "", 0, 1e6, 0, [=, this](double v) {
        change(tool, "Number of " + text(tool.name), [&](Tool& t) { t.number = std::uint32_t(v); });
    });
    if (m_session.station().tool != id)
        addButtons({{"Put in force", "toolInForce", "The arm carries this tool from now on",
                     [this] { putToolInForce(m_session); }}});
    addPoints(tool);
    addGripper(tool);
    addProcesses(tool);
    addLoad(tool);
    addSolids(tool.body, [=, this](const std::vector<Solid>& solids, const QString& label) {
        change(tool, label, [&](Tool& t) { t.body = solids; });
    });
}

void ToolPage::addPoints(const Tool& shown)
{
    const Tool tool = shown;
    const ToolId id = tool.id;
    QStringList points{"TCP"};
    for (const ToolPoint& p : tool.points)
        points << text(p.name);
    m_point = std::min(m_point, tool.points.size());
    addChoice("Point", "toolPoint", points, int(m_point), [this](int i) {
        m_point = size_t(i);
        refresh();
    });
    const TcpId tcp = m_point ? tool.points[m_point - 1].id : TcpId{};
    addPose(flangeFromTcp(tool, tcp), [=, this](const Pose& pose) {
        edit("Move TCP of " + text(tool.name), [=](const Cell& c) { return setToolTcp(c, id, pose, tcp); });
    });
    std::vector<Button> buttons{{"Four points", "teachTcp",
                                 "Find the TCP by bringing it to one place in four or more orientations",
                                 [this] { Q_EMIT teachRequested(TeachPanel::Kind::Tcp); }},
                                {"Add point", "addPoint", "A further TCP of this tool", [=, this] {
                                     const std::string name = freeNameIn(tool.points, "Point");
                                     m_point = tool.points.size() + 1;
                                     edit("Add a point to " + text(tool.name),
                                          [=](const Cell& c) { return addToolPoint(c, id, name, tool.flangeFromTcp); });
                                 }}};
    if (m_session.station().tool == id && m_session.station().tcp != tcp)
        buttons.push_back(
            {"Use it", "usePoint", "Poses are read and targets are taken at this point from now on", [=, this] {
                 edit("Use another point",
                      [=, arm = m_session.station().id](const Cell& c) { return setToolInForce(c, arm, id, tcp); });
             }});
    if (m_point)
        buttons.push_back({"Remove", "removePoint", "Refused while targets use it", [=, this] {
                               change(tool, "Remove a point", [&](Tool& t) {
                                   std::erase_if(t.points, [&](const ToolPoint& p) { return p.id == tcp; });
                               });
                           }});
    addButtons(buttons);
}

void ToolPage::addGripper(const Tool& shown)
{
    const Tool tool = shown;
    addHead("Gripper");
    const Gripper g = tool.gripper;
    const auto grip = [=, this](const std::function<void(Gripper&)>& set) {
        change(tool, "Change gripper", [&](Tool& t) { set(t.gripper); });
    };
    addChoice("Kind", "gripperKind", {"parallel jaws", "angular jaws", "vacuum"}, int(g.kind),
              [=](int kind) { grip([&](Gripper& n) { n.kind = Gripper::Kind(kind); }); });
    if (g.kind != Gripper::Kind::Vacuum) {
        addNumber(
            "Open", "gripperOpen", millimetres(g.open), "mm", limits::kJaw, kMillimetre, 1,
            [=](double v) { grip([&](Gripper& n) { n.open = v * kMillimetre; }); }, true);
        addNumber(
            "Closed", "gripperClosed", millimetres(g.closed), "mm", limits::kJaw, kMillimetre, 1,
            [=](double v) { grip([&](Gripper& n) { n.closed = v * kMillimetre; }); }, true);
    }
    if (g.kind == Gripper::Kind::Angular)
        addNumber("Pivot", "gripperPivot", millimetres(g.pivot), "mm", limits::kPivot, kMillimetre, 1,
                  [=](double v) { grip([&](Gripper& n) { n.pivot = v * kMillimetre; }); });
    addNumber("Time", "gripperTime", g.time, "s", limits::kGripTime, 1, 2,
              [=](double v) { grip([&](Gripper& n) { n.time = v; }); });
    const bool box = !g.region.isZero();
    addChoice("Grips in", "gripRegion", {"a ball about the TCP", "a box about the TCP"}, box, [=](int i) {
        grip([&](Gripper& n) { n.region = i ? Vec3::Constant(2 * std::max(0.005, n.grasp)) : Vec3(Vec3::Zero()); });
    });
    if (!box)
        addNumber("Radius", "grasp", millimetres(g.grasp), "mm", limits::kJaw, kMillimetre, 1,
                  [=](double v) { grip([&](Gripper& n) { n.grasp = v * kMillimetre; }); });
    for (int i = 0; i < 3 && box; ++i)
        addNumber(kAxes[i], QString("region%1").arg(i), millimetres(g.region[i]), "mm", 0.1,
                  millimetres(limits::kJaw.most), 1,
                  [=](double v) { grip([&](Gripper& n) { n.region[i] = v * kMillimetre; }); });
}

void ToolPage::addProcesses(const Tool& shown)
{
    const Tool tool = shown;
    addHead("Processes");
    for (size_t i = 0; i < tool.processes.size(); ++i) {
        const Process process = tool.processes[i];
        const QString n = QString::number(i);
        const auto set = [=, this](const std::function<void(Process&)>& with) {
            Process next = process;
            with(next);
            edit("Change process " + text(process.name),
                 [=, id = tool.id](const Cell& c) { return setProcess(c, id, next); });
        };
        addLine("Process", "processName" + n, text(process.name), "Programs switch it on and off by this name",
                [=](const QString& words) {
                    set([&](Process& p) { p.name = words.trimmed().toStdString(); });
                    return true;
                });
        Choices<SignalId> signals;
        for (const Signal& s : m_session.cell().signals)
            if (s.kind == Signal::Kind::Digital && !writerOf(m_session.cell(), s.id))
                signals.add(s.name, s.id, process.signal);
        addChoice("Signal", "processSignal" + n, signals.names, signals.current,
                  [=](int k) { set([&](Process& p) { p.signal = signals.ids[size_t(k)]; }); });
        addNumber("Lead", "processLead" + n, process.lead, "s", limits::kLead, 1, 3,
                  [=](double v) { set([&](Process& p) { p.lead = v; }); });
        addNumber("Depth", "processDepth" + n, millimetres(process.depth), "mm", limits::kProcessDepth, kMillimetre, 1,
                  [=](double v) { set([&](Process& p) { p.depth = v * kMillimetre; }); });
        addButtons({{"Remove", "processRemove" + n, "Refused while a step switches it", [=, this] {
                         edit("Remove " + text(process.name),
                              [id = process.id](const Cell& c) { return deleteProcess(c, id); });
                     }}});
    }
    addButtons({{"Add a process", "addProcess", "Something that the tool does while it goes, switched by a signal",
                 [=, this, id = tool.id] {
                     const Cell& cell = m_session.cell();
                     for (const Signal& s : cell.signals)
                         if (s.kind == Signal::Kind::Digital && !writerOf(cell, s.id)) {
                             const std::string name = freeNameIn(tool.processes, "Process");
                             edit("Add a process", [=, signal = s.id](const Cell& c) {
                                 return setProcess(c, id, {.name = name, .signal = signal});
                             });
                             return;
                         }
                     m_session.say(
                         "A process needs a digital signal that no device writes; add one among the signals first.",
                         true);
                 }}});
}

void ToolPage::addLoad(const Tool& shown)
{
    const Tool tool = shown;
    addHead("Load: from the flange");
    std::vector<Solid> all = tool.body;
    for (Solid solid : tool.jaw) {
        solid.pose = tool.flangeFromTcp * solid.pose;
        all.push_back(solid);
    }
    addMass(tool.mass, all, [=, this](const Inertial& body) {
        change(tool, "Load of " + text(tool.name), [&](Tool& t) {
            t.mass = body.mass;
            t.centreOfMass = body.centre;
            t.inertia = body.inertia.diagonal();
        });
    });
    for (int i = 0; i < 3; ++i)
        addNumber(QString("C%1").arg(kAxes[i]), QString("centre%1").arg(i), millimetres(tool.centreOfMass[i]), "mm",
                  -millimetres(limits::kJaw.most), millimetres(limits::kJaw.most), 1, [=, this](double v) {
                      change(tool, "Centre of mass", [&](Tool& t) { t.centreOfMass[i] = v * kMillimetre; });
                  });
    for (int i = 0; i < 3; ++i)
        addNumber(
            QString("I%1").arg(kAxes[i]), QString("inertia%1").arg(i), tool.inertia[i], "kg m²", limits::kInertia, 1, 5,
            [=, this](double v) { change(tool, "Inertia", [&](Tool& t) { t.inertia[i] = v; }); }, true);
}

}  // namespace topikos
