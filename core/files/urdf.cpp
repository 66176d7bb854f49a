#include "core/files/urdf.h"

#include "core/shape/mesh.h"
#include "core/shape/mesh_file.h"
#include "core/spatial/rotation.h"
#include "core/spatial/text.h"

#include <console_bridge/console.h>
#include <fmt/format.h>
#include <tinyxml.h>
#include <urdf_parser/urdf_parser.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <map>
#include <optional>
#include <set>

namespace topikos {

namespace {

constexpr double kRampTime = 0.35;  // [s]

/// Keeps what the URDF parser complains about, instead of printing it.
class Complaints : public console_bridge::OutputHandler {
public:
    Complaints() : m_before(console_bridge::getOutputHandler()) { console_bridge::useOutputHandler(this); }
    ~Complaints() override { console_bridge::useOutputHandler(m_before); }
    void log(const std::string& text, console_bridge::LogLevel level, const char*, int) override
    {
        if (level >= console_bridge::CONSOLE_BRIDGE_LOG_ERROR && first.empty()) first = text;
    }
    std::string first;

private:
    console_bridge::OutputHandler* m_before;
};

Pose poseOf(const urdf::Pose& p)
{
    return {Vec3(p.position.x, p.position.y, p.position.z),
            Quat(p.rotation.w, p.rotation.x, p.rotation.y, p.rotation.z).normalized()};
}

/// Mass distribution of a link in its own frame.
Inertial inertialOf(const urdf::Link& link)
{
    if (!link.inertial) return {};
    const urdf::Inertial& in = *link.inertial;
    Inertial out;
    out.mass = in.mass;
    out.inertia << in.ixx, in.ixy, in.ixz, in.ixy, in.iyy, in.iyz, in.ixz, in.iyz, in.izz;
    return placed(poseOf(in.origin), out);
}

constexpr int kDeepestXml = 100;  // readers of XML go down by calling themselves

constexpr int kMostAttributes = 100;  // of an element; readers of XML compare each with all others

/// Where a document has what the readers of XML cannot take: the line, 0 if there is none. Comments and what is quoted
/// do not count.
struct Strange {
    int row = 0;
    bool attributes = false;  ///< too many of them, else nested too deep
};
Strange strangeIn(const std::string& text)
{
    int depth = 0, row = 1;
    const auto skipTo = [&](size_t& at, const char* end) {
        const size_t found = text.find(end, at);
        const size_t stop = found == std::string::npos ? text.size() : found + std::char_traits<char>::length(end) - 1;
        row += int(std::count(text.begin() + std::ptrdiff_t(at), text.begin() + std::ptrdiff_t(stop), '\n'));
        at = stop;
    };
    for (size_t at = 0; at < text.size(); ++at) {
        if (text[at] == '\n') ++row;
        if (text[at] != '<') continue;
        if (text.compare(at, 4, "<!--") == 0) {
            skipTo(at, "-->");
        } else if (text.compare(at, 9, "<![CDATA[") == 0) {
            skipTo(at, "]]>");
        } else if (text.compare(at, 2, "<?") == 0 || text.compare(at, 2, "<!") == 0) {
            skipTo(at, ">");
        } else if (text.compare(at, 2, "</") == 0) {
            --depth;
            skipTo(at, ">");
        } else {
            char quote = 0;
            const size_t begin = at;
            int attributes = 0;
            for (; at < text.size() && (quote || text[at] != '>'); ++at) {
                if (text[at] == '\n') ++row;
                if (!quote && text[at] == '=' && ++attributes > kMostAttributes) return {row, true};
                if (quote ? text[at] == quote : text[at] == '"' || text[at] == '\'') quote = quote ? 0 : text[at];
            }
            const bool closed = at > begin && at < text.size() && text[at - 1] == '/';
            if (!closed && ++depth > kDeepestXml) return {row, false};
        }
    }
    return {};
}

/// The document with the line of everything in it, checked for what the model reader would only say without a place.
class Source {
public:
    Source(const std::string& text, const std::string& name) : m_name(name)
    {
        if (!isUtf8(text)) {
            int row = 1;
            for (size_t at = 0, end; at < text.size(); at = end + 1, ++row) {
                end = std::min(text.find('\n', at), text.size());
                if (!isUtf8(std::string_view(text).substr(at, end - at))) break;
            }
            error = fail(row, "holds bytes that are no UTF-8", "Save it as UTF-8.");
            return;
        }
        if (const Strange strange = strangeIn(text); strange.row > 0) {
            error =
                fail(strange.row,
                     strange.attributes ? fmt::format("has an element with more than {} attributes", kMostAttributes)
                                        : fmt::format("is nested deeper than {} levels", kDeepestXml),
                     "Open a URDF file.");
            return;
        }
        m_document.Parse(text.c_str());
        if (m_document.Error()) {
            error =
                fail(std::max(1, m_document.ErrorRow()), fmt::format("is not XML here ({})", m_document.ErrorDesc()),
                     "Correct this place or open another file.");
            return;
        }
        const TiXmlElement* robot = m_document.FirstChildElement("robot");
        if (!robot) {
            error = fail(1, "is not a usable URDF file (no robot in it)", "Open a URDF file.");
            return;
        }
        for (const TiXmlElement* e = robot->FirstChildElement(); e; e = e->NextSiblingElement()) {
            const std::string kind = e->Value();
            if (kind != "link" && kind != "joint") continue;
            const char* own = e->Attribute("name");
            if (!own || !*own) {
                error = fail(e->Row(), fmt::format("a {} has no name", kind), "Name it.");
                return;
            }
            if (!rows.emplace(kind + " " + own, e->Row()).second) {
                error = fail(e->Row(), fmt::format("{} \"{}\" is there twice", kind, own), "Rename one of the two.");
                return;
            }
            if (kind == "link") links.push_back(own);
        }
        for (const TiXmlElement* e = robot->FirstChildElement("joint"); e && !error; e = e->NextSiblingElement("joint"))
            checkJoint(*e);
        if (!error && links.empty())
            error = fail(robot->Row(), "is not a usable URDF file (no link in it)", "Open a URDF file.");
    }

