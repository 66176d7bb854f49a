#include "cli/commands.h"
#include "cli/support.h"
#include "core/files/arm_file.h"
#include "core/files/cell_file.h"
#include "core/robot/catalogue.h"
#include "core/robot/dynamics.h"
#include "core/robot/singularity.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <Eigen/LU>

#include <cstdio>
#include <iostream>
#include <stdexcept>

namespace topikos::cli {

namespace {

using Json = nlohmann::ordered_json;

constexpr size_t kLongestLine = 1 << 20;

/// A query line that cannot be answered.
struct BadLine : std::runtime_error {
    using std::runtime_error::runtime_error;
};

template <class Vector> Json listOf(const Vector& v)
{
    Json out = Json::array();
    for (Eigen::Index i = 0; i < v.size(); ++i)
        out.push_back(v[i]);
    return out;
}

template <class Matrix> Json rowsOf(const Matrix& m)
{
    Json out = Json::array();
    for (Eigen::Index i = 0; i < m.rows(); ++i)
        out.push_back(listOf(m.row(i)));
    return out;
}

double numberOf(const Json& v, const char* key)
{
    if (!v.is_number()) throw BadLine(fmt::format("\"{}\" holds something that is not a number", key));
    return v.get<double>();
}

JointVector jointsOf(const Json& line, const char* key, const Arm& arm)
{
    const auto it = line.find(key);
    if (it == line.end()) throw BadLine(fmt::format("\"{}\" is missing", key));
    if (!it->is_array() || it->size() != size_t(arm.jointCount()))
        throw BadLine(fmt::format("\"{}\" must be a list of {} numbers", key, arm.jointCount()));
    JointVector q(arm.jointCount());
    for (int i = 0; i < arm.jointCount(); ++i)
        q[i] = numberOf((*it)[size_t(i)], key);
    return q;
}

Vec3 vectorOf(const Json& v, const char* key)
{
    if (!v.is_array() || v.size() != 3) throw BadLine(fmt::format("\"{}\" must be a list of 3 numbers", key));
    return {numberOf(v[0], key), numberOf(v[1], key), numberOf(v[2], key)};
}

Pose poseOf(const Json& line)
{
    const auto it = line.find("pose");
    const auto shape = [](bool good) {
        if (!good) throw BadLine("\"pose\" must be 4 rows of 4 numbers");
    };
    shape(it != line.end() && it->is_array() && it->size() == 4);
    Eigen::Matrix4d m;
    for (size_t r = 0; r < 4; ++r) {
        shape((*it)[r].is_array() && (*it)[r].size() == 4);
        for (size_t c = 0; c < 4; ++c)
            m(Eigen::Index(r), Eigen::Index(c)) = numberOf((*it)[r][c], "pose");
    }
    const Mat3 rotation = m.topLeftCorner<3, 3>();
    if (!((rotation.transpose() * rotation - Mat3::Identity()).norm() < 1e-6 && rotation.determinant() > 0))
        throw BadLine("the rotation in \"pose\" is not orthonormal and right-handed");
    if (!((m.row(3) - Eigen::RowVector4d(0, 0, 0, 1)).norm() < 1e-9))
        throw BadLine("the last row of \"pose\" must be 0 0 0 1");
    return makePose(rotation, m.topRightCorner<3, 1>());
}

/// Answers standard input line by line.
template <class Answer> int answerLines(const ArmChoice& name, Answer answer)
{
    const Result<ArmPtr> arm = findArm(name.name, {name.base, name.tip});
    if (!arm) return refused(arm.error());
    bool bad = false;
    std::string text;
    while (std::getline(std::cin, text)) {
        if (text.find_first_not_of(" \t\r") == std::string::npos) continue;
        Json out;
        try {
            if (text.size() > kLongestLine) throw BadLine("the line is longer than 1 MB");
            const Json line = Json::parse(text);
            if (!line.is_object()) throw BadLine("the line is not a JSON object");
            out = answer(**arm, line);
        } catch (const BadLine& e) {
            out = {{"error", e.what()}};
        } catch (const Json::exception&) {
            out = {{"error", "the line is not JSON"}};
        }
        bad = bad || out.contains("error");
        std::cout << out.dump() << '\n';
    }
    std::cout.flush();
    return bad ? 2 : 0;
}

std::string reasonText(const Arm& arm, const Solutions& found)
{
    switch (found.reason) {
    case NoSolution::TooFar:
        return fmt::format("too far: the wrist centre would be {:.6f} m beyond the reach", found.shortfall);
    case NoSolution::TooClose:
        return fmt::format("too close: the wrist centre would be {:.6f} m inside the least reach", found.shortfall);
    case NoSolution::JointRange:
        return fmt::format("joint range: joint {} would be {:.6f} rad past its range", found.range.joint + 1,
                           found.range.excess);
    case NoSolution::Orientation:
        return fmt::format("orientation: off by {:.6f} rad what an arm of {} axes can give there", found.shortfall,
                           arm.jointCount());
    case NoSolution::NotFound:
        return fmt::format("not found: the nearest pose found is off by {:.6f} m and {:.6f} rad", found.shortfall,
                           found.excessTurn.norm());
    case NoSolution::None: break;
    }
    return "";
}

}  // namespace

int armList()
{
    Json arms = Json::array();
    for (const std::string& id : catalogueIds()) {
        const ArmPtr arm = catalogueArm(id);
        arms.push_back({{"id", id},
                        {"name", arm->description().name},
                        {"axes", arm->jointCount()},
                        {"reach", arm->reach()},
                        {"payload", arm->description().payload}});
    }
    std::cout << Json{{"arms", arms}}.dump() << '\n';
    return 0;
}

int armInfo(const ArmChoice& name)
{
    const Result<ArmPtr> arm = findArm(name.name, {name.base, name.tip});
    if (!arm) return refused(arm.error());
    Json axes = Json::array();
    for (const Joint& j : (*arm)->joints())
        axes.push_back({{"name", j.name},
                        {"kind", j.kind == JointKind::Revolute ? "revolute" : "prismatic"},
                        {"lower", j.lower},
                        {"upper", j.upper},
                        {"speed", j.speed},
                        {"acceleration", j.acceleration},
                        {"effort", j.effort}});
    const ArmDescription& d = (*arm)->description();
    std::cout << Json{{"id", d.id},
                      {"name", d.name},
                      {"family", familyName((*arm)->family())},
                      {"reach", (*arm)->reach()},
                      {"payload", d.payload},
                      {"axes", axes}}
                     .dump()
              << '\n';
    return 0;
}

int armForward(const ArmChoice& name)
{
    return answerLines(name, [](const Arm& arm, const Json& line) {
        ChainFrames frames;
        chainFrames(arm, jointsOf(line, "q", arm), frames);
        Eigen::Matrix4d m = Eigen::Matrix4d::Identity();
        m.topLeftCorner<3, 3>() = frames.flange.rotation;
        m.topRightCorner<3, 1>() = frames.flange.origin;
        return Json{{"pose", rowsOf(m)}};
    });
}

int armJacobian(const ArmChoice& name)
{
    return answerLines(name, [](const Arm& arm, const Json& line) {
        const Jacobian j = jacobian(arm, jointsOf(line, "q", arm));
        return Json{{"jacobian", rowsOf(j)}, {"singular_values", listOf(singularValues(j))}};
    });
}

namespace {

/// The arm with the axes of "locked" held: a list with a value, or null, per joint. Null when the line has none.
ArmPtr withLocks(const Arm& arm, const Json& line)
{
    const auto it = line.find("locked");
    if (it == line.end()) return nullptr;
    if (!it->is_array() || it->size() != size_t(arm.jointCount()))
        throw BadLine(fmt::format("\"locked\" must be a list of {} numbers or nulls", arm.jointCount()));
    ArmDescription description = arm.description();
    for (size_t i = 0; i < it->size(); ++i)
        if (!(*it)[i].is_null()) description.joints[i].locked = numberOf((*it)[i], "locked");
    const Result<ArmPtr> made = Arm::make(std::move(description));
    if (!made) throw BadLine(made.error().line());
    return *made;
}

}  // namespace

int armInverse(const ArmChoice& name)
{
    return answerLines(name, [](const Arm& arm, const Json& line) {
        std::optional<JointVector> near;
        if (line.contains("near")) near = jointsOf(line, "near", arm);
        const ArmPtr locked = withLocks(arm, line);
        Solutions found = inverseKinematics(locked ? *locked : arm, poseOf(line), near ? &*near : nullptr);
        if (line.value("turns", "") == "all")
            found.items = allTurns(arm, found.items, near.value_or(JointVector(JointVector::Zero(arm.jointCount()))));
        Json solutions = Json::array(), configurations = Json::array();
        for (const Solution& s : found.items) {
            solutions.push_back(listOf(s.joints));
            configurations.push_back(locked || !arm.hasConfigurations() ? Json()
                                                                        : Json(configurationText(s.configuration)));
        }
        Json out{{"solutions", solutions}, {"configurations", configurations}, {"reason", nullptr}};
        if (found.items.empty()) out["reason"] = reasonText(arm, found);
        if (found.nearest) {
            out["nearest"] = rowsOf(homogeneous(*found.nearest));
            out["excess_turn"] = listOf(found.excessTurn);
        }
        return out;
    });
}

int armSingular(const ArmChoice& name)
{
    return answerLines(name, [](const Arm& arm, const Json& line) {
        const JointVector q = jointsOf(line, "q", arm);
        const Eigen::VectorXd values = singularValues(jacobian(arm, q));
        Json kinds = Json::array(), margins = Json::object();
        for (const SingularityKind kind : singularKinds(arm, q))
            kinds.push_back(singularityName(kind));
        Json out{{"min_singular_value", values[std::min<Eigen::Index>(6, values.size()) - 1]}, {"kinds", kinds}};
        const SingularityMargins m = singularityMargins(arm, q);
        if (arm.hasBranches())
            margins = {
                {"wrist_sin", std::abs(m.wrist)}, {"elbow_m", std::abs(m.elbow)}, {"shoulder_m", std::abs(m.shoulder)}};
        else if (hasKind(arm, SingularityKind::Wrist)) margins = {{"wrist_sin", std::abs(m.wrist)}};
        out["margins"] = margins;
        if (!arm.hasBranches()) {
            const auto lost = lostDirection(jacobian(arm, q));
            out["lost_direction"] = listOf(lost);
        }
        return out;
    });
}

int armTorque(const ArmChoice& name)
{
    return answerLines(name, [](const Arm& arm, const Json& line) {
        const Vec3 gravity = line.contains("gravity") ? vectorOf(line["gravity"], "gravity") : kStandardGravity;
        Payload payload;
        if (line.contains("payload") && !line["payload"].is_null()) {
            const Json& p = line["payload"];
            if (!p.is_object() || !p.contains("mass") || !p.contains("com"))
                throw BadLine("\"payload\" must have \"mass\" and \"com\"");
            payload = {numberOf(p["mass"], "mass"), vectorOf(p["com"], "com")};
            if (!(payload.mass >= 0)) throw BadLine("\"mass\" must not be below zero");
        }
        const JointVector q = jointsOf(line, "q", arm);
        return Json{{"torque", listOf(jointEfforts(arm, q, jointsOf(line, "qd", arm), jointsOf(line, "qdd", arm),
                                                   gravity, payload))},
                    {"gravity", listOf(gravityEfforts(arm, q, gravity, payload))}};
    });
}

int armExport(const ArmChoice& name, const std::vector<std::string>& packages, const std::string& out)
{
    PackageFolders folders;
    for (const std::string& package : packages) {
        const size_t equals = package.find('=');
        if (equals == std::string::npos)
            return refused(
                {"usage", "\"" + package + "\" is not NAME=FOLDER", "--package", "Write --package NAME=FOLDER."});
        folders[package.substr(0, equals)] = package.substr(equals + 1);
    }
    std::vector<std::string> missed;
    const Result<ArmPtr> arm = findArm(name.name, {name.base, name.tip}, &folders, &missed);
    if (!arm) return refused(arm.error());
    for (const std::string& words : missed)
        std::fprintf(stderr, "topikos-cli: %s\n", words.c_str());
    const Result<Exported> file = exportArm(**arm, {{"home", armHome(**arm)}}, out);
    if (!file) return refused(file.error());
    if (const Status bad = saveExported(out, *file)) return refused(*bad);
    for (const std::string& lost : file->lost)
        std::fprintf(stderr, "topikos-cli: %s\n", lost.c_str());
    return 0;
}

}  // namespace topikos::cli
