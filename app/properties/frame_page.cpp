#include "app/properties/pages.h"

#include "app/layout/layout_commands.h"
#include "app/properties/choices.h"
#include "app/session/text.h"
#include "core/cell/devices.h"
#include "core/cell/edit_support.h"
#include "core/cell/furniture.h"

#include <tuple>
#include <utility>

namespace topikos {

namespace {

constexpr std::uint32_t kNewKind = 0xffffffff;  // among kinds to choose from

}  // namespace

void FramePage::fill()
{
    const Frame* shown = findFrame(m_session.cell(), m_session.selected<FrameId>());
    if (!shown) return;
    const Frame frame = *shown;
    if (std::exchange(m_shown, frame.id) != frame.id) startAtFirstShape();
    const FrameId id = frame.id;
    const Cell& cell = m_session.cell();
    setTitle(frame.device ? "Device" : frame.axis ? "Axis of a device" : "Frame");
    addName(frame.name, [=, this](const std::string& name) {
        edit("Rename frame", [=](const Cell& c) { return renameFrame(c, id, name); });
    });
    if (frame.device) addDevice(frame);
    if (const auto furniture = furnitureOf(frame.solids)) {
        setTitle("Frame of a " + QString(furnitureWord(furniture->kind)));
        const std::tuple<const char*, const char*, double Furniture::*> lengths[] = {
            {"Width", "furnitureWidth", &Furniture::width},
            {"Depth", "furnitureDepth", &Furniture::depth},
            {"Height", "furnitureHeight", &Furniture::height}};
        for (const auto& [label, name, length] : lengths)
            addNumber(label, name, millimetres((*furniture).*length), "mm", millimetres(kLeastFurniture),
                      millimetres(limits::kSize.most), 1, [=, this, which = length](double v) {
                          Furniture next = *furniture;
                          next.*which = v * kMillimetre;
                          edit("Size of " + text(frame.name),
                               [=](const Cell& c) { return resizeFurniture(c, id, next); });
                      });
    }
    if (frame.axis) {
        addAxis(frame);
        addButtons({{"Go to the device", "toDevice", "The device that this axis belongs to",
                     [=, this] { m_session.select(deviceOfAxis(m_session.cell(), id)); }}});
    }
    if (frame.device || frame.axis) addHead("Place");
    const auto frames = framesOf(cell, frame.parent, id);
    if (!frame.axis)
        addChoice("Seen from", "frameParent", frames.names, frames.current, [=, this](int i) {
            edit("New parent for " + text(frame.name),
                 [=](const Cell& c) { return setFrameParent(c, id, frames.ids[size_t(i)]); });
        });
    const bool built = cell.asBuilt && frame.measured;
    if (frame.measured) addHead(built ? "As built (in force)" : "As drawn (in force)");
    addPose(placeInForce(cell, frame), [=, this](const Pose& pose) {
        edit("Move " + text(frame.name), [=](const Cell& c) { return setFramePose(c, id, pose); });
    });
    if (frame.measured) {
        const PoseDeviation off = deviation(frame.pose, *frame.measured);
        const Vec3 shift = frame.measured->translation - frame.pose.translation;
        addText("Off by", QString("%1 %2 (X %3  Y %4  Z %5), turned %6")
                              .arg(placeFigure(off.metres), lengthUnit().symbol, placeFigure(shift[0]),
                                   placeFigure(shift[1]), placeFigure(shift[2]), degreeText(off.radians, 3)));
    }
    std::vector<Button> buttons{
        {"Three points", "teachFrame",
         "Place this frame by touching its origin, its x axis and its xy plane with the TCP",
         [this] { Q_EMIT teachRequested(TeachPanel::Kind::Frame); }},
        {frame.measured ? "Measure anew" : "As built …", "teachBuilt",
         "Enter where three points of the drawing were measured; targets and parts in it follow",
         [this] { Q_EMIT teachRequested(TeachPanel::Kind::AsBuilt); }}};
    if (frame.measured)
        buttons.push_back({"Forget", "forgetBuilt", "Take the measurement away; the frame stands as drawn", [=, this] {
                               edit("Forget measurement",
                                    [=](const Cell& c) { return setFrameMeasured(c, id, std::nullopt); });
                           }});
    else
        buttons.push_back(
            {"Type as built", "typeBuilt", "Start a measurement equal to the drawn place, to be typed in", [=, this] {
                 edit("Measure " + text(frame.name),
                      [=](const Cell& c) { return setFrameMeasured(c, id, frame.pose); });
             }});
    if (m_session.station().mount != id)
        buttons.push_back({"Put the arm here", "mountHere", "The arm in hand stands on this frame from now on",
                           [this] { mountArmHere(m_session); }});
    addButtons(buttons);
    addLook(frame.look);
    if (const PartKind* made = frame.device ? findPartKind(cell, frame.device->makes) : nullptr) {
        addHead("Makes: " + text(made->name), "Makes");
        addLine("Kind", "kindName", text(made->name), "Name of what it makes",
                [=, this, kind = *made](const QString& typed) {
                    PartKind next = kind;
                    next.name = typed.toStdString();
                    edit("Rename a kind", [=](const Cell& c) { return changePartKind(c, next); });
                    return false;
                });
        addKind(*made, "kind");
    }
    addSolids(frame.solids, [=, this](const std::vector<Solid>& solids, const QString& label) {
        edit(label, [=](const Cell& c) { return setFrameSolids(c, id, solids); });
    });
}

void FramePage::addDevice(const Frame& frame)
{
    using Kind = Device::Kind;
    const FrameId id = frame.id;
    const Device device = *frame.device;
    const auto change = [=, this](auto set) {
        Device next = device;
        set(next);
        edit("Change " + text(frame.name), [=](const Cell& c) { return changeDevice(c, id, next); });
    };
    addHead(text(deviceTitle(device.kind)));
    const auto size = [&](int axis, const QString& label) {
        addNumber(
            label, QString("deviceSize%1").arg(axis), millimetres(device.size[axis]), "mm", limits::kDeviceLength,
            kMillimetre, 1, [=](double v) { change([&](Device& d) { d.size[axis] = v * kMillimetre; }); }, true);
    };
    switch (device.kind) {
    case Kind::Belt:
        size(0, "Length");
        size(1, "Width");
        addNumber(
            "Speed", "beltSpeed", millimetres(device.speed), "mm/s", limits::kBeltSpeed, kMillimetre, 1,
            [=](double v) { change([&](Device& d) { d.speed = v * kMillimetre; }); }, true);
        addNumber(
            "Ramp", "beltRamp", millimetres(device.acceleration), "mm/s²", limits::kBeltAcceleration, kMillimetre, 0,
            [=](double v) { change([&](Device& d) { d.acceleration = v * kMillimetre; }); }, true);
        addChoice("Goes", "beltMode", {"on and on", "by the pitch"}, device.indexing,
                  [=](int i) { change([&](Device& d) { d.indexing = i == 1; }); });
        if (device.indexing)
            addNumber(
                "Pitch", "beltPitch", millimetres(device.pitch), "mm", limits::kBeltPitch, kMillimetre, 1,
                [=](double v) { change([&](Device& d) { d.pitch = v * kMillimetre; }); }, true);
        addChoice("At its end", "beltEnd", {"parts run off", "parts queue"}, device.accumulates,
                  [=](int i) { change([&](Device& d) { d.accumulates = i == 1; }); });
        if (!device.input)
            addText("", device.indexing ? "Stands until it gets a signal for one pitch."
                                        : "Runs all the time: no signal starts it.");
        break;
    case Kind::Source: {
        const Table<PartKind>& kinds = m_session.cell().partKinds;
        Choices<PartKindId> makes;
        makes.add("nothing", {}, device.makes);
        for (const PartKind& k : kinds)
            makes.add(k.name, k.id, device.makes);
        makes.add("a new kind", PartKindId{kNewKind}, device.makes);
        addChoice("Makes", "sourceMakes", makes.names, makes.current, [=, this](int i) {
            if (makes.ids[size_t(i)].value == kNewKind)
                return edit("Make a new kind in " + text(frame.name),
                            [=](const Cell& c) { return makeNewKind(c, id); });
            change([&](Device& d) { d.makes = makes.ids[size_t(i)]; });
        });
        if (!device.input)
            addNumber("Every", "sourceInterval", device.interval, "s", limits::kSourceInterval, 1, 2,
                      [=](double v) { change([&](Device& d) { d.interval = v; }); });
        addNumber("At most", "sourceMost", device.most, "", limits::kSourceMost, 1, 0,
                  [=](double v) { change([&](Device& d) { d.most = std::uint32_t(v); }); });
        addText("", "A part comes when this box is free:");
        break;
    }
    case Kind::Sensor: size(0, "Beam"); break;
    case Kind::LightBarrier:
        size(0, "Width");
        size(2, "Height");
        break;
    default: break;
    }
    if (device.kind == Kind::Source || device.kind == Kind::Sink || device.kind == Kind::Scanner
        || device.kind == Kind::Clamp)
        for (int i = 0; i < 3; ++i)
            size(i, QString("Box ") + "XYZ"[i]);
    const Wires wires = wiresOf(device.kind);
    const auto wire = [&](const char* role, SignalId Device::*which, Signal::Kind kind, const QString& name,
                          const QString& what) {
        if (!role) return;
        QStringList names{"none", QString("new: %1 %2").arg(text(shortened(frame.name, 40)), role)};
        std::vector<SignalId> ids{{}, {}};
        int current = 0;
        for (const Signal& s : m_session.cell().signals) {
            if (s.kind != kind) continue;
            if (s.id == device.*which) current = int(ids.size());
            names << text(s.name);
            ids.push_back(s.id);
        }
        addText("", what);
        addChoice("", name, names, current, [=, this](int i) {
            edit("Wire " + text(frame.name), [=](const Cell& c) -> Result<Cell> {
                Device next = device;
                next.*which = ids[size_t(i)];
                if (i != 1) return changeDevice(c, id, next);
                const Result<Cell> more = topikos::addSignal(
                    c, freeNameIn(c.signals, shortened(frame.name, 40) + " " + role), kind, &(next.*which));
                return more ? changeDevice(*more, id, next) : more;
            });
        });
    };
    wire(wires.input, &Device::input, Signal::Kind::Digital, "wireInput",
         QString("Reads \"%1\" from").arg(wires.input));
    wire(wires.output, &Device::output, Signal::Kind::Digital, "wireOutput",
         QString("Writes \"%1\" to").arg(wires.output));
    wire(wires.number, &Device::number, Signal::Kind::Number, "wireNumber",
         QString("Writes \"%1\" to").arg(wires.number));
    for (const FrameId axis : axesOf(m_session.cell(), id))
        addAxis(*findFrame(m_session.cell(), axis));
}

}  // namespace topikos