    Error fail(int row, std::string message, std::string remedy) const
    {
        return {"urdf", std::move(message), fmt::format("{}, line {}", m_name, row), std::move(remedy)};
    }
    Error failAt(const std::string& what, std::string message, std::string remedy) const
    {
        const auto it = rows.find(what);
        return it == rows.end() ? Error{"urdf", std::move(message), m_name, std::move(remedy)}
                                : fail(it->second, std::move(message), std::move(remedy));
    }

    std::optional<Error> error;
    std::map<std::string, int> rows;  ///< line of "link NAME" and "joint NAME"
    std::vector<std::string> links;

private:
    void checkJoint(const TiXmlElement& joint)
    {
        const std::string own = joint.Attribute("name");
        for (const char* end : {"parent", "child"}) {
            const TiXmlElement* e = joint.FirstChildElement(end);
            const char* link = e ? e->Attribute("link") : nullptr;
            if (!link) {
                error = fail(joint.Row(), fmt::format("joint \"{}\" has no {} link", own, end),
                             fmt::format("Give it a {} element.", end));
                return;
            }
            if (rows.contains(std::string("link ") + link)) continue;
            error = fail(e->Row(),
                         fmt::format("joint \"{}\" names the {} link \"{}\", which is not in the file", own, end, link),
                         closest(link));
            return;
        }
        const char* type = joint.Attribute("type");
        const std::string kind = type ? type : "";
        if ((kind == "revolute" || kind == "prismatic") && !joint.FirstChildElement("limit"))
            error = fail(joint.Row(), fmt::format("joint \"{}\" has no limit element", own),
                         "Give it lower, upper, effort and velocity.");
        const std::string child = joint.FirstChildElement("child")->Attribute("link");
        if (!error && !m_children.emplace(child, own).second)
            error =
                fail(joint.Row(),
                     fmt::format("link \"{}\" is the child of both \"{}\" and \"{}\": a loop, which URDF cannot hold",
                                 child, m_children[child], own),
                     "Leave one of the two out.");
    }

