#include "core/files/urdf.h"
#include "core/shape/mesh_file.h"
#include "core/spatial/rotation.h"
#include "core/spatial/text.h"

#include <fmt/format.h>

#include <cmath>

namespace topikos {

namespace {

std::string numbers(const Vec3& v) { return fmt::format("{} {} {}", v[0], v[1], v[2]); }

std::string originOf(const Pose& pose)
{
    return fmt::format("<origin xyz=\"{}\" rpy=\"{}\"/>", numbers(pose.translation),
                       numbers(anglesOf(AngleOrder::FixedXyz, pose.matrix())));
}

std::string visualText(const std::string& file, const Triangles& surface)
{
    const auto part = [&](int i) { return surface.color[size_t(i)] / 255.0; };
    const std::string geometry = fmt::format("<geometry><mesh filename=\"{}\"/></geometry>", xmlText(file));
    return fmt::format("    <visual>\n      {}\n      <material name=\"{}\"><color rgba=\"{:.3f} {:.3f} {:.3f} "
                       "1\"/></material>\n    </visual>\n    <collision>{}</collision>\n",
                       geometry, xmlText(file), part(0), part(1), part(2), geometry);
}

std::string linkText(const std::string& name, const Inertial& body, const std::string& visuals)
{
    std::string inside = visuals;
    const Mat3& m = body.inertia;
    if (body.mass > 0)
        inside += fmt::format("    <inertial>\n      {}\n      <mass value=\"{}\"/>\n      <inertia ixx=\"{}\" "
                              "ixy=\"{}\" ixz=\"{}\" iyy=\"{}\" iyz=\"{}\" izz=\"{}\"/>\n    </inertial>\n",
                              originOf(translated(body.centre)), body.mass, m(0, 0), m(0, 1), m(0, 2), m(1, 1), m(1, 2),
                              m(2, 2));
    return inside.empty() ? fmt::format("  <link name=\"{}\"/>\n", xmlText(name))
                          : fmt::format("  <link name=\"{}\">\n{}  </link>\n", xmlText(name), inside);
}

}  // namespace

Exported writeUrdf(const Arm& arm, const std::string& name)
{
    const ArmDescription& d = arm.description();
    Exported out;
    std::vector<std::string> visuals(d.joints.size() + 1);  // by link
    for (const LinkMesh& mesh : d.meshes) {
        const std::string file = fmt::format("{}-meshes/link-{}-{}.stl", name, mesh.link, out.beside.size() + 1);
        out.beside.emplace_back(file, stlOf(*mesh.triangles));
        visuals[size_t(mesh.link)] += visualText(file, *mesh.triangles);
    }
    std::string& t = out.text;
    t = fmt::format("<?xml version=\"1.0\"?>\n<robot name=\"{}\">\n", xmlText(d.name))
        + linkText("base_link", {}, visuals[0]);
    for (size_t i = 0; i < d.joints.size(); ++i) {
        const Joint& j = d.joints[i];
        t += linkText(fmt::format("link_{}", i + 1), j.link, visuals[i + 1]);
        t += fmt::format("  <joint name=\"joint_{}\" type=\"{}\">\n    {}\n    <parent link=\"{}\"/>\n    <child "
                         "link=\"link_{}\"/>\n    <axis xyz=\"{}\"/>\n"
                         "    <limit lower=\"{}\" upper=\"{}\" effort=\"{}\" velocity=\"{}\"/>\n  </joint>\n",
                         i + 1, j.kind == JointKind::Revolute ? "revolute" : "prismatic", originOf(j.parentFromJoint),
                         i ? fmt::format("link_{}", i) : std::string("base_link"), i + 1, numbers(j.axis), j.lower,
                         j.upper, j.effort, j.speed);
    }
    t += fmt::format("  <link name=\"flange\"/>\n  <joint name=\"flange_joint\" type=\"fixed\">\n    {}\n    <parent "
                     "link=\"link_{}\"/>\n    <child link=\"flange\"/>\n  </joint>\n</robot>\n",
                     originOf(d.lastFromFlange), d.joints.size());
    out.lost = {"Joint accelerations are not in it: URDF has no place for them.",
                "Home is not in it; export SRDF beside it for named postures."};
    if (d.payload > 0) out.lost.push_back("The payload is not in it.");
    if (d.sheet)
        out.lost.push_back("The drawing's posture and the orientation convention of the data sheet are not in it.");
    if (arm.unlocked()) out.lost.push_back("Locked axes are written as free: URDF has no locks.");
    if (std::any_of(d.joints.begin(), d.joints.end(), [](const Joint& j) { return j.effort <= 0; }))
        out.lost.push_back("Efforts that are unknown are written as 0, which some readers take as a limit.");
    return out;
}

std::string writeSrdf(const Arm& arm, const std::vector<std::pair<std::string, JointVector>>& postures,
                      const std::vector<LinksApart>& apart)
{
    std::string t = fmt::format("<?xml version=\"1.0\"?>\n<robot name=\"{}\">\n  <group name=\"arm\">\n    <chain "
                                "base_link=\"base_link\" tip_link=\"flange\"/>\n  </group>\n",
                                xmlText(arm.description().name));
    for (const auto& [name, q] : postures) {
        t += fmt::format("  <group_state name=\"{}\" group=\"arm\">\n", xmlText(name));
        for (int i = 0; i < q.size(); ++i)
            t += fmt::format("    <joint name=\"joint_{}\" value=\"{}\"/>\n", i + 1, q[i]);
        t += "  </group_state>\n";
    }
    std::string before = "base_link";
    for (int i = 1; i <= arm.jointCount(); ++i) {
        t += fmt::format("  <disable_collisions link1=\"{}\" link2=\"link_{}\" reason=\"Adjacent\"/>\n", before, i);
        before = fmt::format("link_{}", i);
    }
    const auto link = [](int i) { return i == 0 ? std::string("base_link") : fmt::format("link_{}", i); };
    for (const LinksApart& pair : apart)
        if (pair.b > pair.a + 1)
            t += fmt::format("  <disable_collisions link1=\"{}\" link2=\"{}\" reason=\"{}\"/>\n", link(pair.a),
                             link(pair.b), pair.reason);
    return t
           + fmt::format("  <disable_collisions link1=\"{}\" link2=\"flange\" reason=\"Adjacent\"/>\n</robot>\n",
                         before);
}

}  // namespace topikos