    /// The link whose name is nearest to a misspelt one.
    std::string closest(const std::string& wanted) const
    {
        std::string best;
        size_t least = 1000;
        for (const std::string& link : links) {
            std::vector<size_t> row(link.size() + 1);
            for (size_t i = 0; i < row.size(); ++i)
                row[i] = i;
            for (size_t i = 0; i < wanted.size(); ++i) {
                size_t corner = row[0];
                row[0] = i + 1;
                for (size_t k = 0; k < link.size(); ++k) {
                    const size_t replaced = corner + (wanted[i] != link[k]);
                    corner = row[k + 1];
                    row[k + 1] = std::min({row[k] + 1, row[k + 1] + 1, replaced});
                }
            }
            if (row.back() < least) least = row.back(), best = link;
        }
        return least <= 3 ? fmt::format("Is \"{}\" meant?", best) : "Correct the name, or add the link.";
    }

    std::string m_name;
    TiXmlDocument m_document;
    std::map<std::string, std::string> m_children;
};

Result<urdf::ModelInterfaceSharedPtr> modelOf(const std::string& text, const std::string& name, const Source& source)
{
    if (source.error) return *source.error;
    Complaints complaints;
    const auto fail = [&](const std::string& why) {
        // The reader puts the name of what it stumbled over in brackets or quotes.
        for (const auto& [what, row] : source.rows) {
            const std::string own = what.substr(what.find(' ') + 1);
            if (why.find('[' + own + ']') != std::string::npos || why.find('\'' + own + '\'') != std::string::npos)
                return source.fail(row, fmt::format("is not a usable URDF file ({})", why), "Correct this place.");
        }
        return Error{"urdf", fmt::format("is not a usable URDF file ({})", why), name, "Correct the file."};
    };
    try {
        if (urdf::ModelInterfaceSharedPtr model = urdf::parseURDF(text)) {
            // The reader takes links that hang on themselves, as long as there is a root somewhere.
            std::set<std::string> hang{model->getRoot()->name};
            for (const std::string& first : source.links) {
                std::set<std::string> way;
                for (urdf::LinkConstSharedPtr link = model->getLink(first); link && !hang.contains(link->name);
                     link = link->getParent())
                    if (!way.insert(link->name).second)
                        return fail(fmt::format("link [{}] hangs on itself by its joints", link->name));
                hang.merge(way);
            }
            return model;
        }
    } catch (const std::exception& e) {
        return fail(e.what());
    }
    return fail(complaints.first.empty() ? "no robot in it" : complaints.first);
}

std::vector<std::string> tipsOf(const urdf::ModelInterface& model, const Source& source)
{
    std::vector<std::string> tips;
    for (const std::string& link : source.links)
        if (model.getLink(link) && model.getLink(link)->child_links.empty()) tips.push_back(link);
    return tips;
}

/// The joints from base down to tip.
Result<std::vector<urdf::JointConstSharedPtr>> wayOf(const urdf::ModelInterface& model, const Source& source,
                                                     const UrdfChain& chain, const std::string& name)
{
    const auto known = [&](const std::string& link) -> Status {
        if (link.empty() || model.getLink(link)) return std::nullopt;
        return Error{"urdf.chain", fmt::format("has no link \"{}\"", link), name, "Choose one of its links."};
    };
    if (Status bad = known(chain.base)) return *bad;
    if (Status bad = known(chain.tip)) return *bad;
    std::string tip = chain.tip;
    if (tip.empty() && model.getLink("flange")) tip = "flange";
    if (tip.empty()) {
        const std::vector<std::string> tips = tipsOf(model, source);
        if (tips.size() != 1)
            return Error{"urdf.chain",
                         fmt::format("holds {} chains: they end at {}", tips.size(),
                                     fmt::format("\"{}\"", fmt::join(tips, "\", \""))),
                         name, "Choose base and tip."};
        tip = tips.front();
    }
    const std::string base = chain.base.empty() ? model.getRoot()->name : chain.base;
    std::vector<urdf::JointConstSharedPtr> way;
    urdf::LinkConstSharedPtr link = model.getLink(tip);
    for (; link && link->name != base && link->parent_joint; link = link->getParent())
        way.push_back(link->parent_joint);
    if (!link || link->name != base)
        return Error{"urdf.chain", fmt::format("has no way from \"{}\" to \"{}\"", base, tip), name,
                     "Choose a base that the tip hangs on."};
    std::reverse(way.begin(), way.end());
    return way;
}

/// Box, cylinder or sphere of a URDF file.
Triangles simpleBody(const urdf::Geometry& geometry)
{
    if (geometry.type == urdf::Geometry::BOX) {
        const auto& box = static_cast<const urdf::Box&>(geometry);
        return trianglesOf(solidMesh({Solid::Kind::Box, {}, Vec3(box.dim.x, box.dim.y, box.dim.z), {}}));
    }
    if (geometry.type == urdf::Geometry::CYLINDER) {
        const auto& cylinder = static_cast<const urdf::Cylinder&>(geometry);
        return trianglesOf(solidMesh(
            {Solid::Kind::Cylinder, {}, Vec3(2 * cylinder.radius, 2 * cylinder.radius, cylinder.length), {}}));
    }
    const double diameter = 2 * static_cast<const urdf::Sphere&>(geometry).radius;
    return trianglesOf(solidMesh({Solid::Kind::Sphere, {}, Vec3::Constant(diameter), {}}));
}

/// Adds the surfaces of a link that stands at `place` in the frame of the last moving joint.
void addMeshes(ArmDescription& arm, const urdf::Link& link, const Pose& place, const MeshLoader& load,
               std::vector<std::string>* lost)
{
    const auto add = [&](const urdf::Pose& origin, const urdf::GeometrySharedPtr& geometry,
                         const urdf::MaterialSharedPtr& material) {
        if (!geometry) return;
        const auto* mesh =
            geometry->type == urdf::Geometry::MESH ? static_cast<const urdf::Mesh*>(geometry.get()) : nullptr;
        Result<Triangles> body =
            mesh ? load(mesh->filename, {mesh->scale.x, mesh->scale.y, mesh->scale.z}) : simpleBody(*geometry);
        if (!body) {
            if (lost)
                lost->push_back(
                    fmt::format("Link \"{}\" is drawn from its kinematics: {}", link.name, body.error().line()));
            return;
        }
        Triangles triangles = placed(place * poseOf(origin), std::move(body).value());
        const auto byte = [](float v) { return std::uint8_t(std::clamp(v, 0.0f, 1.0f) * 255); };
        if (material && material->color.a > 0)
            triangles.color = {byte(material->color.r), byte(material->color.g), byte(material->color.b)};
        arm.meshes.push_back({int(arm.joints.size()), std::make_shared<const Triangles>(std::move(triangles))});
    };
    for (const urdf::VisualSharedPtr& v : link.visual_array)
        add(v->origin, v->geometry, v->material);
    if (link.visual_array.empty())
        for (const urdf::CollisionSharedPtr& c : link.collision_array)
            add(c->origin, c->geometry, nullptr);
}

}  // namespace

Result<UrdfLinks> urdfLinks(const std::string& text, const std::string& name)
{
    const Source source(text, name);
    const auto model = modelOf(text, name, source);
    if (!model) return model.error();
    return UrdfLinks{(*model)->getRoot()->name, source.links, tipsOf(**model, source)};
}

Result<ArmPtr> readUrdf(const std::string& text, const std::string& name, const UrdfChain& chain,
                        const MeshLoader& meshes, std::vector<std::string>* lost)
{
    const Source source(text, name);
    const auto model = modelOf(text, name, source);
    if (!model) return model.error();
    const auto way = wayOf(**model, source, chain, name);
    if (!way) return way.error();

    ArmDescription arm;
    arm.id = name;
    arm.name = (*model)->getName();
    Pose pending;  // fixed joints since the last moving one
    const auto bodies = [&](const urdf::Link& link) {
        if (meshes) addMeshes(arm, link, pending, meshes, lost);
    };
    bodies(*(*model)->getLink(way->empty() ? (*model)->getRoot()->name : way->front()->parent_link_name));
    for (const urdf::JointConstSharedPtr& j : *way) {
        const auto fail = [&](std::string message, std::string remedy) {
            return source.failAt("joint " + j->name, std::move(message), std::move(remedy));
        };
        pending = pending * poseOf(j->parent_to_joint_origin_transform);
        const Inertial link = inertialOf(*(*model)->getLink(j->child_link_name));
        if (j->type == urdf::Joint::FIXED) {
            // What is fixed to a link moves with it; what is fixed to the base does not move.
            if (!arm.joints.empty()) arm.joints.back().link = joined(arm.joints.back().link, placed(pending, link));
            bodies(*(*model)->getLink(j->child_link_name));
            continue;
        }
        const bool revolute = j->type == urdf::Joint::REVOLUTE || j->type == urdf::Joint::CONTINUOUS;
        if (!revolute && j->type != urdf::Joint::PRISMATIC)
            return fail(fmt::format("joint \"{}\" is of a type no arm has (floating or planar)", j->name),
                        "Use revolute or prismatic joints.");
        if (j->mimic)
            return fail(fmt::format("joint \"{}\" follows joint \"{}\" (mimic), so the chain is not one of free joints",
                                    j->name, j->mimic->joint_name),
                        "Choose a tip before it, or remove the mimic element.");
        if (!j->limits)
            return fail(fmt::format("joint \"{}\" has no limit element", j->name),
                        "Give it lower, upper, effort and velocity.");
        Joint joint;
        joint.name = j->name;
        joint.kind = revolute ? JointKind::Revolute : JointKind::Prismatic;
        joint.parentFromJoint = pending;
        joint.axis = Vec3(j->axis.x, j->axis.y, j->axis.z);
        const bool endless = j->type == urdf::Joint::CONTINUOUS;
        joint.lower = endless ? -4 * std::acos(-1.0) : j->limits->lower;
        joint.upper = endless ? 4 * std::acos(-1.0) : j->limits->upper;
        joint.speed = j->limits->velocity;
        joint.acceleration = joint.speed / kRampTime;
        joint.effort = j->limits->effort;
        joint.link = link;
        if (joint.axis.norm() > 1e-9) joint.axis.normalize();
        arm.joints.push_back(joint);
        pending = {};
        bodies(*(*model)->getLink(j->child_link_name));
    }
    arm.lastFromFlange = pending;
    Result<ArmPtr> made = Arm::make(std::move(arm));
    if (made) return made;
    // "joint 3 "elbow"": the line of what stands in quotes.
    const std::string& where = made.error().where;
    const size_t quote = where.find('"');
    const std::string joint = quote == std::string::npos ? "" : where.substr(quote + 1, where.rfind('"') - quote - 1);
    Error placed = source.failAt("joint " + joint, made.error().message, made.error().remedy);
    placed.code = made.error().code;
    placed.where += ", " + where;
    return placed;
}

std::vector<std::string> packagesOf(const std::string& text)
{
    std::vector<std::string> names;
    constexpr std::string_view head = "package://";
    for (size_t at = text.find(head); at != std::string::npos; at = text.find(head, at + 1)) {
        const size_t begin = at + head.size(), end = text.find_first_of("/\"", begin);
        if (end == std::string::npos) break;
        const std::string name = text.substr(begin, end - begin);
        if (!name.empty() && std::find(names.begin(), names.end(), name) == names.end()) names.push_back(name);
    }
    return names;
}

MeshLoader meshesBeside(const std::string& urdfPath, PackageFolders packages)
{
    return [folder = std::filesystem::path(urdfPath).parent_path(),
            packages = std::move(packages)](const std::string& name, const Vec3& scale) -> Result<Triangles> {
        std::filesystem::path path = name;
        if (name.starts_with("package://")) {
            const std::string rest = name.substr(10);
            const size_t slash = rest.find('/');
            const auto known = packages.find(rest.substr(0, slash));
            if (slash == std::string::npos || known == packages.end())
                return Error{
                    "mesh.package",
                    fmt::format("its mesh lies in package \"{}\", whose folder is not known", rest.substr(0, slash)),
                    name, "Say where the package lies."};
            const std::filesystem::path package = known->second;
            path = package / rest.substr(std::min(rest.find_first_not_of('/', slash), rest.size()));
            // Neither by its name nor by a link may it lead out of the package.
            std::error_code bad;
            const std::filesystem::path whole = std::filesystem::weakly_canonical(path, bad),
                                        inside = bad ? whole : std::filesystem::weakly_canonical(package, bad);
            const auto [left, ignored] = std::mismatch(inside.begin(), inside.end(), whole.begin(), whole.end());
            if (bad || left != inside.end())
                return Error{"mesh.outside",
                             fmt::format("its mesh lies outside of package \"{}\"", rest.substr(0, slash)), name,
                             "Name a file in the package."};
        } else if (name.starts_with("file://")) {
            path = name.substr(7);
        }
        if (path.is_relative()) path = folder / path;
        return readMeshFile(path.string(), scale);
    };
}

}  // namespace topikos
